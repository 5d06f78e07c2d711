"""Verify a finished file from anywhere: what it says of itself, what its pixels say, and whether that fits together."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.deliverables.registry import Deliverable
from saltwort.core.deliverables.shown import Doubt, Source
from saltwort.core.deliverables.verify_video import outside, verify_video
from saltwort.core.engine import apply
from saltwort.core.errors import BadInput
from saltwort.core.images import measure, read_header
from saltwort.core.images.independent import file_tags, read_back
from saltwort.core.images.reading import Pixels
from saltwort.core.luts.sampling import cube_nodes
from saltwort.core.luts.tables import read_processor
from saltwort.core.sandbox import Limits, run_sandboxed
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import BY_INTEROP_ID, by_code_points
from saltwort.core.spaces.gamuts import REC709, Gamut
from saltwort.core.spaces.icc import read_profile

PICTURE, VIDEO, LUT, PROFILE = "picture", "video", "LUT", "ICC profile"
LUTS = (".cube", ".csp", ".3dl", ".spi1d", ".spi3d", ".clf", ".ctf")
PROFILES = (".icc", ".icm")
VIDEOS = (".mp4", ".mov", ".m4v", ".mkv", ".webm")
LIGHT_FORMATS = (".exr", ".hdr", ".tx")
SECONDS, MEMORY = 120.0, 4_000_000_000
EDGE, GREYS = 17, 1_025
BLACKS, WHITES = (11, 18), (232.5, 239)
"""Codes of 255 where black and white of video levels lie, 16 and 235, with what JPEG does to them."""
PILED_UP = 1.5
"""Codes between the darkest 0.1 and 0.5 %: pictures that were not cut there thin out more slowly."""
SAME, FALLING = 1e-6, 1e-4


@dataclass(frozen=True)
class Verified:
    """A file as it was looked at: what it `says`, what its `pixels` say, and the doubts, none where all fits."""

    sort: str
    says: dict[str, Any]
    pixels: dict[str, Any]
    doubts: tuple[Doubt, ...]


def verify(path: Path) -> Verified:
    """Look at a file. Raises BadInput for what is neither picture, video, LUT nor profile."""
    sorts = {**dict.fromkeys(VIDEOS, VIDEO), **dict.fromkeys(LUTS, LUT), **dict.fromkeys(PROFILES, PROFILE)}
    sort = sorts.get(path.suffix.lower(), PICTURE)
    says, pixels, doubts = {VIDEO: verify_video, LUT: _lut, PROFILE: _profile, PICTURE: _picture}[sort](path)
    return Verified(sort, says, pixels, tuple(doubts))


def verify_apart(path: Path, name: str) -> Verified:
    """The same of a file that a stranger brought, called `name`, in a process of its own with limits."""
    limits = Limits(seconds=SECONDS, memory=MEMORY)
    try:
        return run_sandboxed(verify, path, limits=limits, called=name, advice="Verify a shorter or smaller one.")
    except BadInput as error:
        raise BadInput(str(error).replace(path.name, name)) from error


NOT_ALIKE = {"other-format", "other-samples", "other-codec", "other-size"}
"""Doubts about a file whose pixels are not compared: they cannot be those of the recipe."""


def against(
    found: Verified,
    path: Path,
    config: ocio.Config,
    made: Deliverable[Any],
    settings: Any,
    sources: Sequence[Source] = (),
) -> Verified:
    """What was found of a file, with the doubts whether it is what a kind makes with these settings; where it
    is, and `sources` are given, also whether it is of them."""
    doubts = list(made.doubts(config, settings, found.says, path))
    if sources and not NOT_ALIKE & {doubt.code for doubt in doubts}:
        doubts += made.differs(config, sources, settings, path)
    return replace(found, doubts=(*found.doubts, *doubts))


Looked = tuple[dict[str, Any], dict[str, Any], list[Doubt]]


def _picture(path: Path) -> Looked:
    if path.suffix.lower() in (".avif", ".jxl"):
        found, depth = read_back(path), ""
        tags = file_tags(path)
    else:
        header = read_header(path)
        tags, depth = dict(header.tags), header.bit_depth
        found = read_back(path)
    height, width = found.stored.shape[:2]
    colour = found.rows()[..., :3]
    says = {"width": width, "height": height, "bit_depth": depth, "tags": tags, "read_by": found.reader}
    pixels = {**_range(colour), **_gamut_used(colour, tags)}
    doubts = list(_of_tags(path, tags))
    if path.suffix.lower() not in LIGHT_FORMATS:
        doubts += _of_levels(colour)
    if depth == "16-bit" and (steps := measure(path).stats.linear_steps) == 8:
        doubts.append(
            Doubt("eight-bit-steps", f"It has 16 bits, and its values are steps of {steps}: it was 8-bit once.")
        )
    if pixels["not_finite"]:
        doubts.append(Doubt("not-finite", f"{pixels['not_finite']:,} samples are no numbers (NaN or infinite)."))
    return says, pixels, doubts


def _lut(path: Path) -> Looked:
    try:
        processor = read_processor(path)
    except BadInput as error:
        raise BadInput(f"{path.name} is no LUT of its kind, or is damaged. Export it again.") from error
    nodes = cube_nodes(EDGE).astype(np.float32).reshape(1, -1, 3)
    given = apply(processor, nodes)
    greys = apply(processor, np.linspace(0, 1, GREYS, dtype=np.float32)[None, :, None].repeat(3, axis=2))[0]
    pixels, doubts = _range(given), []
    if pixels["not_finite"]:
        doubts.append(Doubt("not-finite", f"{pixels['not_finite']:,} of its numbers are none (NaN or infinite)."))
    if np.abs(given - nodes).max() < SAME:
        doubts.append(Doubt("does-nothing", "It changes no colour between 0 and 1."))
    if (np.diff(np.nan_to_num(greys), axis=0) < -FALLING).any():
        doubts.append(Doubt("greys-fall", "Brighter greys come out darker in places: it is damaged, or meant so."))
    return {"kind": LUT, "format": path.suffix.lower(), "read_by": "the OCIO library"}, pixels, doubts


def _profile(path: Path) -> Looked:
    content = path.read_bytes()
    profile = read_profile(content)
    if profile is None:
        raise BadInput(f"{path.name} is no ICC profile of RGB or grey.")
    says = {
        "kind": PROFILE,
        "called": profile.description,
        "version": f"{content[8]}.{content[9] >> 4}",
        "curve": profile.curve.label if profile.curve else "a table, or none that is known",
    }
    doubts = []
    if profile.code_points and (known := by_code_points(*profile.code_points)):
        wanted = known[0]
        if profile.curve and profile.curve.kind != wanted[1].kind:
            doubts.append(Doubt("tags-disagree", "Its code points and its curve say different things."))
    return says, {}, doubts


def _range(colour: Pixels) -> dict[str, Any]:
    finite = colour[np.isfinite(colour)]
    if not finite.size:
        raise BadInput("The picture holds no numbers that can be measured.")
    return {
        "lowest": float(finite.min()),
        "peak": float(finite.max()),
        "mean": float(finite.mean(dtype=np.float64)),
        "at_top": float(np.mean((colour >= 1).all(axis=-1))),
        "below_zero": float(np.mean(finite < 0)),
        "not_finite": int(colour.size - finite.size),
    }


def _encoding_said(tags: Mapping[str, Any]) -> tuple[Gamut, Curve] | None:
    """Primaries and curve by code points or interop ID."""
    if "CICP" in tags:
        known = by_code_points(int(tags["CICP"][0]), int(tags["CICP"][1]))
        return known[0] if known else None
    encoding = BY_INTEROP_ID.get(str(tags.get("colorInteropID", "")))
    return (encoding.gamut, encoding.curve) if encoding else None


def _gamut_used(colour: Pixels, tags: Mapping[str, Any]) -> dict[str, Any]:
    """How much of the pixels lies outside Rec.709, and outside P3, where the file says what its numbers are."""
    said = _encoding_said(tags)
    if said is None or said[0] == REC709:
        return {}
    few = colour.reshape(-1, 3)[:: max(1, colour.size // 300_000)].astype(np.float64)
    return outside(said[1].decode(np.nan_to_num(few)), said[0])


def _of_tags(path: Path, tags: Mapping[str, Any]) -> Iterator[Doubt]:
    says_colour = ("CICP", "icc:description", "colorInteropID", "chromaticities")
    if not any(name in tags for name in says_colour):
        yield Doubt("untagged", "It says nothing of its colour, so each application takes it as it likes.")
    if "CICP" in tags and "icc:CICP" in tags and tuple(tags["CICP"][:2]) != tuple(tags["icc:CICP"][:2]):
        yield Doubt("tags-disagree", "Its code points and its profile say different things.")
    said = _encoding_said(tags)
    if said and "CICP" in tags and "icc:chromaticities" in tags and "icc:CICP" not in tags:
        profile = np.array(tags["icc:chromaticities"])
        off = np.abs(profile - np.array(said[0].chromaticities))[:6].max()
        if off > 0.05:  # under D50 the same primaries lie up to 0.03 elsewhere
            yield Doubt("tags-disagree", "Its code points and the primaries of its profile are different.")
    is_encoded = said is not None and not said[1].is_linear
    if path.suffix.lower() == ".exr" and "chromaticities" in tags and is_encoded:
        yield Doubt("taken-for-light", "It is display-referred and gives primaries, so it will be taken for light.")


def _of_levels(colour: Pixels) -> Iterator[Doubt]:
    """Black and white areas that pile up at the ends of video levels. JPEG scatters values around what they were, so
    areas are looked at, not pixels."""
    from scipy import ndimage  # slow to import, seldom needed

    smooth = ndimage.uniform_filter(np.nan_to_num(colour.astype(np.float64)) * 255, (5, 5, 0))
    dark = np.percentile(smooth.min(axis=-1), (0.1, 0.5))
    bright = np.percentile(smooth.max(axis=-1), (99.5, 99.9))
    if all(
        low <= first and last <= high and last - first <= PILED_UP
        for (first, last), (low, high) in ((dark, BLACKS), (bright, WHITES))
    ):
        yield Doubt("legal-range", "Its values end at 16 and 235 of 255: it looks like video levels in a picture.")
