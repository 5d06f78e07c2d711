"""Evidence: what a file itself says of the space its numbers are in, and the verdict that follows.

A file holds one of six things (`HOLDS`): encoded colour, light, or one of four sorts of plain numbers. Each piece of
evidence says how likely it is to be seen in a file of each sort; by Bayes' rule, pieces multiplied and normed give the
probability of each. The first piece is what is usual for the format. The figures were set on pictures made at random
(`tests/core/made_textures.py`), where `tests/core/test_calibration.py` holds that probabilities come true. A verdict
never overrides a rule by itself, and below CONFIDENT it is undecided.
"""

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from weakref import WeakKeyDictionary

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.additions import undone_view
from saltwort.core.configs.describe import describe
from saltwort.core.engine.measured import linear_to_ap0
from saltwort.core.images import Facts, Header, Stats
from saltwort.core.images.channels import colour_channels
from saltwort.core.spaces.gamuts import Matrix
from saltwort.core.textures.declared import FLOATS, Declaration, declared
from saltwort.core.textures.kinds import DATA, LIGHT, KindMatch
from saltwort.core.textures.rules import PATH_SEARCH_RULE, RuleBook

UNIT_VECTORS = 0.95
"""Share of unit vectors from which a picture is taken for a normal map."""
SAME_MATRIX = 5e-3
"""Between matrices to AP0; the usual gamuts differ by 0.01 and more."""
CONFIDENT = 0.6
"""Probability from which a verdict is worth acting on; below, it is undecided."""

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

MOST_CERTAIN = 0.99
"""No file is surer than that: whoever made it may have made a mistake."""
CALIBRATION = (
    (0.33, 0.36),
    (0.4, 0.5),
    (0.45, 0.57),
    (0.57, 0.599),
    (0.6, 0.7),
    (0.65, 0.82),
    (0.7, 0.89),
    (0.75, 0.94),
    (0.86, 0.975),
    (0.96, 0.985),
    (1.0, 1.0),
)
"""From a probability as the pieces give it to how often it came true. Their figures leave room for what has not been
seen, so that many which agree say less than they should."""
_GROUPS: tuple[tuple[str, ...], ...] = ((ENCODED,), (LINEAR,), DATA_SORTS)

# Interop IDs by which configs of many makers know the usual spaces.
ENCODED_SRGB, LINEAR_REC709 = "srgb_rec709_scene", "lin_rec709_scene"
_ALSO_KNOWN_AS = {
    ENCODED_SRGB: ("srgb_texture", "srgb_tx"),
    LINEAR_REC709: ("lin_rec709", "lin_srgb"),
}


