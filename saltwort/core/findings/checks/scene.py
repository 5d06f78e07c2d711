"""Swatches and lights that the working space does not hold, or that cannot be."""

from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.engine.processors import is_linear
from saltwort.core.engine.typed import typed_in, xyz_of
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, Problem, Subjects, check
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.reflectances import remark
from saltwort.core.spaces.gamuts import is_inside
from saltwort.core.spaces.typed import Triple, TypedColour

STEPS = ("8-bit", "10-bit", "hex", "hsv", "hsl")
"""Units in which colours are typed that were picked on a screen."""


@check("swatch.unknown-space", BLOCKER)
def unknown_space(subjects: Subjects) -> Iterator[Problem]:
    """A swatch was typed in a space that the config no longer has."""
    for swatch in ScenePart.of(subjects.setup).swatches:
        if _is_lost(subjects, swatch.colour):
            yield Problem(
                swatch.name,
                "Space of the swatch is gone",
                f"It was typed in “{swatch.colour.space}”, which the config does not have. Choose its space again.",
            )


@check("light.unknown-space", BLOCKER)
def light_in_unknown_space(subjects: Subjects) -> Iterator[Problem]:
    """The colour of a light was typed in a space that the config no longer has."""
    scene = ScenePart.of(subjects.setup)
    for light in scene.lights:
        if not scene.swatch(light.swatch) and _is_lost(subjects, light.colour):
            yield Problem(
                light.name,
                "Space of the light is gone",
                f"Its colour was typed in “{light.colour.space}”, which the config does not have. Choose it again.",
            )


@check("swatch.outside-working-gamut", CAUTION)
def outside_working_gamut(subjects: Subjects) -> Iterator[Problem]:
    """A swatch turns negative in the working space: its colour lies outside the gamut."""
    for swatch in ScenePart.of(subjects.setup).swatches:
        yield from _outside(subjects, swatch.name, swatch.colour)


@check("light.outside-working-gamut", CAUTION)
def light_outside_working_gamut(subjects: Subjects) -> Iterator[Problem]:
    """A light turns negative in the working space: its colour lies outside the gamut."""
    scene = ScenePart.of(subjects.setup)
    for light in scene.lights:
        yield from _outside(subjects, light.name, scene.colour_of(light))


@check("swatch.steps-in-linear", CAUTION)
def steps_in_linear(subjects: Subjects) -> Iterator[Problem]:
    """A colour with the numbers of a screen is said to be in a linear space, so it is never decoded."""
    config = subjects.config
    for swatch in ScenePart.of(subjects.setup).swatches:
        colour = swatch.colour
        if colour.unit in STEPS and config.getColorSpace(colour.space) and is_linear(config, colour.space):
            yield Problem(
                swatch.name,
                "Screen values typed as light",
                f"“{colour.text}” looks picked from a screen, where numbers are encoded, and {colour.space} is linear: "
                "the colour comes out pale. Choose the encoded space that it was picked in.",
            )


@check("swatch.reflectance-out-of-range", CAUTION)
def reflectance_out_of_range(subjects: Subjects) -> Iterator[Problem]:
    """A swatch for a surface or metal is brighter or darker than any is."""
    for swatch in ScenePart.of(subjects.setup).swatches:
        light = _light(subjects, swatch.colour)
        if light is None:
            continue
        try:
            luminance = xyz_of(subjects.config, light, ocio.ROLE_SCENE_LINEAR)[1]
        except BadInput:
            return  # reported under config.no-interchange-role
        if said := remark(swatch.use, light, luminance):
            yield Problem(swatch.name, "Reflectance out of range", f"{said} If it is a light, say so.")


def _is_lost(subjects: Subjects, colour: TypedColour) -> bool:
    return not colour.is_colorimetric and subjects.config.getColorSpace(colour.space) is None


def _light(subjects: Subjects, colour: TypedColour) -> Triple | None:
    """The colour in the working space; None where it cannot be told, which other checks report."""
    try:
        return typed_in(subjects.config, colour, ocio.ROLE_SCENE_LINEAR)
    except BadInput:
        return None


def _outside(subjects: Subjects, name: str, colour: TypedColour) -> Iterator[Problem]:
    light = _light(subjects, colour)
    if light is not None and not is_inside(light):
        working = subjects.config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
        numbers = "  ".join(f"{value:.4f}" for value in light)
        yield Problem(
            name,
            "Outside the working gamut",
            f"In {working} it is {numbers}. A renderer that multiplies with a negative colour makes light that "
            "cannot be; choose a wider working space or a less saturated colour.",
        )
