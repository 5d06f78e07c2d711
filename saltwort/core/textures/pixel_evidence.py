"""What a file's format and pixels testify, before anybody reads its header or name: how often what is seen in them is
seen in files of each sort. The figures were set on the pictures of `tests/core/made_textures.py`."""

import math
from collections.abc import Iterator, Mapping

import numpy as np

from saltwort.core.images import Facts, Header, Stats
from saltwort.core.images.channels import colour_channels
from saltwort.core.textures.declared import FLOATS

ENCODED, LINEAR = "encoded", "linear"
NUMBERS, NORMALS, PACKED, VECTORS = "numbers", "normals", "packed", "vectors"
DATA_SORTS = (NUMBERS, NORMALS, PACKED, VECTORS)
HOLDS = (ENCODED, LINEAR, *DATA_SORTS)
"""What a file may hold. NUMBERS is one value a pixel: roughness, height, masks; PACKED another map in each channel;
VECTORS positions, flow and other directions that are no normals."""
SORT_LABELS = {
    ENCODED: "encoded colour",
    LINEAR: "linear light",
    NUMBERS: "one number a pixel, such as roughness, height or a mask",
    NORMALS: "normals",
    PACKED: "another map in each channel",
    VECTORS: "positions or directions",
}

Likelihoods = Mapping[str, float]
"""How likely a piece of evidence is to be seen in a file of each sort, against the others; 1 where it is not named."""
Piece = tuple[str, str, Likelihoods]
"""A code, what it says, and its likelihoods."""

UNIT_VECTORS = 0.95
"""Share of unit vectors from which a picture is taken for a normal map."""


# What is usual for a format, before its pixels are looked at: of textures and renders as they come into a project.
_GREY_8 = {ENCODED: 0.07, LINEAR: 0.01, NUMBERS: 0.89, NORMALS: 0.01, PACKED: 0.01, VECTORS: 0.01}
_GREY_16 = {ENCODED: 0.03, LINEAR: 0.02, NUMBERS: 0.92, NORMALS: 0.01, PACKED: 0.01, VECTORS: 0.01}
_GREY_JPEG = {ENCODED: 0.13, LINEAR: 0.01, NUMBERS: 0.84, NORMALS: 0.005, PACKED: 0.005, VECTORS: 0.01}
_GREY_FLOAT = {ENCODED: 0.01, LINEAR: 0.07, NUMBERS: 0.9, NORMALS: 0.005, PACKED: 0.005, VECTORS: 0.01}
_COLOUR_8 = {ENCODED: 0.58, LINEAR: 0.16, NUMBERS: 0.03, NORMALS: 0.10, PACKED: 0.11, VECTORS: 0.02}
_COLOUR_16 = {ENCODED: 0.43, LINEAR: 0.31, NUMBERS: 0.03, NORMALS: 0.12, PACKED: 0.10, VECTORS: 0.03}
_COLOUR_JPEG = {ENCODED: 0.78, LINEAR: 0.02, NUMBERS: 0.02, NORMALS: 0.08, PACKED: 0.09, VECTORS: 0.01}
_COLOUR_FLOAT = {ENCODED: 0.11, LINEAR: 0.62, NUMBERS: 0.03, NORMALS: 0.09, PACKED: 0.05, VECTORS: 0.10}
_TWO_CHANNELS = {ENCODED: 0.02, LINEAR: 0.02, NUMBERS: 0.3, NORMALS: 0.16, PACKED: 0.2, VECTORS: 0.3}
_HDR = {ENCODED: 0.005, LINEAR: 0.98, NUMBERS: 0.005, NORMALS: 0.002, PACKED: 0.002, VECTORS: 0.006}


def from_format(facts: Facts) -> Iterator[Piece]:
    """Where the odds begin: what most files of a format, depth and number of channels hold."""
    header = facts.header
    depth = header.bit_depth[:1].upper() + header.bit_depth[1:]
    if header.format == "HDR":
        yield "format", "HDR files hold light.", _HDR
    elif _is_pair(header):
        yield "format", f"{depth} {header.format} with two channels that are no grey with alpha.", _TWO_CHANNELS
    elif _is_grey(facts):
        usual = {"JPEG": _GREY_JPEG}.get(header.format) or (
            _GREY_FLOAT if is_float(header) else _GREY_16 if header.bit_depth == "16-bit" else _GREY_8
        )
        what = "one channel" if _is_single(header) else "red, green and blue alike"
        yield "format", f"{depth} {header.format}, {what}: most such files hold numbers, not colour.", usual
    else:
        usual = {"JPEG": _COLOUR_JPEG}.get(header.format) or (
            _COLOUR_FLOAT if is_float(header) else _COLOUR_8 if header.bit_depth == "8-bit" else _COLOUR_16
        )
        what = "light" if is_float(header) else "encoded colour"
        yield "format", f"{depth} {header.format} in colour: most such files hold {what}.", usual