Spaces = Mapping[str, str | None]
"""The space of the config in which a file of each sort is read; None where the config has none."""


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks: what it says, and for which space of the config; where it leaves more than one as likely,
    `against` what. `weight` is 0 where it leaves the odds as they are, and towards 1 the rarer it is to be seen in a
    file of another space, or of what it speaks against. `likelihoods` are the figures behind it, `spaces` what each
    sort is read in."""

    code: str
    says: str
    favours: str
    weight: float
    against: str = ""
    likelihoods: Likelihoods = field(default_factory=dict)
    spaces: Spaces = field(default_factory=dict)


@dataclass(frozen=True)
class Candidate:
    """What a file may be: the space for it, None where the config has none, what the file would hold, and how probable
    that is, 0–1."""

    space: str | None
    holds: str
    probability: float

    @property
    def holds_in_words(self) -> str:
        return SORT_LABELS[self.holds]


@dataclass(frozen=True)
class Verdict:
    """The space that a file speaks for, and how probable that is, 0–1. Where that is below CONFIDENT, or nobody can
    tell, `space` is None; `candidates` are then the two likeliest, and `question` is what would settle it. `holds` is
    what the file likely holds, in words."""

    space: str | None
    confidence: float
    holds: str = ""
    candidates: tuple[Candidate, ...] = ()
    question: str = ""

    @property
    def is_sure(self) -> bool:
        return self.space is not None


NO_OPINION = Verdict(None, 0.0)


def evidence_for(config: ocio.Config, path: str, kind: KindMatch | None, facts: Facts) -> list[Evidence]:
    """All that speaks for a space, the heaviest first."""
    said, named = declared(config, facts.header), named_space(config, path)
    spaces = _spaces_for(config, facts.header, said, named)
    pieces = [
        *_from_format(facts),
        *_from_declaration(config, said),
        *_from_name(config, path, named, kind, facts.header),
        *_from_pixels(facts, kind),
    ]
    found = []
    for code, says, likelihoods in pieces:
        best, weight = _favoured(likelihoods)
        favours, against = spaces[best] or "", ""
        if weight < LEAST_WEIGHT:
            worst, weight = _least(likelihoods)
            favours, against = "", _SHORT_LABELS.get(worst) or spaces[worst] or SORT_LABELS[worst]
        found.append(Evidence(code, says, favours, weight, against, likelihoods, spaces))
    return sorted(found, key=lambda piece: -piece.weight)


Piece = tuple[str, str, Likelihoods]
LEAST_WEIGHT = 0.05
"""Below which a piece does not speak for one space against all others."""
_SHORT_LABELS = {NUMBERS: "numbers", NORMALS: "normals", PACKED: "packed maps", VECTORS: "positions"}


def _favoured(likelihoods: Likelihoods) -> tuple[str, float]:
    """The sort that a piece speaks for most, and how much it does so against the files of any other space."""
    of = {sort: likelihoods.get(sort, 1.0) for sort in HOLDS}
    best = max(of, key=lambda sort: of[sort])
    group = DATA_SORTS if best in DATA_SORTS else (best,)
    others = max(of[sort] for sort in HOLDS if sort not in group)
    return best, round(1 - others / of[best], 3)


def _least(likelihoods: Likelihoods) -> tuple[str, float]:
    """The sort that a piece speaks against most, and how much."""
    of = {sort: likelihoods.get(sort, 1.0) for sort in HOLDS}
    worst = min(of, key=lambda sort: of[sort])
    return worst, round(1 - of[worst] / max(of.values()), 3)


def verdict_of(evidence: Sequence[Evidence]) -> Verdict:
    """What follows from pieces of evidence; no opinion where nothing speaks."""
    candidates = _candidates(evidence, HOLDS)
    if not candidates:
        return NO_OPINION
    best = candidates[0]
    if best.probability < CONFIDENT:
        return Verdict(None, best.probability, "", tuple(candidates[:2]), _question(candidates[0], candidates[1]))
    if best.space is None:
        return Verdict(None, best.probability, SORT_LABELS[best.holds], (best,), "The config has no space for it.")
    return Verdict(best.space, best.probability, SORT_LABELS[best.holds])


def best_colour(evidence: Sequence[Evidence]) -> str | None:
    """The space that a file most likely has when it is known to be no data."""
    candidates = _candidates(evidence, (ENCODED, LINEAR))
    return candidates[0].space if candidates else None


def _candidates(evidence: Sequence[Evidence], among: Sequence[str]) -> list[Candidate]:
    """What a file may be, by space, the likeliest first, with probabilities that add up to 1."""
    odds = {sort: math.prod(piece.likelihoods.get(sort, 1.0) for piece in evidence) * (sort in among) for sort in HOLDS}
    total = sum(odds.values())
    if not evidence or total <= 0:
        return []
    shares = {sorts: sum(odds[sort] for sort in sorts) / total for sorts in _GROUPS}
    first = max(shares.values())
    said, true = np.array(CALIBRATION).T
    best = min(float(np.interp(first, said, true)), MOST_CERTAIN)
    found = []
    for sorts, share in shares.items():
        likeliest = max(sorts, key=lambda sort: odds[sort])
        probability = best if share == first else share * (1 - best) / max(1 - first, 1e-9)
        found.append(Candidate(evidence[0].spaces.get(likeliest), likeliest, round(probability, 3)))
    return sorted(found, key=lambda candidate: -candidate.probability)


def _question(one: Candidate, other: Candidate) -> str:
    """What would settle a file between two candidates."""
    numbers = next((candidate.holds for candidate in (one, other) if candidate.holds in DATA_SORTS), None)
    if numbers is None:
        return (
            "Was it saved with the curve of a screen, or as linear light? Read wrongly, it is far too dark or too pale."
        )
    return f"Does it show colour, or hold {SORT_LABELS[numbers]}? The file cannot tell; ask whoever made it."


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


def _from_format(facts: Facts) -> Iterator[Piece]:
    header = facts.header
    depth = header.bit_depth[:1].upper() + header.bit_depth[1:]
    if header.format == "HDR":
        yield "format", "HDR files hold light.", _HDR
    elif _is_pair(header):
        yield "format", f"{depth} {header.format} with two channels that are no grey with alpha.", _TWO_CHANNELS
    elif _is_grey(facts):
        usual = {"JPEG": _GREY_JPEG}.get(header.format) or (
            _GREY_FLOAT if _is_float(header) else _GREY_16 if header.bit_depth == "16-bit" else _GREY_8
        )
        what = "one channel" if _is_single(header) else "red, green and blue alike"
        yield "format", f"{depth} {header.format}, {what}: most such files hold numbers, not colour.", usual
    else:
        usual = {"JPEG": _COLOUR_JPEG}.get(header.format) or (
            _COLOUR_FLOAT if _is_float(header) else _COLOUR_8 if header.bit_depth == "8-bit" else _COLOUR_16
        )
        what = "light" if _is_float(header) else "encoded colour"
        yield "format", f"{depth} {header.format} in colour: most such files hold {what}.", usual


def _is_float(header: Header) -> bool:
    return header.bit_depth in FLOATS or header.format == "HDR"


def _is_single(header: Header) -> bool:
    return len(set(colour_channels(header.channel_names))) == 1 and not _is_pair(header)


def _is_pair(header: Header) -> bool:
    return header.channels == 2 and not header.alpha and header.channel_names[:1] != ("Y",)


def _is_grey(facts: Facts) -> bool:
    return facts.stats.equal_channels or _is_single(facts.header)


# How often a header that speaks of colour stands in a file of data, against one of colour.
_BY_HABIT = {
    "header.interop-id": 0.02,
    "header.chromaticities": 0.1,
    "header.srgb": 0.2,
    "header.exif": 0.2,
    "header.gamma": 0.2,
}


def _from_declaration(config: ocio.Config, said: Declaration | None) -> Iterator[Piece]:
    """What the header declares. Tools write the same header into every map, so it says little against data."""
    if said is None:
        return
    off = 1 - said.trust
    space = config.getColorSpace(said.space) if said.space else None
    if space is not None and space.isData():
        likelihoods = dict.fromkeys(DATA_SORTS, 1.0) | {ENCODED: off, LINEAR: off}
    else:
        is_linear = said.is_linear if said.meaning else bool(space and holds_light(config, space.getName()))
        if said.meaning is None and space is None:
            return  # it declares something that nobody here knows; `declared` has it told
        best, worse = (LINEAR, ENCODED) if is_linear else (ENCODED, LINEAR)
        likelihoods = {best: 1.0, worse: off / 2} | dict.fromkeys(DATA_SORTS, _BY_HABIT.get(said.code, 0.08))
    yield said.code, said.says, likelihoods


def _from_name(
    config: ocio.Config, path: str, named: str | None, kind: KindMatch | None, header: Header
) -> Iterator[Piece]:
    if named:
        space = config.getColorSpace(named)
        if space.isData():
            likelihoods = dict.fromkeys(DATA_SORTS, 1.0) | {ENCODED: 0.05, LINEAR: 0.05}
        else:
            best, worse = (LINEAR, ENCODED) if holds_light(config, named) else (ENCODED, LINEAR)
            likelihoods = {best: 1.0, worse: 0.03} | dict.fromkeys(DATA_SORTS, 0.2)
        yield "name.space", f"Its path names {named}.", likelihoods
    elif word := _word_of_curve(path):
        best, worse = (ENCODED, LINEAR) if word in _ENCODED_WORDS else (LINEAR, ENCODED)
        yield "name.curve", f"“{word}” stands in its name.", {best: 1.0, worse: 0.05} | dict.fromkeys(DATA_SORTS, 0.3)
    if kind is not None:
        yield "name.kind", f"“{kind.word}” in its name says {kind.kind.label}.", _of_kind(kind, header)


_LINEAR_WORDS, _ENCODED_WORDS = ("linear", "lin"), ("srgb", "gamma", "encoded")


def _word_of_curve(path: str) -> str | None:
    """A word in a file name that tells how it was saved, and no space."""
    name = path.replace("\\", "/").rpartition("/")[2].lower()
    words = re.split(r"[^a-z]+", name)
    return next((word for word in (*_LINEAR_WORDS, *_ENCODED_WORDS) if word in words), None)


_SORT_OF_KIND = {"normal": NORMALS, "packed": PACKED, "vectors": VECTORS}
_SHORT_WORD = 3
"""Letters up to which a word may stand for something else: an arm, an id."""


def _of_kind(kind: KindMatch, header: Header) -> Likelihoods:
    if kind.kind.group == DATA:
        own = _SORT_OF_KIND.get(kind.kind.key, NUMBERS)
        against = 0.04 if len(kind.word) <= _SHORT_WORD else 0.005
        return dict.fromkeys(DATA_SORTS, 0.3) | {own: 1.0, ENCODED: against, LINEAR: against}
    is_often_grey = kind.kind.key in ("specular_colour", "transmission", "subsurface")
    numbers = 0.05 if is_often_grey else 0.02 if len(kind.word) <= _SHORT_WORD else 0.005
    # Integers with light in them mostly say so in their name; 8 bits are too few for it.
    light = 1.0 if _is_float(header) else 0.2 if header.bit_depth == "8-bit" else 0.5
    likelihoods = dict.fromkeys(DATA_SORTS, numbers) | {ENCODED: 1.0, LINEAR: light}
    if kind.kind.group == LIGHT:
        likelihoods[ENCODED] = 0.15 if _is_float(header) else 1.0
    return likelihoods


def _from_pixels(facts: Facts, kind: KindMatch | None) -> Iterator[Piece]:
    header, stats = facts.header, facts.stats
    if not _is_single(header) and not stats.equal_channels and not _is_pair(header):
        yield from _vectors(facts)
        yield from _packed(facts)
        if not is_flat(facts):
            yield from _few_colours(stats)
    if _is_float(header):
        yield from _range_of_floats(stats)
    yield from _steps(header, stats)
    if (stops := environment_stops(facts)) is not None and _is_float(header):
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


@dataclass(frozen=True)
class _Known:
    """What a config's spaces are, for many files: its data space, and its linear ones with their matrix to AP0."""

    data: str | None
    linear: dict[str, Matrix | None]
    path_search: RuleBook


