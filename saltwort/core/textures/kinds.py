"""Map kinds: what a texture holds, told by a word in its file name.

A name is cut into words at separators, digits and changes of case, so that `abnormal_wall_diffuse` holds no word
`normal`. The word that stands last decides, since artists end a name with the map: `lamp_metal_basecolor` is a base
colour. `deciding_regex` writes the same decision as a regular expression that OCIO file rules can hold.
"""

import re
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

from saltwort.core.errors import BadInput

COLOUR, DATA, LIGHT = "colour", "data", "light"


@dataclass(frozen=True)
class MapKind:
    """A kind of map: `group` says whether its numbers are colour, plain data or light."""

    key: str
    label: str
    group: str


MAP_KINDS = {
    kind.key: kind
    for kind in (
        MapKind("base_colour", "base colour", COLOUR),
        MapKind("specular_colour", "specular colour", COLOUR),
        MapKind("transmission", "transmission", COLOUR),
        MapKind("subsurface", "subsurface colour", COLOUR),
        MapKind("emission", "emission", COLOUR),
        MapKind("roughness", "roughness", DATA),
        MapKind("metalness", "metalness", DATA),
        MapKind("normal", "normal", DATA),
        MapKind("displacement", "displacement", DATA),
        MapKind("occlusion", "occlusion", DATA),
        MapKind("mask", "mask", DATA),
        MapKind("opacity", "opacity", DATA),
        MapKind("curvature", "curvature", DATA),
        MapKind("vectors", "vectors", DATA),
        MapKind("packed", "packed maps", DATA),
        MapKind("environment", "environment", LIGHT),
        MapKind("backplate", "backplate", LIGHT),
    )
}

_OCCLUSION, _ROUGHNESS, _METALNESS = "occlusion", "roughness", "metalness"
PACKED_WORDS = {
    "orm": (_OCCLUSION, _ROUGHNESS, _METALNESS),
    "arm": (_OCCLUSION, _ROUGHNESS, _METALNESS),
    "aorm": (_OCCLUSION, _ROUGHNESS, _METALNESS),
    "rma": (_ROUGHNESS, _METALNESS, _OCCLUSION),
    "rmao": (_ROUGHNESS, _METALNESS, _OCCLUSION),
    "rmo": (_ROUGHNESS, _METALNESS, _OCCLUSION),
    "mra": (_METALNESS, _ROUGHNESS, _OCCLUSION),
    "mrao": (_METALNESS, _ROUGHNESS, _OCCLUSION),
    "mro": (_METALNESS, _ROUGHNESS, _OCCLUSION),
    "ord": (_OCCLUSION, _ROUGHNESS, "displacement"),
    "orh": (_OCCLUSION, _ROUGHNESS, "displacement"),
    "packed": (),
}
"""Words for maps that hold another map in each channel, with what red, green and blue hold where the letters of the
word say it."""

KindWords = tuple[tuple[str, str], ...]
"""Pairs of a word as found in file names, in lower case with a space where it may be split, and a map kind's key."""

DEFAULT_KIND_WORDS: KindWords = tuple(
    (word, kind)
    for kind, words in {
        "base_colour": "base color, base colour, albedo, diffuse, diff, dif, col, color, colour",
        "specular_colour": "specular color, specular colour, spec color, spec colour, specular, spec",
        "transmission": "transmission, transmission color, transmission colour",
        "subsurface": "subsurface, subsurface color, subsurface colour, sss",
        "emission": "emission, emissive, emission color, emission colour, emis",
        "roughness": "roughness, rough, rgh, gloss, glossiness, smoothness",
        "metalness": "metalness, metallic, metal, mtl",
        "normal": "normal, normals, nrm, nor, norm",
        "displacement": "displacement, disp, height, bump",
        "occlusion": "occlusion, ao, cavity, cav",
        "mask": "mask, id, idmap, matid, thickness",
        "opacity": "opacity, alpha",
        "curvature": "curvature, curv",
        "vectors": "position, pos, flow, flowmap, velocity, vdm",
        "packed": ", ".join(PACKED_WORDS),
        "environment": "environment, env, hdri, sky",
        "backplate": "backplate, plate",
    }.items()
    for word in words.split(", ")
)


MAX_WORDS = 300
_WORD = re.compile(r"[a-z]{1,30}( [a-z]{1,30}){0,3}")