def is_float(header: Header) -> bool:
    """Whether a file holds floats, so that it can hold light above 1."""
    return header.bit_depth in FLOATS or header.format == "HDR"


def _is_single(header: Header) -> bool:
    return len(set(colour_channels(header.channel_names))) == 1 and not _is_pair(header)


def _is_pair(header: Header) -> bool:
    return header.channels == 2 and not header.alpha and header.channel_names[:1] != ("Y",)


def _is_grey(facts: Facts) -> bool:
    return facts.stats.equal_channels or _is_single(facts.header)


def from_pixels(facts: Facts) -> Iterator[Piece]:
    """What a file's measured pixels testify."""
    header, stats = facts.header, facts.stats
    if not _is_single(header) and not stats.equal_channels and not _is_pair(header):
        yield from _vectors(facts)
        yield from _packed(facts)
        if not is_flat(facts):
            yield from _few_colours(stats)
    if is_float(header):
        yield from _range_of_floats(stats)
    yield from _steps(header, stats)
    if (stops := environment_stops(facts)) is not None and is_float(header):
        says = f"It is twice as wide as high, and peaks {stops:.1f} stops over its median, as surroundings do."
        yield "pixels.surroundings", says, {LINEAR: 1.0, ENCODED: 0.3} | dict.fromkeys(DATA_SORTS, 0.3)
    if not _is_grey(facts):
        yield from _brightness(stats)


def _vectors(facts: Facts) -> Iterator[Piece]:
    stats = facts.stats
    if is_flat(facts):
        if _is_flat_normal(stats):
            others = dict.fromkeys(HOLDS, 0.05) | {NORMALS: 1.0}
            yield "pixels.flat-normal", "All of it is the blue of a normal that points straight out.", others
        else:
            yield "pixels.flat", "It is one colour all over.", {NORMALS: 0.03, PACKED: 0.2, VECTORS: 0.05, NUMBERS: 0.5}
        return
    share = stats.unit_vectors
    if share >= UNIT_VECTORS:
        says = f"{share:.0%} of its pixels are vectors of length 1."
        yield "pixels.vectors", says, dict.fromkeys(HOLDS, 0.002) | {NORMALS: 1.0}
    elif share >= 0.6:
        says = f"{share:.0%} of its pixels are nearly vectors of length 1."
        yield "pixels.vectors", says, dict.fromkeys(HOLDS, 0.03) | {NORMALS: 1.0}
    elif stats.signed_vectors >= 0.9 and stats.below_zero > 0.01:
        says = f"{stats.signed_vectors:.0%} of its pixels are vectors of length 1, with negative parts."
        yield "pixels.signed-vectors", says, dict.fromkeys(HOLDS, 0.002) | {NORMALS: 1.0}
    elif _is_blue_of_normals(stats):
        says = f"Half of it is the blue of normals, and {share:.0%} of it has their length."
        yield "pixels.normal-blue", says, dict.fromkeys(HOLDS, 0.05) | {NORMALS: 1.0}
    elif share < 0.3:
        yield "pixels.no-vectors", f"Only {share:.0%} of its pixels have the length of a normal.", {NORMALS: 0.03}


def _is_flat_normal(stats: Stats) -> bool:
    middle = [value or 0.0 for value in stats.median[:3]]
    return len(middle) == 3 and max(abs(middle[0] - 0.5), abs(middle[1] - 0.5), abs(middle[2] - 1)) < 0.02


def _is_blue_of_normals(stats: Stats) -> bool:
    """Packed tightly, as by JPEG, normals lose their length, but not what they are around."""
    middle = [value or 0.0 for value in stats.median[:3]]
    return len(middle) == 3 and max(abs(middle[0] - 0.5), abs(middle[1] - 0.5)) < 0.06 and 0.75 < middle[2] <= 1.0