# Found by sending colours through the engine, which takes a moment; configs in use never change.
_known_of: WeakKeyDictionary[ocio.Config, _Known] = WeakKeyDictionary()


def _known(config: ocio.Config) -> _Known:
    if config not in _known_of:
        _known_of[config] = _Known(
            data=next((space.getName() for space in config.getColorSpaces() if space.isData()), None),
            linear={name: linear_to_ap0(config, name) for name in describe(config).working_spaces},
            path_search=RuleBook(config, (PATH_SEARCH_RULE,), ""),
        )
    return _known_of[config]


def _spaces_for(config: ocio.Config, header: Header, said: Declaration | None, named: str | None) -> Spaces:
    """The spaces that header or name say, where they are of that sort; else those that files without a word are in: the
    working space, Rec.709 for HDR, which has no better way to say, and sRGB. What the header declares and the config
    lacks has no space."""
    told = {
        ENCODED: _space(config, ENCODED_SRGB),
        LINEAR: _space(config, LINEAR_REC709 if header.format == "HDR" else ocio.ROLE_SCENE_LINEAR),
    }
    if named and not config.getColorSpace(named).isData():
        told[LINEAR if holds_light(config, named) else ENCODED] = named
    if said and not (said.space and config.getColorSpace(said.space).isData()):
        if said.meaning is not None:
            told[LINEAR if said.is_linear else ENCODED] = said.space
        elif said.space:
            told[LINEAR if holds_light(config, said.space) else ENCODED] = said.space
    return told | dict.fromkeys(DATA_SORTS, data_space(config))


def holds_light(config: ocio.Config, space: str) -> bool:
    """Whether a space, by its own name, is scene-linear."""
    return space in _known(config).linear


def same_primaries(config: ocio.Config, first: str, second: str) -> bool:
    """Whether two scene-linear spaces have the same primaries, as far as can be told."""
    one, other = (_known(config).linear[name] for name in (first, second))
    return one is not None and other is not None and np.allclose(one, other, atol=SAME_MATRIX)


def named_space(config: ocio.Config, path: str) -> str | None:
    """The space whose name or alias stands in a path, as the config's own path search finds it."""
    return _known(config).path_search.assign(path).space or None


def decodes_a_display(config: ocio.Config, space: str) -> bool:
    """Whether a space holds what a display shows: by itself, or by undoing a view."""
    found = config.getColorSpace(space)
    if found is None:
        return False
    return found.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY or undone_view(found) is not None


def data_space(config: ocio.Config) -> str | None:
    """The config's space for plain numbers."""
    return _known(config).data


def _space(config: ocio.Config, name: str) -> str | None:
    for known in (name, *_ALSO_KNOWN_AS.get(name, ())):
        if space := config.getColorSpace(known):
            return str(space.getName())
    return None