def check_kind_words(words: KindWords) -> None:
    """Raise BadInput for words that no file name can hold, that stand for two kinds, or are too many."""
    if len(words) > MAX_WORDS:
        raise BadInput(f"A project has up to {MAX_WORDS} map words; here are {len(words)}.")
    kinds: dict[str, str] = {}
    for word, kind in words:
        if kind not in MAP_KINDS:
            raise BadInput(f"There is no map kind “{kind}”.")
        if not _WORD.fullmatch(word):
            raise BadInput(
                f"“{word}” is no map word. Write small letters a to z, with a space where a name may be split."
            )
        if kinds.setdefault(word, kind) != kind:
            raise BadInput(f"“{word}” stands for {MAP_KINDS[kinds[word]].label} already; a word says one thing.")


_TOKENS = re.compile(r"[A-Z]+(?![a-z])|[A-Z][a-z]+|[a-z]+|[0-9]+")


_DIGITS = re.compile(r"[0-9]+")


@dataclass(frozen=True)
class KindMatch:
    """The map kind that a file name tells, and the word that decided; without a word, somebody has set it by hand."""

    kind: MapKind
    word: str

    @property
    def told(self) -> str:
        """By what the kind is known, as the beginning of a sentence."""
        return (
            f"“{self.word}” in the name says {self.kind.label}"
            if self.word
            else f"It is {self.kind.label}, set by hand"
        )

    @property
    def channels(self) -> tuple[str, ...]:
        """What each channel of a packed map holds, as far as the word says it; empty for others."""
        return PACKED_WORDS.get(self.word, ()) if self.kind.key == "packed" else ()


WordsByLastPiece = dict[str, list[tuple[tuple[str, ...], KindMatch]]]


def map_kind_of(path: str, words: KindWords = DEFAULT_KIND_WORDS) -> KindMatch | None:
    """The map kind told by the file name at the end of `path`, or None when no word tells one."""
    return kind_finder(words)(path)


@lru_cache(maxsize=64)
def kind_finder(words: KindWords) -> Callable[[str], KindMatch | None]:
    """`map_kind_of` for these words, to be asked for many paths."""
    by_last_piece = _by_last_piece(words)

    @lru_cache(maxsize=1 << 12)
    def kind_of(name: str) -> KindMatch | None:
        found = _deciding_word(_TOKENS.findall(name), by_last_piece)
        return found[0] if found else None

    # Words hold no digits, so the frames and tiles of a sequence are all one name.
    return lambda path: kind_of(_DIGITS.sub("0", path.replace("\\", "/").rpartition("/")[2]))


@dataclass(frozen=True)
class Letter:
    """A single letter at the end of a file name, as it is written there, and the kinds that it is used for."""

    written: str
    kinds: tuple[str, ...]


_LETTERS = {
    "n": ("normal",),
    "d": ("base_colour", "displacement"),
    "r": (_ROUGHNESS,),
    "m": (_METALNESS, "mask"),
    "h": ("displacement",),
    "s": ("specular_colour", _ROUGHNESS),
}
_LETTER_AT_END = re.compile(r"(?<=[a-z0-9])[_.-]([ndrmhs])(?:[._-][0-9]+k?)*$", re.IGNORECASE)


def letter_at_end(path: str) -> Letter | None:
    """The letter that ends a file name, before a tile, frame or size, where letters are used for map kinds: `_N`, `_R`.
    It is a hint, and no word: `_R` also stands for right, and `_M` for medium."""
    stem = path.replace("\\", "/").rpartition("/")[2].rpartition(".")[0]
    found = _LETTER_AT_END.search(stem)
    return Letter(f"_{found[1]}", _LETTERS[found[1].lower()]) if found else None


def map_word_span(name: str, words: KindWords) -> tuple[int, int] | None:
    """Where in a file name the word stands that tells its map kind, as (first, behind last)."""
    tokens = list(_TOKENS.finditer(name))
    found = _deciding_word([token[0] for token in tokens], _by_last_piece(words))
    return (tokens[found[1]].start(), tokens[found[2] - 1].end()) if found else None


def _deciding_word(tokens: list[str], by_last_piece: WordsByLastPiece) -> tuple[KindMatch, int, int] | None:
    """The last word among tokens that tells a kind, and the tokens it is made of, as (first, behind last)."""
    for position in range(len(tokens) - 1, -1, -1):
        for pieces, match in by_last_piece.get(tokens[position].lower(), ()):
            start = position + 1 - len(pieces)
            if start >= 0 and tuple(token.lower() for token in tokens[start : position + 1]) == pieces:
                return match, start, position + 1
    return None


@lru_cache(maxsize=64)
def _by_last_piece(words: KindWords) -> WordsByLastPiece:
    """The ways in which the words may be cut by their spelling, under the piece that comes last, longest first."""
    found: dict[str, list[tuple[tuple[str, ...], KindMatch]]] = defaultdict(list)
    for word, kind in words:
        for pieces in _cuts(word):
            found[pieces[-1]].append((pieces, KindMatch(MAP_KINDS[kind], word)))
    return {last: sorted(cuts, key=lambda cut: -len(cut[0])) for last, cuts in found.items()}