_APART = 0.35
"""Correlation below which two channels have little to do with each other; those of surfaces mostly have 0.7 or more."""


def _packed(facts: Facts) -> Iterator[Piece]:
    """Whether the channels are maps of their own: each with its own statistics, and little to do with the others."""
    stats = facts.stats
    if len(stats.correlation) != 3 or is_flat(facts):
        return
    low, high = ([value or 0.0 for value in values[:3]] for values in (stats.low, stats.high))
    constant = [top - bottom < 0.01 for top, bottom in zip(high, low, strict=True)]
    at_end = [share > 0.9 for share in stats.at_ends]
    medians = [value or 0.0 for value in stats.median[:3]]
    together = sorted(abs(value) for value in stats.correlation)
    if any(constant) and not all(constant):
        says = "One channel is the same all over while others are not, as in packed maps and directions."
        yield "pixels.constant-channel", says, {ENCODED: 0.03, LINEAR: 0.03, NUMBERS: 0.1, PACKED: 1.0, VECTORS: 0.6}
    elif any(at_end) and not all(at_end):
        says = "One channel is nearly all 0 or 1 while others are not, as metalness or a mask beside other maps."
        yield "pixels.mask-channel", says, {ENCODED: 0.04, LINEAR: 0.04, NUMBERS: 0.1, PACKED: 1.0, VECTORS: 0.1}
    elif together[1] < _APART and together[2] < 2 * _APART:
        apart = max(medians) - min(medians) > 0.3
        says = "Its channels have little to do with each other" + (" and differ in brightness." if apart else ".")
        colour = 0.07 if apart else 0.55
        yield "pixels.channels-apart", says, {ENCODED: colour, LINEAR: colour, NUMBERS: 0.1, PACKED: 1.0, VECTORS: 1.0}
    elif min(stats.correlation) > 0.6:
        says = "Its channels go up and down together, as those of a surface do."
        yield "pixels.channels-together", says, {PACKED: 0.03, VECTORS: 0.1, NORMALS: 0.1, NUMBERS: 0.15}
    elif sum(value > _APART for value in stats.correlation) >= 2:
        says = "Its channels mostly go up and down together."
        yield "pixels.channels-together", says, {PACKED: 0.25, VECTORS: 0.3, NORMALS: 0.5, NUMBERS: 0.4}


FEW_COLOURS = 32


def _few_colours(stats: Stats) -> Iterator[Piece]:
    if 2 <= stats.colours <= FEW_COLOURS:
        says = f"It holds {stats.colours} colours and no others, as a map of parts or materials does."
        yield "pixels.few-colours", says, {NUMBERS: 1.0, ENCODED: 0.06, LINEAR: 0.06, NORMALS: 0.02, PACKED: 0.3}


def _range_of_floats(stats: Stats) -> Iterator[Piece]:
    lowest = min((value for value in stats.min if value is not None), default=0.0)
    if stats.below_zero > 0.02:
        says = f"{stats.below_zero:.0%} of it is negative, down to {lowest:.3g}, as light is not."
        yield "pixels.negative", says, {ENCODED: 0.01, LINEAR: 0.05, PACKED: 0.02}
    elif stats.below_zero > 0:
        says = f"{stats.below_zero:.2%} of it is a little negative, as colours outside a gamut are."
        yield "pixels.negative", says, {ENCODED: 0.1, PACKED: 0.1, NORMALS: 0.3, NUMBERS: 0.6}
    if stats.above_one > 0:
        says = f"{stats.above_one:.2%} of it is above 1, as light is."
        yield "pixels.above-one", says, {ENCODED: 0.02, PACKED: 0.03, NORMALS: 0.1, NUMBERS: 0.35, VECTORS: 0.6}
    elif stats.below_zero == 0:
        says = "All of it lies between 0 and 1."
        yield "pixels.within-one", says, {LINEAR: 0.65, VECTORS: 0.2}


