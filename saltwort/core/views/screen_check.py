"""What a person sees on a screen, and what that says of it: whether pictures can be judged there.

A half-tone of equally many black and white lines has half the light of white, on any screen; the solid patch that looks
the same tells the screen's exponent (ISO 22028-1, annex on viewing; the trade's usual chart). Near-black steps tell how
much of the shadows is seen.
"""

from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images import write_image
from saltwort.core.views.hdr import pq_encoded

SRGB, UNKNOWN = "srgb", "unknown"
EXPONENTS = ("1.8", "2.0", "2.2", SRGB, "2.4", "2.6")
"""What a screen's curve may be: a power, or that of sRGB."""
PQ_LEVELS = (10, 50, 100, 203, 400, 600, 1000, 2000, 4000, 10000)
"""cd/m² of the patches of the PQ still."""
TAGGED_CODES = (200, 80, 60)
"""Of the picture that is read back: far enough from what they are in sRGB."""
_P3_POINTS, _PQ_POINTS = (12, 13, 0, 1), (9, 16, 0, 1)
"""Code points of H.273: Display P3 with the curve of sRGB, and Rec.2100 PQ."""
Surround = Literal["dark", "dim", "bright", "unknown"]
DEEPEST_GOOD, BRIGHTEST_GOOD = 4, 251
"""Codes of 8 bits that must be told from black, and from white."""


@dataclass(frozen=True)
class Seen:
    """What was seen, and measured in the browser: the patch that merges with the half-tone; the darkest code told
    from black and the brightest told from white, None where that was not answered; whether a Display P3 square stands
    out of an sRGB one; whether the browser says that it shows more than SDR; whether it manages colours; and how bright
    the room is."""

    exponent: str = UNKNOWN
    darkest: int | None = None
    brightest: int | None = None
    sees_p3: bool | None = None
    is_hdr: bool = False
    is_managed: bool | None = None
    surround: Surround = "unknown"


@dataclass(frozen=True)
class ScreenVerdict:
    """What that says: one sentence, a few words for a mark, whether pictures can be judged here (None where too little
    was answered), and advice."""

    sentence: str
    short: str
    is_fit: bool | None
    advice: tuple[str, ...]


def half_tone_code(exponent: str) -> int:
    """The code of 8 bits that has half the light of white on a screen with an exponent, a key of EXPONENTS."""
    half: float = 1.055 * 0.5 ** (1 / 2.4) - 0.055 if exponent == SRGB else 0.5 ** (1 / float(exponent))
    return round(255 * half)  # sRGB by IEC 61966-2-1


def tagged_png() -> bytes:
    """One colour in Display P3, as PNG: a browser that manages colours reads it back in other numbers."""
    return _png(np.full((8, 8, 3), TAGGED_CODES) / 255, "uint8", _P3_POINTS)


def pq_png() -> bytes:
    """Patches of PQ_LEVELS side by side in Rec.2100 PQ, as PNG of 16 bits."""
    codes = pq_encoded(np.repeat(np.array(PQ_LEVELS, np.float64), 48))
    return _png(np.broadcast_to(codes[None, :, None], (64, len(codes), 3)), "uint16", _PQ_POINTS)


def _png(codes: NDArray[np.float64], sample_type: str, points: tuple[int, ...]) -> bytes:
    with TemporaryDirectory() as folder:
        place = Path(folder) / "patches.png"
        write_image(place, codes.astype(np.float32), sample_type, {"CICP": points})
        return place.read_bytes()


def screen_verdict(seen: Seen) -> ScreenVerdict:
    """What was seen, in words."""
    gamut = {True: "Display P3", False: "sRGB", None: None}[seen.sees_p3]
    curve = {SRGB: "the curve of sRGB", UNKNOWN: None}.get(seen.exponent, f"an exponent near {seen.exponent}")
    advice = []
    effect = ""
    if seen.exponent in ("2.4", "2.6"):
        effect = ": shadows look darker here than on screens for the web"
        advice.append("Set the screen to sRGB or 2.2 for web pictures; 2.4 is right for TV in a dim room.")
    if seen.exponent in ("1.8", "2.0"):
        effect = ": shadows look brighter here than where pictures are delivered"
        advice.append("Set the screen's gamma to 2.2. Until then, do not judge shadows here.")
    if seen.darkest is not None and seen.darkest > DEEPEST_GOOD:
        advice.append(f"Codes below {seen.darkest} look black. Raise the screen's brightness, or darken the room.")
    if seen.brightest is not None and seen.brightest < BRIGHTEST_GOOD:
        advice.append(f"Codes above {seen.brightest} look white. Lower the screen's contrast.")
    if seen.is_managed is False:
        advice.append("The browser does not manage colours, so wide-gamut pictures look wrong. Use another browser.")
    if seen.surround == "bright":
        advice.append("The room is bright: shadows are lost and contrast looks lower. Dim it, or turn from the window.")
    if seen.surround == "dark" and seen.exponent in (SRGB, "2.2"):
        advice.append(
            "In a dark room pictures look more contrasty than in a lit one. A faint light behind the screen helps."
        )
    shown = " with ".join(filter(None, (gamut, curve)))
    hdr = " It shows HDR." if seen.is_hdr else ""
    answered = seen.exponent != UNKNOWN and seen.darkest is not None
    wrong = [each for each in advice if not each.startswith(("Set the screen to sRGB", "In a dark room"))]
    return ScreenVerdict(
        sentence=f"This screen shows {shown}{effect}.{hdr}" if shown else f"Nothing is known of this screen yet.{hdr}",
        short=f"{'P3' if seen.sees_p3 else 'sRGB'}, {_short(seen.exponent)}{', HDR' if seen.is_hdr else ''}",
        is_fit=not wrong if answered else None,
        advice=tuple(advice),
    )


def _short(exponent: str) -> str:
    return {SRGB: "sRGB curve", UNKNOWN: "not tried"}.get(exponent, exponent)