def _cuts(word: str) -> list[tuple[str, ...]]:
    """The ways to join the parts of `base color`: (`base`, `color`) and (`basecolor`,)."""
    parts = word.split()
    gaps = range(1, len(parts))
    return [
        tuple("".join(parts[start:end]) for start, end in zip((0, *cut), (*cut, len(parts)), strict=True))
        for size in range(len(parts))
        for cut in combinations(gaps, size)
    ]


# The expression below runs in the engine, whose dialect (ECMAScript, on bytes) has no look-behind. What must stand
# to the left of a word is therefore consumed, and depends on how the word is written: `ao` may follow anything but a
# letter, `AO` anything but a capital, `Ao` anything.

_BEFORE_LOWER = r"(?:[^/\\]*[^A-Za-z/\\])?"
_BEFORE_TITLE = r"[^/\\]*"
_BEFORE_UPPER = r"(?:[^/\\]*[^A-Z/\\])?"
_LATER_LOWER = r"[^/\\]*[^A-Za-z/\\]"
_AFTER_LOWER = r"(?![a-z])"
_AFTER_UPPER = r"(?![a-z])(?![A-Z](?![a-z]))"
_BETWEEN = r"[^A-Za-z0-9/\\]+"


@lru_cache(maxsize=64)
def deciding_regex(kinds: Collection[str], words: KindWords = DEFAULT_KIND_WORDS) -> str:
    """An ECMAScript expression that matches a whole path exactly when `map_kind_of` gives one of `kinds`.

    `kinds` must be hashable (a tuple or frozenset of map-kind keys) and have at least one word in `words`.
    """
    wanted = [word for word, kind in words if kind in kinds]
    others = [word for word, kind in words if kind not in kinds]
    longer = [other for other in others if any(_holds(other, word) for word in wanted)]
    guard = f"(?!{_deciding(longer, wanted)})" if longer else ""
    return rf"(?:.*[/\\])?{guard}{_deciding(wanted, others)}[^/\\]*"


def _holds(longer: str, shorter: str) -> bool:
    return longer != shorter and f" {shorter} " in f" {longer} "


def _deciding(wanted: list[str], others: list[str]) -> str:
    """Somewhere in a file name one of `wanted`, and after it none of `others`."""
    later = f"(?!{_any_of(others, _LATER_LOWER)})" if others else ""
    return _any_of(wanted, _BEFORE_LOWER) + later


def _any_of(words: list[str], before_lower: str) -> str:
    """One of the words, in any of its spellings, with what must stand to its left and right."""
    cuts = {cut for word in words for cut in _cuts(word)}
    return (
        f"(?:{before_lower}{_spelt(cuts, str.lower)}"
        f"|{_BEFORE_TITLE}{_spelt(cuts, str.title)}"
        f"|{_BEFORE_UPPER}{_spelt(cuts, str.upper)})"
    )


def _spelt(cuts: Collection[tuple[str, ...]], case: Callable[[str], str]) -> str:
    """The cut words, the first piece of each in one case. Words that go on alike share what follows: the engine
    compiles the expression at every lookup, and a bracket costs it far more than a letter."""
    following: dict[str, set[tuple[str, ...]]] = defaultdict(set)
    for first, *rest in cuts:
        following[first].add(tuple(rest))
    shared: dict[frozenset[tuple[str, ...]], list[str]] = defaultdict(list)
    for first, rests in following.items():
        if () in rests:
            shared[frozenset([()])].append(case(first))
        if rests - {()}:
            shared[frozenset(rests - {()})].append(case(first))
    after = _AFTER_UPPER if case is str.upper else _AFTER_LOWER
    return _one_of(
        _one_of(sorted(firsts)) + (after if rests == {()} else _next_piece(rests, case))
        for rests, firsts in sorted(shared.items(), key=lambda item: sorted(item[0]))
    )


def _next_piece(cuts: Collection[tuple[str, ...]], case: Callable[[str], str]) -> str:
    """The pieces after the first: set apart in any case, or joined on by a change of case."""
    spellings = {form: _spelt(cuts, form) for form in (str.lower, str.title, str.upper)}
    joined = [spellings[str.title]] if case is str.upper else [spellings[str.title], spellings[str.upper]]
    return _one_of([_BETWEEN + _one_of(spellings.values()), *joined])


def _one_of(expressions: Iterable[str]) -> str:
    listed = list(expressions)
    return listed[0] if len(listed) == 1 else f"(?:{'|'.join(listed)})"
