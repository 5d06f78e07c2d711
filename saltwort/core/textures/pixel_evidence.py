"""What a file's format and pixels testify, before anybody reads its header or name: how often what is seen in them is
seen in files of each sort. The figures were set on the pictures of `tests/core/made_textures.py`."""

import math
from collections.abc import Iterator, Mapping

import numpy as np

from saltwort.core.images import Facts, Header, Stats
from saltwort.core.images.channels import colour_channels
from saltwort.core.images.measuring import ENDS, GREEN_TOLD
from saltwort.core.textures.declared import FLOATS
from saltwort.core.textures.kinds import KindMatch

ENCODED, LINEAR, LOG = "encoded", "linear", "log"
NUMBERS, NORMALS, PACKED, VECTORS = "numbers", "normals", "packed", "vectors"
DATA_SORTS = (NUMBERS, NORMALS, PACKED, VECTORS)
COLOUR_SORTS = (ENCODED, LINEAR, LOG)
HOLDS = (*COLOUR_SORTS, *DATA_SORTS)
"""What a file may hold. ENCODED is colour for a screen, LOG colour in a logarithmic curve. NUMBERS is one value a
pixel: roughness, height, masks; PACKED another map in each channel; VECTORS positions, flow and other directions that
are no normals."""
SORT_LABELS = {
    ENCODED: "encoded colour",
    LINEAR: "linear light",
    LOG: "colour in a log curve",
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
# A grey file is colour nearly as often as numbers: channels alone decide nothing.
_GREY_8 = {ENCODED: 0.42, LINEAR: 0.01, LOG: 0.01, NUMBERS: 0.53, NORMALS: 0.005, PACKED: 0.005, VECTORS: 0.01}
_GREY_16 = {ENCODED: 0.32, LINEAR: 0.09, LOG: 0.04, NUMBERS: 0.53, NORMALS: 0.005, PACKED: 0.005, VECTORS: 0.01}
_GREY_JPEG = {ENCODED: 0.49, LINEAR: 0.01, LOG: 0.01, NUMBERS: 0.46, NORMALS: 0.005, PACKED: 0.005, VECTORS: 0.01}
_GREY_FLOAT = {ENCODED: 0.03, LINEAR: 0.38, LOG: 0.01, NUMBERS: 0.55, NORMALS: 0.005, PACKED: 0.005, VECTORS: 0.01}
_COLOUR_8 = {ENCODED: 0.66, LINEAR: 0.07, LOG: 0.005, NUMBERS: 0.03, NORMALS: 0.10, PACKED: 0.11, VECTORS: 0.02}
_COLOUR_16 = {ENCODED: 0.36, LINEAR: 0.30, LOG: 0.11, NUMBERS: 0.03, NORMALS: 0.12, PACKED: 0.10, VECTORS: 0.03}
_COLOUR_JPEG = {ENCODED: 0.78, LINEAR: 0.02, LOG: 0.005, NUMBERS: 0.02, NORMALS: 0.08, PACKED: 0.09, VECTORS: 0.01}
_COLOUR_FLOAT = {ENCODED: 0.09, LINEAR: 0.63, LOG: 0.02, NUMBERS: 0.03, NORMALS: 0.09, PACKED: 0.05, VECTORS: 0.10}
_TWO_CHANNELS = {ENCODED: 0.02, LINEAR: 0.02, LOG: 0.005, NUMBERS: 0.3, NORMALS: 0.16, PACKED: 0.2, VECTORS: 0.3}
_HDR = {ENCODED: 0.005, LINEAR: 0.98, LOG: 0.001, NUMBERS: 0.005, NORMALS: 0.002, PACKED: 0.002, VECTORS: 0.006}
_NOTHING_TELLS = {ENCODED: 0.3, LINEAR: 0.3, LOG: 0.05, NUMBERS: 0.3, NORMALS: 0.02, PACKED: 0.02, VECTORS: 0.02}
_FEWEST_PIXELS = 64
"""Below which what pixels have in common is chance."""


def from_format(facts: Facts) -> Iterator[Piece]:
    """Where the odds begin: what most files of a format, depth and number of channels hold."""
    header = facts.header
    depth = header.bit_depth[:1].upper() + header.bit_depth[1:]
    if header.format == "HDR":
        yield "format", "HDR files hold light.", _HDR
    elif header.width * header.height < _FEWEST_PIXELS:
        yield NOTHING_TO_TELL, f"It has {header.width} × {header.height} pixels, too few to tell.", _NOTHING_TELLS
    elif _is_one_colour(facts):
        yield NOTHING_TO_TELL, "All of it is one colour, which any file may hold.", _NOTHING_TELLS
    elif _is_pair(header):
        yield "format", f"{depth} {header.format} with two channels that are no grey with alpha.", _TWO_CHANNELS
    elif _is_grey(facts):
        usual = {"JPEG": _GREY_JPEG}.get(header.format) or (
            _GREY_FLOAT if is_float(header) else _GREY_16 if header.bit_depth == "16-bit" else _GREY_8
        )
        what = "one channel" if _is_single(header) else "red, green and blue alike"
        yield "format", f"{depth} {header.format}, {what}: a grey picture, or numbers.", usual
    else:
        usual = {"JPEG": _COLOUR_JPEG}.get(header.format) or (
            _COLOUR_FLOAT if is_float(header) else _COLOUR_8 if header.bit_depth == "8-bit" else _COLOUR_16
        )
        what = "light" if is_float(header) else "encoded colour"
        yield "format", f"{depth} {header.format} in colour: most such files hold {what}.", usual


NOTHING_TO_TELL = "format.nothing-to-tell"
"""The code for a file whose pixels can tell nothing."""


def _is_one_colour(facts: Facts) -> bool:
    """Whether practically all pixels are one colour, to a step of 8 bits."""
    low, high = facts.stats.low, facts.stats.high
    return all((top or 0.0) - (bottom or 0.0) <= ENDS for top, bottom in zip(high, low, strict=True))


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
    is_grey, is_pair = _is_grey(facts), _is_pair(header)
    if header.width * header.height < _FEWEST_PIXELS or _is_one_colour(facts):
        if not is_grey and _is_flat_normal(stats):
            others = dict.fromkeys(HOLDS, 0.05) | {NORMALS: 1.0}
            yield "pixels.flat-normal", "All of it is the blue of a normal that points straight out.", others
        return
    if not is_grey and not is_pair:
        yield from _vectors(facts)
        yield from _packed(facts)
        if not is_flat(facts):
            yield from _few_colours(stats)
    elif is_grey:
        yield from _mask(stats)
    if is_float(header):
        yield from _range_of_floats(stats, is_grey=is_grey)
    yield from _steps(header, stats)
    if (stops := environment_stops(facts)) is not None and is_float(header):
        says = f"It is twice as wide as high, and peaks {stops:.1f} stops over its median, as surroundings do."
        yield "pixels.surroundings", says, {LINEAR: 1.0, ENCODED: 0.3, LOG: 0.1} | dict.fromkeys(DATA_SORTS, 0.3)
    if not is_grey:
        yield from _brightness(facts)


def _mask(stats: Stats) -> Iterator[Piece]:
    """A grey file of two levels: masks have them, and pictures next to never."""
    if stats.at_ends and min(stats.at_ends) > 0.98 and stats.levels <= 4:
        says = "All of it is black or white, as a mask is."
        yield "pixels.mask", says, {ENCODED: 0.1, LINEAR: 0.1, LOG: 0.01}


def _vectors(facts: Facts) -> Iterator[Piece]:
    stats = facts.stats
    if is_flat(facts):
        if _is_flat_normal(stats):
            others = dict.fromkeys(HOLDS, 0.05) | {NORMALS: 1.0}
            yield "pixels.flat-normal", "It is the blue of normals that point nearly straight out.", others
        else:
            others = {NORMALS: 0.03, PACKED: 0.2, VECTORS: 0.05, NUMBERS: 0.5}
            yield "pixels.flat", "It is nearly one colour all over.", others
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
        yield (
            "pixels.constant-channel",
            says,
            {ENCODED: 0.03, LINEAR: 0.03, LOG: 0.01, NUMBERS: 0.1, PACKED: 1.0, VECTORS: 0.6},
        )
    elif any(at_end) and not all(at_end) and max(medians) > _MOSTLY_BLACK:
        says = "One channel is nearly all 0 or 1 while others are not, as metalness or a mask beside other maps."
        yield (
            "pixels.mask-channel",
            says,
            {ENCODED: 0.04, LINEAR: 0.04, LOG: 0.01, NUMBERS: 0.1, PACKED: 1.0, VECTORS: 0.1},
        )
    elif together[1] < _APART and together[2] < 2 * _APART:
        apart = max(medians) - min(medians) > 0.3
        says = "Its channels have little to do with each other" + (" and differ in brightness." if apart else ".")
        colour = 0.12 if apart else 0.55
        yield (
            "pixels.channels-apart",
            says,
            {ENCODED: colour, LINEAR: colour, LOG: 0.05, NUMBERS: 0.1, PACKED: 1.0, VECTORS: 1.0},
        )
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
        yield (
            "pixels.few-colours",
            says,
            {NUMBERS: 1.0, ENCODED: 0.06, LINEAR: 0.06, LOG: 0.01, NORMALS: 0.02, PACKED: 0.3},
        )


def _range_of_floats(stats: Stats, *, is_grey: bool) -> Iterator[Piece]:
    lowest = min((value for value in stats.min if value is not None), default=0.0)
    if stats.below_zero > 0.02:
        says = f"{stats.below_zero:.0%} of it is negative, down to {lowest:.3g}, as light is not."
        yield "pixels.negative", says, {ENCODED: 0.01, LINEAR: 0.05, LOG: 0.01, PACKED: 0.02}
    elif stats.below_zero > 0:
        says = f"{stats.below_zero:.2%} of it is a little negative, as colours outside a gamut are."
        yield "pixels.negative", says, {ENCODED: 0.1, LOG: 0.2, PACKED: 0.1, NORMALS: 0.3, NUMBERS: 0.6}
    if stats.above_one > 0:
        says = f"{stats.above_one:.2%} of it is above 1, as light is."
        numbers = 0.9 if is_grey else 0.35
        others = {ENCODED: 0.02, LOG: 0.05, PACKED: 0.03, NORMALS: 0.1, NUMBERS: numbers, VECTORS: 0.6}
        yield "pixels.above-one", says, others
    elif stats.below_zero == 0:
        says = "All of it lies between 0 and 1."
        yield "pixels.within-one", says, {LINEAR: 0.65, VECTORS: 0.2}


def _steps(header: Header, stats: Stats) -> Iterator[Piece]:
    """Steps of fewer bits than the file has: where they are even tells how its values were made."""
    if header.bit_depth == "8-bit" or header.format in ("JPEG", "HDR"):
        return
    if stats.linear_steps:
        says = f"Its values are steps of {stats.linear_steps} bits: a picture of so many bits, saved as it was."
        yield "pixels.steps", says, {LINEAR: 0.02, LOG: 0.1, NUMBERS: 0.4, NORMALS: 0.2, PACKED: 0.2, VECTORS: 0.05}
    elif stats.encoded_steps:
        says = f"Encoded again, its values are steps of {stats.encoded_steps} bits: it was decoded from such a picture."
        yield "pixels.decoded-steps", says, {ENCODED: 0.02, LOG: 0.02} | dict.fromkeys(DATA_SORTS, 0.02)


_MOSTLY_BLACK = 0.02
"""Median up to which a picture with light in it says nothing by its brightness: lamps on black, in any encoding."""
_DATA_OF_ANY_BRIGHTNESS = 0.7
"""How often data has the brightness of a picture, against the pictures that have it most."""


def _brightness(facts: Facts) -> Iterator[Piece]:
    """How bright and how lopsided a picture is: light of a scene or surface lies low, with few bright places, encoding
    spreads it evenly, and a log curve lifts its blacks."""
    header, stats = facts.header, facts.stats
    low, middle, high = (_mean(values) for values in (stats.low, stats.median, stats.high))
    if middle is None or stats.above_one > 0 or stats.below_zero > 0.02 or middle <= _MOSTLY_BLACK:
        return
    encoded, linear, packed = next(odds for limit, odds in _BY_MEDIAN if middle <= limit)
    if is_float(header):  # lamps and skies are bright all over, and floats hold light mostly
        linear = max(linear, 0.25)
    if is_flat(facts):  # one paint may be as dark or bright as it likes
        encoded, linear = math.sqrt(encoded), math.sqrt(linear)
    data = dict.fromkeys(DATA_SORTS, _DATA_OF_ANY_BRIGHTNESS)
    yield (
        "pixels.brightness",
        f"Half of it is brighter than {middle:.2f}; light lies low, around 0.2, and encoded colour around 0.5.",
        data | {ENCODED: encoded, LINEAR: linear, PACKED: packed * _DATA_OF_ANY_BRIGHTNESS, LOG: encoded * 0.8},
    )
    if is_flat(facts):
        return
    yield from _contrast(header, low or 0.0, high or 0.0)
    yield from _saturation(header, stats, low or 0.0)
    encoded, linear = _by_skew(stats)
    if encoded != linear:
        says = "Dark values crowd together, as in light." if linear > encoded else "Bright values crowd together."
        yield "pixels.spread", says, data | {ENCODED: encoded, LINEAR: linear, LOG: encoded * 0.8}


def _mean(values: tuple[float | None, ...]) -> float | None:
    """Of the colour channels; None where they hold no number."""
    found = [value for value in values[:3] if value is not None]
    return float(np.mean(found)) if found else None


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


def _contrast(header: Header, low: float, high: float) -> Iterator[Piece]:
    """Encoding halves the stops between dark and bright."""
    if high <= 0.02 or is_float(header):
        return
    stops = math.log2(high / max(low, 1e-3))
    encoded, linear = next(odds for limit, odds in _BY_STOPS if stops <= limit)
    if encoded != linear:
        says = f"There are {stops:.1f} stops between its dark and its bright places."
        data = dict.fromkeys(DATA_SORTS, _DATA_OF_ANY_BRIGHTNESS)
        yield "pixels.contrast", says, data | {ENCODED: encoded, LINEAR: linear, LOG: encoded * 0.8}


_RAISED_BLACK = 0.1
"""Code of the darkest places from which they may be a log curve's: those of the standards have black at 0.07 to
0.13."""


def _saturation(header: Header, stats: Stats, low: float) -> Iterator[Piece]:
    """Encoding pales colours, and a log curve more so, while it lifts the darkest places."""
    data = dict.fromkeys(DATA_SORTS, _DATA_OF_ANY_BRIGHTNESS)
    may_be_log = header.bit_depth != "8-bit" and not is_float(header)
    if 0 < stats.saturation < 0.15 and low >= _RAISED_BLACK and may_be_log:
        says = "Its colours are pale and its darkest places grey, as in a log curve, or in low contrast."
        yield "pixels.saturation", says, data | {LOG: 1.0, ENCODED: 0.25, LINEAR: 0.1}
    elif 0 < stats.saturation < 0.15 and not is_float(header):
        says = "Its colours are pale, as encoding makes them."
        yield "pixels.saturation", says, data | {ENCODED: 1.0, LINEAR: 0.5, LOG: 0.5}
    elif stats.saturation > 0.42:
        says = "Its colours are strong, as in light or in maps of their own."
        yield "pixels.saturation", says, {ENCODED: 0.5, LOG: 0.03}
    elif stats.saturation > 0.2:
        yield "pixels.saturation", "Its colours are too strong for a log curve.", {LOG: 0.15}


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


def green_points_down(kind: KindMatch | None, stats: Stats) -> bool:
    """Whether a file is a normal map whose green points down the picture, as far as its pixels tell."""
    return kind is not None and kind.kind.key == "normal" and stats.green > GREEN_TOLD


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
