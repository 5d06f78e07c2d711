"""What a file's header declares of its colour, and the space of the config that it means.

The one answer to “which space does this header say?”, for textures and renders alike. A declaration is understood as
primaries with a curve, and matched to a space by colour; what the config lacks is told as such, and never replaced by
something near.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeGuard

import PyOpenColorIO as ocio

from saltwort.core.configs.matching import spaces_with
from saltwort.core.images import Header
from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import BY_INTEROP_ID, by_code_points
from saltwort.core.spaces.gamuts import NAMED_GAMUTS, OP_RGB, P3_D65, REC709, Gamut

FLOATS = ("half", "float", "double")
LINEAR, SRGB = Curve(curves.LINEAR), Curve(curves.SRGB)

Meaning = tuple[Gamut, Curve]
_GAMMA_OF_SRGB = (2.1, 2.3)
"""Power that PNG files of sRGB give as their gAMA (W3C PNG, third edition, 11.3.2.2: 45455)."""
# SMPTE ST 268, transfer characteristics as the image library calls them. Logarithms are left out: the header does not
# say of which camera or film.
_DPX = {
    "Linear": LINEAR,
    "ITU-R 709-4": Curve(curves.REC709),
    "SMPTE 274M": Curve(curves.REC709),
}


@dataclass(frozen=True)
class Declaration:
    """What a header declares: `says` it in a sentence. `space` is the config's space for it, None where the config has
    none; `meaning` its primaries and curve, None where they are not known to Saltwort either. `trust`, 0–1, is how
    often such a header is right about a file that holds colour."""

    code: str
    says: str
    space: str | None
    meaning: Meaning | None
    trust: float

    @property
    def is_linear(self) -> bool:
        return self.meaning is not None and self.meaning[1].is_linear


def declared(config: ocio.Config, header: Header) -> Declaration | None:
    """What a header declares, by the precedence of its parts: the first that says something counts, as standards have
    it (W3C PNG, third edition, 4.3)."""
    return next(iter(_declarations(config, header)), None)


def _declarations(config: ocio.Config, header: Header) -> Iterator[Declaration]:
    tags = header.tags
    if isinstance(interop_id := tags.get("colorInteropID"), str) and interop_id not in ("", "unknown"):
        yield _by_interop_id(config, "header.interop-id", interop_id)
    if _is_points(points := tags.get("CICP")):
        yield from _by_code_points(config, "header.cicp", "cICP says", points)
    if "icc:description" in tags or "png:iCCP" in tags:
        yield _by_profile(config, header)
    if "png:sRGB" in tags:
        yield _by_meaning(config, "header.srgb", "Its sRGB chunk says sRGB", ((REC709, SRGB),), 0.9)
    yield from _by_png_gamma(config, header)
    yield from _by_chromaticities(config, header)
    if tags.get("Exif:ColorSpace") == 1:
        yield _by_meaning(config, "header.exif", "EXIF says sRGB", ((REC709, SRGB),), 0.85)
    if isinstance(transfer := tags.get("dpx:Transfer"), str) and transfer in _DPX:
        yield _by_meaning(config, "header.dpx", f"Its DPX header says {transfer}", ((REC709, _DPX[transfer]),), 0.8)


def _by_interop_id(config: ocio.Config, code: str, interop_id: str) -> Declaration:
    known = BY_INTEROP_ID.get(interop_id)
    meaning = (known.gamut, known.curve) if known else None
    named = config.getColorSpace(interop_id)
    space = named.getName() if named else None
    if space is None and meaning is not None:
        space = next(iter(spaces_with(config, *meaning)), None)
    return Declaration(code, _sentence(f"The header names {interop_id}", space), space, meaning, 0.98)


def _by_code_points(config: ocio.Config, code: str, says: str, points: tuple[float, ...]) -> Iterator[Declaration]:
    primaries, transfer = int(points[0]), int(points[1])
    says = f"{says} primaries {primaries}, transfer {transfer}"
    if len(points) >= 4 and points[3] == 0:
        yield Declaration(code, f"{says}, in narrow range, which has to be expanded first.", None, None, 0.95)
    elif meanings := by_code_points(primaries, transfer):
        yield _by_meaning(config, code, says, meanings, 0.95)
    elif primaries != _UNSPECIFIED and transfer != _UNSPECIFIED:
        yield Declaration(code, f"{says}, which are reserved.", None, None, 0.95)


_UNSPECIFIED = 2


def _is_points(value: object) -> TypeGuard[tuple[float, ...]]:
    return isinstance(value, tuple) and len(value) >= 2 and all(isinstance(number, int | float) for number in value)


def _by_profile(config: ocio.Config, header: Header) -> Declaration:
    tags = header.tags
    name = str(tags.get("icc:description") or tags.get("png:iCCP") or "")
    says = f"Its ICC profile is “{name}”" if name else "It has an ICC profile without a name"
    if name in BY_INTEROP_ID:
        return _by_interop_id(config, "header.icc", name)
    if _is_points(points := tags.get("icc:CICP")):
        for found in _by_code_points(config, "header.icc", f"{says} and says", points):
            return found
    numbers, kind, power = tags.get("icc:chromaticities"), tags.get("icc:curve"), tags.get("icc:power")
    if isinstance(numbers, tuple) and isinstance(kind, str) and isinstance(power, float):
        return _by_meaning(config, "header.icc", says, ((_gamut(numbers), Curve(kind, power)),), 0.95)
    for word, meaning in _PROFILE_WORDS:
        if word in name.lower().replace(" ", ""):
            return _by_meaning(config, "header.icc", says, (meaning,), 0.7)
    return Declaration("header.icc", f"{says}, whose colours cannot be told.", None, None, 0.9)


# What the names of profiles hold, without their spaces, where the profile itself has no primaries with a curve.
_PROFILE_WORDS = (
    ("displayp3", (P3_D65, SRGB)),
    ("oprgb", (OP_RGB, Curve(curves.POWER, 563 / 256))),
    ("srgb", (REC709, SRGB)),
)


def _by_png_gamma(config: ocio.Config, header: Header) -> Iterator[Declaration]:
    """gAMA and cHRM together: either stands for the usual where it stands alone."""
    power, numbers = header.tags.get("png:gAMA"), header.tags.get("png:cHRM")
    has_primaries = isinstance(numbers, tuple) and len(numbers) == 8
    if not isinstance(power, float) and not has_primaries:
        return
    gamut = _gamut(numbers) if isinstance(numbers, tuple) and has_primaries else REC709
    if not isinstance(power, float):
        curve, says = SRGB, "Its cHRM chunk names primaries"
    else:
        says = f"Its gAMA chunk says power {power:.2f}" + (", its cHRM chunk names primaries" if has_primaries else "")
        if abs(power - 1) < 0.02:
            curve = LINEAR
        elif _GAMMA_OF_SRGB[0] <= power <= _GAMMA_OF_SRGB[1]:
            curve = SRGB
        else:
            curve = Curve(curves.POWER, power)
    yield _by_meaning(config, "header.gamma", says, ((gamut, curve),), 0.85)


def _by_chromaticities(config: ocio.Config, header: Header) -> Iterator[Declaration]:
    """The linear space whose primaries a float file names."""
    numbers = header.tags.get("chromaticities")
    if isinstance(numbers, tuple) and len(numbers) == 8 and header.bit_depth in FLOATS:
        gamut = _gamut(numbers)
        named = f" ({gamut.name})" if gamut.name else ""
        says = f"The header names primaries{named}: red {gamut.red[0]:.4g}, {gamut.red[1]:.4g}"
        yield _by_meaning(config, "header.chromaticities", says, ((gamut, LINEAR),), 0.95)


def _by_meaning(config: ocio.Config, code: str, says: str, meanings: tuple[Meaning, ...], trust: float) -> Declaration:
    """A declaration of one of several meanings, the first that the config has."""
    for meaning in meanings:
        if found := spaces_with(config, *meaning):
            return Declaration(code, _sentence(says, found[0]), found[0], meaning, trust)
    return Declaration(code, _sentence(says, None), None, meanings[0], trust)


def _sentence(says: str, space: str | None) -> str:
    return f"{says}." if space else f"{says}, which this config does not have."


def _gamut(numbers: tuple[float, ...]) -> Gamut:
    """The gamut of eight numbers, called as the known one where it is."""
    red, green, blue, white = ((numbers[start], numbers[start + 1]) for start in (0, 2, 4, 6))
    found = Gamut("", red, green, blue, white)
    for known in NAMED_GAMUTS:
        if max(abs(one - other) for one, other in zip(known.chromaticities, numbers, strict=True)) < 1e-3:
            return Gamut(known.name, red, green, blue, white)
    return found
