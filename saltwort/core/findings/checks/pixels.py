"""What the pixels of a texture hold that no material or light should."""

from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, NOTE, CheckedTexture, Problem, Subjects, check
from saltwort.core.textures.declared import FLOATS
from saltwort.core.textures.evidence import decodes_a_display

BRIGHTEST, DARKEST = 0.9, 0.02
"""Reflectance of fresh snow and of charcoal: nothing that is not a light source lies outside by much."""
ABOVE_ONE = 1.001
UNIT_SHARE = 0.9
"""Share of unit vectors below which a normal map is no longer one."""


@check("texture.clipped-light", CAUTION)
def clipped_light(subjects: Subjects) -> Iterator[Problem]:
    """An environment has no light above 1: its sun and lamps were cut off."""
    for texture in subjects.textures:
        peak = max((value for value in texture.facts.stats.max[:3] if value is not None), default=None)
        if _is(texture, "environment") and peak is not None and peak <= ABOVE_ONE:
            yield Problem(
                texture.path,
                "Clipped light",
                f"Its brightest value is {peak:.3g}. A sky has a sun thousands of times as bright: lit by this, "
                "shadows are faint and highlights grey. Import the HDR or EXR it was made from.",
            )


@check("texture.reflectance-out-of-range", CAUTION)
def reflectance_out_of_range(subjects: Subjects) -> Iterator[Problem]:
    """A base colour is brighter or darker, once decoded, than any surface is."""
    for texture in subjects.textures:
        if not _is(texture, "base_colour") or (found := _reflectance(subjects.config, texture)) is None:
            continue
        median, bright, peak = found
        if decodes_a_display(subjects.config, texture.assignment.space):
            continue
        if peak > ABOVE_ONE or bright > BRIGHTEST:
            shown = f"its brightest reflects {max(peak, bright):.2f}, and fresh snow {BRIGHTEST}"
        elif median < DARKEST:
            shown = f"half of it reflects less than {median:.3f}, and charcoal {DARKEST}"
        else:
            continue
        yield Problem(
            texture.path,
            "Reflectance out of range",
            f"Read as {texture.assignment.space}, {shown}. Light bounces wrongly off it. Often the space is wrong, or "
            "light was painted in.",
        )


@check("texture.inverted-view", CAUTION)
def inverted_view(subjects: Subjects) -> Iterator[Problem]:
    """A base colour is decoded from a display, through the inverse of a view, and reflects more than all light."""
    for texture in subjects.textures:
        if not _is(texture, "base_colour") or not decodes_a_display(subjects.config, texture.assignment.space):
            continue
        found = _reflectance(subjects.config, texture)
        peak = max(found) if found else 0.0
        yield Problem(
            texture.path,
            "Base colour decoded from a display",
            f"{texture.assignment.space} is what a display shows. Undoing a view is right for a plate, which is to "
            f"look as it did; a surface then reflects up to {peak:.2f}, and 1 is all light. Use the encoded space of "
            "textures.",
        )


@check("texture.eight-bit-in-float", NOTE)
def eight_bit_in_float(subjects: Subjects) -> Iterator[Problem]:
    """A float file holds no more than 8 or 10 bits."""
    for texture in subjects.textures:
        stats = texture.facts.stats
        bits = stats.linear_steps or stats.encoded_steps
        if texture.facts.header.bit_depth in FLOATS and bits:
            yield Problem(
                texture.path,
                f"{bits} bits in a float file",
                f"All its values are steps of {bits} bits{'' if stats.linear_steps else ', once encoded'}: the file is "
                "larger than what it holds, and gradients may show bands. Ask for the original.",
            )


@check("texture.non-finite", BLOCKER)
def non_finite(subjects: Subjects) -> Iterator[Problem]:
    """A file holds values that are no numbers, which renderers spread over the picture."""
    for texture in subjects.textures:
        if count := texture.facts.stats.non_finite:
            yield Problem(
                texture.path,
                "NaN or infinite values",
                f"{count:,} samples are infinite or not a number. One is enough to blacken or whiten a filtered area.",
            )


@check("texture.negative", CAUTION)
def negative(subjects: Subjects) -> Iterator[Problem]:
    """A colour or light map holds negative values."""
    for texture in subjects.textures:
        share, kind = texture.facts.stats.below_zero, texture.kind
        if share and not (kind and kind.kind.key in ("displacement", "normal")):
            lowest = min(value for value in texture.facts.stats.min if value is not None)
            yield Problem(
                texture.path,
                "Negative values",
                f"{share:.2%} of its samples lie below 0, down to {lowest:.3g}: a surface would give light back that "
                "it never got. Often it was converted to a gamut too small for its colours.",
            )


@check("texture.normals-not-unit", CAUTION)
def normals_not_unit(subjects: Subjects) -> Iterator[Problem]:
    """A normal map's vectors are not of length 1, as after a colour conversion or careless scaling."""
    for texture in subjects.textures:
        share = texture.facts.stats.unit_vectors
        if _is(texture, "normal") and texture.facts.header.channels >= 3 and share < UNIT_SHARE:
            yield Problem(
                texture.path,
                "Normals of the wrong length",
                f"Only {share:.0%} of its pixels are vectors of length 1. It was converted as a colour, scaled, or is "
                "no tangent-space normal map; shading from it is wrong.",
            )


def _is(texture: CheckedTexture, kind: str) -> bool:
    return texture.kind is not None and texture.kind.kind.key == kind


def _reflectance(config: ocio.Config, texture: CheckedTexture) -> tuple[float, float, float] | None:
    """The median, the 99th percentile and the peak once decoded to the working space, as the largest channel; None
    for data, and where nothing can be decoded."""
    space, stats = config.getColorSpace(texture.assignment.space), texture.facts.stats
    if space is None or space.isData():
        return None
    try:
        decode = space_processor(config, space.getName(), ocio.ROLE_SCENE_LINEAR)
    except BadInput:
        return None
    found = []
    for values in (stats.median, stats.high, stats.max):
        colour = [value for value in values[:3] if value is not None]
        if not colour:
            return None
        red, green, blue = colour if len(colour) == 3 else [colour[0]] * 3
        found.append(max(apply_to_colour(decode, (red, green, blue))))
    return found[0], found[1], found[2]
