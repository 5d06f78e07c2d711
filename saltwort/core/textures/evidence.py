"""Evidence: what a file itself says of the space its numbers are in, and the verdict that follows.

Each piece favours one space, or a sort of space (encoded, linear, data), with a weight from 0 to 1: how often it is
right where it speaks. The verdict is the space for which most weight speaks. It never overrides a rule by itself.
"""

import math
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from weakref import WeakKeyDictionary

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.additions import undone_view
from saltwort.core.configs.describe import describe
from saltwort.core.configs.gamut import gamut_of
from saltwort.core.engine.measured import linear_to_ap0
from saltwort.core.images import Facts, Header
from saltwort.core.spaces.gamuts import Gamut, Matrix
from saltwort.core.textures.kinds import DATA, LIGHT, KindMatch
from saltwort.core.textures.rules import PATH_SEARCH_RULE, RuleBook

FLOATS = ("half", "float", "double")
UNIT_VECTORS = 0.95
"""Share of unit vectors from which a picture is taken for a normal map."""
SAME_MATRIX = 5e-3
"""Between matrices to AP0; the usual gamuts differ by 0.01 and more."""
SAME_XY = 2e-3
"""Chromaticities that differ by no more are the same, rounded."""
CONFIDENT = 0.6
"""Share of all weight above which a verdict is worth acting on."""

# Interop IDs by which configs of many makers know the usual spaces.
ENCODED_SRGB, LINEAR_REC709, LINEAR_REC2020 = "srgb_rec709_scene", "lin_rec709_scene", "lin_rec2020_scene"
P3_SRGB, POWER_WIDE, CAMERA_REC709 = "srgb_p3d65_scene", "g22_adobergb_scene", "ocio:itu709_rec709_scene"
PQ, HLG = "pq_rec2020_display", "hlg_rec2020_display"
_ALSO_KNOWN_AS = {
    ENCODED_SRGB: ("srgb_texture", "srgb_tx"),
    LINEAR_REC709: ("lin_rec709", "lin_srgb"),
    LINEAR_REC2020: ("lin_rec2020",),
    P3_SRGB: ("srgb_displayp3", "srgb_encoded_p3d65_tx"),
}

