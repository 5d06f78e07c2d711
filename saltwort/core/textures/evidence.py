"""Evidence: what a file itself says of the space its numbers are in, and the verdict that follows.

A file holds one of seven things (`HOLDS`): encoded colour, light, colour in a log curve, or one of four sorts of plain
numbers. Each piece of
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
from saltwort.core.images import Facts, Header
from saltwort.core.spaces.gamuts import Matrix
from saltwort.core.textures.declared import Declaration, declared
from saltwort.core.textures.kinds import DATA, LIGHT, MAP_KINDS, KindMatch, Letter, MapKind, letter_at_end
from saltwort.core.textures.pixel_evidence import (
    COLOUR_SORTS,
    DATA_SORTS,
    ENCODED,
    HOLDS,
    LINEAR,
    LOG,
    NORMALS,
    NUMBERS,
    PACKED,
    SORT_LABELS,
    VECTORS,
    Likelihoods,
    Piece,
    from_format,
    from_pixels,
    is_float,
)
from saltwort.core.textures.rules import PATH_SEARCH_RULE, RuleBook

SAME_MATRIX = 5e-3
"""Between matrices to AP0; the usual gamuts differ by 0.01 and more."""
CONFIDENT = 0.6
"""Probability from which a verdict is worth acting on; below, it is undecided."""

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
_GROUPS: tuple[tuple[str, ...], ...] = ((ENCODED,), (LINEAR,), (LOG,), DATA_SORTS)

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
    primaries_are_assumed: bool = False
    """Linear light of which nothing tells the primaries: the confidence is that of its being linear alone."""

    @property
    def is_sure(self) -> bool:
        return self.space is not None


NO_OPINION = Verdict(None, 0.0)


def evidence_for(config: ocio.Config, path: str, kind: KindMatch | None, facts: Facts) -> list[Evidence]:
    """All that speaks for a space, the heaviest first."""
    said, named = declared(config, facts.header), named_space(config, path)
    spaces = _spaces_for(config, facts.header, said, named)
    pieces = [
        *from_format(facts),
        *_from_declaration(config, said),
        *_from_name(config, path, named, kind, facts.header),
        *from_pixels(facts),
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
    if not any(piece.favours == best.space for piece in evidence):
        # What no piece says is not claimed, however much is spoken against all else.
        return Verdict(None, UNSAID, "", tuple(candidates[:2]), _question(candidates[0], candidates[1]))
    if best.space is None:
        return Verdict(None, best.probability, SORT_LABELS[best.holds], (best,), "The config has no space for it.")
    is_told = any(piece.code.startswith(TELL_PRIMARIES) for piece in evidence)
    if best.holds == LOG and not is_told:
        of_this_curve = best.probability * _OF_THE_USUAL_CURVE
        return Verdict(None, of_this_curve, "", tuple(candidates[:2]), "Which log curve is it? Ask whoever made it.")
    assumed = best.holds == LINEAR and not is_told
    return Verdict(best.space, best.probability, SORT_LABELS[best.holds], primaries_are_assumed=assumed)


TELL_PRIMARIES = ("header.", "name.space")
"""Codes of evidence that tells which primaries a file has, and which log curve."""
UNSAID = 0.59
"""Confidence in what only follows from what it is not."""
_OF_THE_USUAL_CURVE = 0.5
"""How often a file in a log curve has the one that its config uses for it."""


def best_colour(evidence: Sequence[Evidence]) -> str | None:
    """The space that a file most likely has when it is known to be no data."""
    candidates = _candidates(evidence, (ENCODED, LINEAR, LOG))
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
    if LOG in (one.holds, other.holds):
        return "Was it saved with a log curve, as by a camera or a film scanner? The file cannot tell; ask its maker."
    if numbers is None:
        return (
            "Was it saved with the curve of a screen, or as linear light? Read wrongly, it is far too dark or too pale."
        )
    return f"Does it show colour, or hold {SORT_LABELS[numbers]}? The file cannot tell; ask whoever made it."


# How often a header that speaks of colour stands in a file of data, against one of colour.
_BY_HABIT = {
    "header.interop-id": 0.03,
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
    if said.meaning is None and said.space is None:
        return  # it declares something that nobody here knows; `declared` has it told
    sort = _declared_sort(config, said)
    if sort == NUMBERS:
        yield said.code, said.says, dict.fromkeys(COLOUR_SORTS, off) | dict.fromkeys(DATA_SORTS, 1.0)
    else:
        data = dict.fromkeys(DATA_SORTS, _BY_HABIT.get(said.code, 0.08))
        yield said.code, said.says, dict.fromkeys(COLOUR_SORTS, off / 2) | data | {sort: 1.0}


def _declared_sort(config: ocio.Config, said: Declaration) -> str:
    if said.meaning is not None:
        return LINEAR if said.is_linear else ENCODED
    return sort_of_space(config, str(said.space))


def sort_of_space(config: ocio.Config, name: str) -> str:
    """What a file in a space of the config holds: ENCODED, LINEAR, LOG, or NUMBERS for data."""
    space = config.getColorSpace(name)
    if space.isData():
        return NUMBERS
    if holds_light(config, name):
        return LINEAR
    return LOG if space.getEncoding() == "log" else ENCODED


def _from_name(
    config: ocio.Config, path: str, named: str | None, kind: KindMatch | None, header: Header
) -> Iterator[Piece]:
    if named:
        sort = sort_of_space(config, named)
        if sort == NUMBERS:
            likelihoods = dict.fromkeys(COLOUR_SORTS, 0.05) | dict.fromkeys(DATA_SORTS, 1.0)
        else:
            likelihoods = dict.fromkeys(COLOUR_SORTS, 0.03) | dict.fromkeys(DATA_SORTS, 0.2) | {sort: 1.0}
        yield "name.space", f"Its path names {named}.", likelihoods
    elif word := _word_of_curve(path):
        likelihoods = dict.fromkeys(COLOUR_SORTS, 0.05) | dict.fromkeys(DATA_SORTS, 0.3)
        yield "name.curve", f"“{word}” stands in its name.", likelihoods | {_SORT_OF_WORD[word]: 1.0}
    if kind is not None:
        yield "name.kind", f"{kind.told}.", _of_kind(kind, header)
    elif letter := letter_at_end(path):
        labels = " or ".join(MAP_KINDS[key].label for key in letter.kinds)
        yield "name.letter", f"“{letter.written}” at the end of its name may mean {labels}.", _of_letter(letter)


_SORT_OF_WORD = {
    "linear": LINEAR, "lin": LINEAR, "srgb": ENCODED, "gamma": ENCODED, "encoded": ENCODED, "log": LOG
}  # fmt: skip


def _word_of_curve(path: str) -> str | None:
    """A word in a file name that tells how it was saved, and no space."""
    name = path.replace("\\", "/").rpartition("/")[2].lower()
    words = re.split(r"[^a-z]+", name)
    return next((word for word in _SORT_OF_WORD if word in words), None)


def _of_letter(letter: Letter) -> Likelihoods:
    """A letter stands for other things as well, so no sort is ruled out."""
    kinds = [MAP_KINDS[key] for key in letter.kinds]
    sorts = {sort for kind in kinds for sort in _sorts_of(kind)}
    return {sort: 1.0 if sort in sorts else 0.25 for sort in HOLDS}


def _sorts_of(kind: MapKind) -> tuple[str, ...]:
    return (_SORT_OF_KIND.get(kind.key, NUMBERS),) if kind.group == DATA else COLOUR_SORTS


_SORT_OF_KIND = {"normal": NORMALS, "packed": PACKED, "vectors": VECTORS}
_SHORT_WORD = 3
"""Letters up to which a word may stand for something else: an arm, an id."""


def _of_kind(kind: KindMatch, header: Header) -> Likelihoods:
    if kind.kind.group == DATA:
        own = _SORT_OF_KIND.get(kind.kind.key, NUMBERS)
        against = 0.04 if 0 < len(kind.word) <= _SHORT_WORD else 0.005
        return dict.fromkeys(DATA_SORTS, 0.3) | dict.fromkeys(COLOUR_SORTS, against) | {own: 1.0}
    is_often_grey = kind.kind.key in ("specular_colour", "transmission", "subsurface")
    numbers = 0.05 if is_often_grey else 0.02 if 0 < len(kind.word) <= _SHORT_WORD else 0.005
    # Integers with light in them mostly say so in their name; 8 bits are too few for it.
    light = 1.0 if is_float(header) else 0.2 if header.bit_depth == "8-bit" else 0.5
    likelihoods = dict.fromkeys(DATA_SORTS, numbers) | {ENCODED: 1.0, LINEAR: light, LOG: 0.2}
    if is_float(header) and (kind.kind.group == LIGHT or kind.kind.key == "emission"):
        likelihoods[ENCODED] = 0.15  # what gives light is saved as light, where a file can hold it
    return likelihoods


@dataclass(frozen=True)
class _Known:
    """What a config's spaces are, for many files: its data space, the one it uses for log curves, and its linear ones
    with their matrix to AP0."""

    data: str | None
    log: str | None
    linear: dict[str, Matrix | None]
    path_search: RuleBook


# Found by sending colours through the engine, which takes a moment; configs in use never change.
_known_of: WeakKeyDictionary[ocio.Config, _Known] = WeakKeyDictionary()


def _known(config: ocio.Config) -> _Known:
    if config not in _known_of:
        _known_of[config] = _Known(
            data=next((space.getName() for space in config.getColorSpaces() if space.isData()), None),
            log=_log_space(config),
            linear={name: linear_to_ap0(config, name) for name in describe(config).working_spaces},
            path_search=RuleBook(config, (PATH_SEARCH_RULE,), ""),
        )
    return _known_of[config]


def _log_space(config: ocio.Config) -> str | None:
    """The space of the role for compositing in a log curve, else the first one that is declared to be one."""
    if config.hasRole(ocio.ROLE_COMPOSITING_LOG):
        return str(config.getColorSpace(ocio.ROLE_COMPOSITING_LOG).getName())
    return next((space.getName() for space in config.getColorSpaces() if space.getEncoding() == "log"), None)


def _spaces_for(config: ocio.Config, header: Header, said: Declaration | None, named: str | None) -> Spaces:
    """The spaces that header or name say, where they are of that sort; else those that files without a word are in:
    the working space, Rec.709 for HDR, which has no better way to say, sRGB, and the config's space for a log curve.
    What the header declares and the config lacks has no space."""
    told = {
        ENCODED: _space(config, ENCODED_SRGB),
        LINEAR: _space(config, LINEAR_REC709 if header.format == "HDR" else ocio.ROLE_SCENE_LINEAR),
        LOG: _known(config).log,
    }
    if named:
        told[sort_of_space(config, named)] = named
    if said and (said.meaning is not None or said.space):
        told[_declared_sort(config, said)] = said.space
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