def _steps(header: Header, stats: Stats) -> Iterator[Piece]:
    """Steps of fewer bits than the file has: where they are even tells how its values were made."""
    if header.bit_depth == "8-bit" or header.format in ("JPEG", "HDR"):
        return
    if stats.linear_steps:
        says = f"Its values are steps of {stats.linear_steps} bits: a picture of so many bits, saved as it was."
        yield "pixels.steps", says, {LINEAR: 0.02, NUMBERS: 0.4, NORMALS: 0.2, PACKED: 0.2, VECTORS: 0.05}
    elif stats.encoded_steps:
        says = f"Encoded again, its values are steps of {stats.encoded_steps} bits: it was decoded from such a picture."
        yield "pixels.decoded-steps", says, {ENCODED: 0.02} | dict.fromkeys(DATA_SORTS, 0.02)


def _brightness(stats: Stats) -> Iterator[Piece]:
    """How bright and how lopsided a picture is: light of a scene or surface lies low, with few bright places, and
    encoding spreads it evenly."""
    medians = [value for value in stats.median[:3] if value is not None]
    if not medians or stats.above_one > 0 or stats.below_zero > 0.02:
        return
    middle = float(np.mean(medians))
    encoded, linear, packed = next(odds for limit, odds in _BY_MEDIAN if middle <= limit)
    yield (
        "pixels.brightness",
        f"Half of it is brighter than {middle:.2f}; light lies low, around 0.2, and encoded colour around 0.5.",
        {ENCODED: encoded, LINEAR: linear, PACKED: packed},
    )
    yield from _contrast(stats)
    encoded, linear = _by_skew(stats)
    if encoded != linear:
        says = "Dark values crowd together, as in light." if linear > encoded else "Bright values crowd together."
        yield "pixels.spread", says, {ENCODED: encoded, LINEAR: linear}


# Up to a median, how often encoded pictures, linear ones and packed maps have it.
_BY_MEDIAN = (
    (0.06, (0.12, 1.0, 0.1)),
    (0.13, (0.3, 1.0, 0.2)),
    (0.22, (0.5, 1.0, 0.8)),
    (0.33, (0.75, 1.0, 1.0)),
    (0.45, (1.0, 0.6, 1.0)),
    (0.6, (1.0, 0.25, 1.0)),
    (math.inf, (1.0, 0.12, 1.0)),
)


def _contrast(stats: Stats) -> Iterator[Piece]:
    """Encoding halves the stops between dark and bright, and pales colours."""
    lows, highs = ([value or 0.0 for value in values[:3]] for values in (stats.low, stats.high))
    low, high = float(np.mean(lows)), float(np.mean(highs))
    if high > 0.02:
        stops = math.log2(high / max(low, 1e-3))
        encoded, linear = next(odds for limit, odds in _BY_STOPS if stops <= limit)
        if encoded != linear:
            says = f"There are {stops:.1f} stops between its dark and its bright places."
            yield "pixels.contrast", says, {ENCODED: encoded, LINEAR: linear}
    if stats.saturation > 0.42:
        yield "pixels.saturation", "Its colours are strong, as in light.", {ENCODED: 0.7}
    elif 0 < stats.saturation < 0.15:
        yield "pixels.saturation", "Its colours are pale, as encoding makes them.", {LINEAR: 0.65}


# Up to so many stops, how often encoded pictures and linear ones have them; beyond, both are as common.
_BY_STOPS = (
    (0.5, (1.0, 0.4)),
    (0.8, (1.0, 0.75)),
    (1.6, (0.55, 1.0)),
    (3.0, (0.65, 1.0)),
    (math.inf, (1.0, 1.0)),
)


def _by_skew(stats: Stats) -> tuple[float, float]:
    if stats.skew > 0.5 and abs(stats.encoded_skew) < stats.skew:
        return 0.7, 1.0
    return (1.0, 0.75) if stats.skew < -0.3 else (1.0, 1.0)


def environment_stops(facts: Facts) -> float | None:
    """For a picture twice as wide as high with light above 1, the stops from its median to its peak."""
    header, stats = facts.header, facts.stats
    peak, median = (max(value or 0.0 for value in values[:3]) for values in (stats.max, stats.median))
    if header.width != 2 * header.height or peak <= 1 or median <= 0:
        return None
    return math.log2(peak / median)


def is_flat(facts: Facts) -> bool:
    """Whether a picture is of practically one colour, which lies on any surface by chance."""
    return all((high or 0) - (low or 0) < 0.1 for high, low in zip(facts.stats.max, facts.stats.min, strict=True))