# ITU-T H.273: (primaries, transfer) to an interop ID.
_CICP = {
    (1, 13): ENCODED_SRGB,
    (1, 1): CAMERA_REC709,
    (1, 8): LINEAR_REC709,
    (12, 13): P3_SRGB,
    (9, 8): LINEAR_REC2020,
    (9, 16): PQ,
    (9, 18): HLG,
}
# SMPTE ST 268, transfer characteristics as the image library calls them. Logarithms are left out: the header does not
# say of which camera or film.
_DPX = {
    "Linear": LINEAR_REC709,
    "ITU-R 709-4": CAMERA_REC709,
    "SMPTE 274M": CAMERA_REC709,
}
# What the names of ICC profiles hold, without their spaces.
_PROFILES = (("displayp3", P3_SRGB), ("adobergb", POWER_WIDE), ("srgb", ENCODED_SRGB))


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks: what it says, for which space of the config, and how much it weighs, 0–1."""

    code: str
    says: str
    favours: str
    weight: float


@dataclass(frozen=True)
class Verdict:
    """The space that a file speaks for, and the share of all weight, 0–1, that agrees; None is no opinion."""

    space: str | None
    confidence: float

    @property
    def is_sure(self) -> bool:
        return self.space is not None and self.confidence >= CONFIDENT


NO_OPINION = Verdict(None, 0.0)


def evidence_for(config: ocio.Config, path: str, kind: KindMatch | None, facts: Facts) -> list[Evidence]:
    """All that speaks for a space, the heaviest first. Spaces that the config lacks are favoured by nothing."""
    is_data = kind is not None and kind.kind.group == DATA
    declared, named = list(_from_header(config, facts.header)), named_space(config, path)
    usual = _usual_spaces(config, facts.header, [*(piece.favours for piece in declared), *filter(None, [named])])
    found = [
        # Tools write the same header into every map: it says little of one whose name says that it holds data.
        *(replace(piece, weight=piece.weight / 2) if is_data else piece for piece in declared),
        *_from_name(usual, named, kind, facts.header),
        *_from_pixels(usual, facts, kind),
    ]
    return sorted(found, key=lambda piece: -piece.weight)


def verdict_of(evidence: Sequence[Evidence]) -> Verdict:
    """The space with most weight for it, and its share; no opinion where nothing speaks."""
    weights: dict[str, float] = defaultdict(float)
    for piece in evidence:
        weights[piece.favours] += piece.weight
    if not weights:
        return NO_OPINION
    best = max(weights, key=lambda space: weights[space])
    return Verdict(best, round(weights[best] / sum(weights.values()), 3))


def _from_header(config: ocio.Config, header: Header) -> Iterator[Evidence]:
    """What the header declares, by precedence: of several only the first counts."""
    for code, says, space, weight in _declarations(config, header):
        if space is not None:
            yield Evidence(code, says, space, weight)
            return


def _declarations(config: ocio.Config, header: Header) -> Iterator[tuple[str, str, str | None, float]]:
    tags = header.tags
    if isinstance(interop_id := tags.get("colorInteropID"), str):
        yield "header.interop-id", f"The header names {interop_id}.", _space(config, interop_id), 1.0
    if isinstance(cicp := tags.get("CICP"), tuple) and len(cicp) >= 2:
        known = _CICP.get((int(cicp[0]), int(cicp[1])))
        yield "header.cicp", f"cICP says primaries {cicp[0]:g}, transfer {cicp[1]:g}.", _space(config, known), 0.9
    profile = tags.get("ICCProfile:profile_description") or tags.get("png:iCCP")
    if isinstance(profile, str):
        known = next((space for word, space in _PROFILES if word in profile.lower().replace(" ", "")), None)
        yield "header.icc", f"Its ICC profile is “{profile}”.", _space(config, known), 0.8
    if "png:sRGB" in tags:
        yield "header.srgb", "Its sRGB chunk says sRGB.", _space(config, ENCODED_SRGB), 0.8
    yield from _by_chromaticities(config, header)
    if isinstance(gamma := tags.get("png:gAMA"), float):
        is_linear = abs(gamma - 1) < 0.05
        wanted = LINEAR_REC709 if is_linear else ENCODED_SRGB
        said = f"Its gAMA chunk says power {gamma:.2f}."
        yield "header.gamma", said, _space(config, wanted) if is_linear or 2 <= gamma <= 2.5 else None, 0.5
    if tags.get("Exif:ColorSpace") == 1:
        yield "header.exif", "EXIF says sRGB.", _space(config, ENCODED_SRGB), 0.5
    if isinstance(transfer := tags.get("dpx:Transfer"), str):
        yield "header.dpx", f"Its DPX header says {transfer}.", _space(config, _DPX.get(transfer)), 0.5


def _by_chromaticities(config: ocio.Config, header: Header) -> Iterator[tuple[str, str, str | None, float]]:
    """The linear space whose primaries a float file names; those of a PNG count with its gAMA alone."""
    numbers = header.tags.get("chromaticities")
    if isinstance(numbers, tuple) and len(numbers) == 8 and header.bit_depth in FLOATS:
        yield "header.chromaticities", "The header names primaries.", linear_space_with(config, numbers), 0.7


@dataclass(frozen=True)
class _Known:
    """What a config's spaces are, for many files: its data space, and its scene-linear ones with their matrix to AP0
    and, where they are known, their primaries."""

    data: str | None
    linear: dict[str, Matrix | None]
    gamuts: dict[str, Gamut]
    path_search: RuleBook


# Found by sending colours through the engine, which takes a moment; configs in use never change.
_known_of: WeakKeyDictionary[ocio.Config, _Known] = WeakKeyDictionary()


def _known(config: ocio.Config) -> _Known:
    if config not in _known_of:
        names = describe(config).working_spaces
        gamuts = {name: gamut for name in names if (gamut := gamut_of(config, name))}
        _known_of[config] = _Known(
            data=next((space.getName() for space in config.getColorSpaces() if space.isData()), None),
            linear={name: linear_to_ap0(config, name) for name in names},
            gamuts=gamuts,
            path_search=RuleBook(config, (PATH_SEARCH_RULE,), ""),
        )
    return _known_of[config]


def linear_space_with(config: ocio.Config, chromaticities: tuple[float, ...]) -> str | None:
    """The scene-linear space of the config with these primaries and white, CIE 1931 xy; None when it has none."""
    for name, gamut in _known(config).gamuts.items():
        if np.allclose(gamut.chromaticities, chromaticities, atol=SAME_XY):
            return name
    return None


def holds_light(config: ocio.Config, space: str) -> bool:
    """Whether a space, by its own name, is scene-linear."""
    return space in _known(config).linear


def same_primaries(config: ocio.Config, first: str, second: str) -> bool:
    """Whether two scene-linear spaces have the same primaries, as far as can be told."""
    one, other = (_known(config).linear[name] for name in (first, second))
    return one is not None and other is not None and np.allclose(one, other, atol=SAME_MATRIX)


@dataclass(frozen=True)
class _UsualSpaces:
    """What a file is in when it is known to be linear, encoded or data, and no more."""

    linear: str | None
    encoded: str | None
    data: str | None


def _usual_spaces(config: ocio.Config, header: Header, said: list[str]) -> _UsualSpaces:
    """The spaces that header or name say, where they are of that sort; else those that files without a word are in:
    the working space, Rec.709 for HDR, which has no better way to say, and sRGB."""
    fallback = LINEAR_REC709 if header.format == "HDR" else ocio.ROLE_SCENE_LINEAR
    linear = next((space for space in said if holds_light(config, space)), _space(config, fallback))
    others = (space for space in said if not holds_light(config, space) and not config.getColorSpace(space).isData())
    return _UsualSpaces(linear, next(others, _space(config, ENCODED_SRGB)), data_space(config))


def _from_name(usual: _UsualSpaces, named: str | None, kind: KindMatch | None, header: Header) -> Iterator[Evidence]:
    if named:
        yield Evidence("name.space", f"Its path names {named}.", named, 0.7)
    if kind is None:
        return
    says = f"“{kind.word}” in its name says {kind.kind.label}."
    if kind.kind.group == DATA:
        space = usual.data
    elif header.bit_depth in FLOATS or kind.kind.group == LIGHT:
        space = usual.linear
    else:
        space = usual.encoded
    if space:
        yield Evidence("name.kind", says, space, 0.8 if kind.kind.group == DATA else 0.3)


def named_space(config: ocio.Config, path: str) -> str | None:
    """The space whose name or alias stands in a path, as the config's own path search finds it."""
    return _known(config).path_search.assign(path).space or None


def _from_pixels(usual: _UsualSpaces, facts: Facts, kind: KindMatch | None) -> Iterator[Evidence]:
    header, stats = facts.header, facts.stats
    linear, encoded, data = usual.linear, usual.encoded, usual.data
    is_float = header.bit_depth in FLOATS or header.format == "HDR"
    if kind is not None and kind.kind.group == DATA:
        return  # data is data in any format
    if stats.unit_vectors >= UNIT_VECTORS and not is_flat(facts) and data:
        yield Evidence("pixels.vectors", f"{stats.unit_vectors:.0%} of its pixels are vectors of length 1.", data, 0.8)
        return
    if stats.equal_channels and not is_float and kind is None and data:
        yield Evidence("pixels.grey", "Red, green and blue are the same everywhere.", data, 0.2)
    if is_float and stats.linear_steps and encoded:
        says = f"Its floats are steps of {stats.linear_steps} bits: a picture that was encoded, saved as it was."
        yield Evidence("pixels.steps", says, encoded, 0.9)
    elif is_float and stats.encoded_steps and linear:
        says = f"Encoded again, its values are steps of {stats.encoded_steps} bits: it was decoded from such a picture."
        yield Evidence("pixels.decoded-steps", says, linear, 0.6)
    elif is_float and linear:
        yield Evidence("pixels.float", "It holds floats, as light does.", linear, 0.4)
    if is_float and stats.above_one > 0 and linear:
        yield Evidence("pixels.above-one", f"{stats.above_one:.2%} of it is above 1, as light is.", linear, 0.5)
    if is_float and kind is None and linear and (stops := environment_stops(facts)):
        says = f"It is twice as wide as high, and peaks {stops:.1f} stops over its median, as surroundings do."
        yield Evidence("pixels.surroundings", says, linear, 0.3)
    if not is_float and encoded:
        yield Evidence("pixels.integers", "It holds integers, as encoded pictures do.", encoded, 0.4)


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


def decodes_a_display(config: ocio.Config, space: str) -> bool:
    """Whether a space holds what a display shows: by itself, or by undoing a view."""
    found = config.getColorSpace(space)
    if found is None:
        return False
    return found.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY or undone_view(found) is not None


def data_space(config: ocio.Config) -> str | None:
    """The config's space for plain numbers."""
    return _known(config).data


def _space(config: ocio.Config, name: str | None) -> str | None:
    for known in (name, *_ALSO_KNOWN_AS.get(name or "", ())):
        if known and (space := config.getColorSpace(known)):
            return str(space.getName())
    return None
