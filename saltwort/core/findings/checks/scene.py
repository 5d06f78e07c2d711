"""Swatches and lights that the working space does not hold, or that cannot be."""

from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.changes import Change
from saltwort.core.engine.processors import is_linear
from saltwort.core.engine.typed import typed_in, xyz_of
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, Fix, Problem, Subjects, check
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import difference_through, fitted, resolved, solved_swatch, why_not
from saltwort.core.scene.decisions import Appearance, Scene, Swatch
from saltwort.core.scene.reflectances import remark
from saltwort.core.spaces.gamuts import is_inside
from saltwort.core.spaces.typed import Triple, TypedColour

STEPS = ("8-bit", "10-bit", "hex", "hsv", "hsl")
"""Units in which colours are typed that were picked on a screen."""
VISIBLE = 1.0
"""ΔE from which two colours side by side look different."""


@check("swatch.unknown-space", BLOCKER)
def unknown_space(subjects: Subjects) -> Iterator[Problem]:
    """A swatch was typed in a space that the config no longer has."""
    for swatch in ScenePart.of(subjects.setup).swatches:
        if not swatch.appears and _is_lost(subjects, swatch.colour):
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
    for swatch in _resolved(subjects).swatches:
        yield from _outside(subjects, swatch.name, swatch.colour)


@check("light.outside-working-gamut", CAUTION)
def light_outside_working_gamut(subjects: Subjects) -> Iterator[Problem]:
    """A light turns negative in the working space: its colour lies outside the gamut."""
    scene = _resolved(subjects)
    for light in scene.lights:
        yield from _outside(subjects, light.name, scene.colour_of(light))


@check("swatch.steps-in-linear", CAUTION)
def steps_in_linear(subjects: Subjects) -> Iterator[Problem]:
    """A colour with the numbers of a screen is said to be in a linear space, so it is never decoded."""
    config = subjects.config
    for swatch in ScenePart.of(subjects.setup).swatches:
        colour = swatch.colour
        if swatch.appears or colour.unit not in STEPS:
            continue
        if config.getColorSpace(colour.space) and is_linear(config, colour.space):
            yield Problem(
                swatch.name,
                "Screen values typed as light",
                f"“{colour.text}” looks picked from a screen, where numbers are encoded, and {colour.space} is linear: "
                "the colour comes out pale. Choose the encoded space that it was picked in.",
            )


@check("swatch.reflectance-out-of-range", CAUTION)
def reflectance_out_of_range(subjects: Subjects) -> Iterator[Problem]:
    """A swatch for a surface or metal is brighter or darker than any is."""
    for swatch in _resolved(subjects).swatches:
        light = _light(subjects, swatch.colour)
        if light is None:
            continue
        try:
            luminance = xyz_of(subjects.config, light, ocio.ROLE_SCENE_LINEAR)[1]
        except BadInput:
            return  # reported under config.no-interchange-role
        if said := remark(swatch.use, light, luminance):
            yield Problem(swatch.name, "Reflectance out of range", f"{said} If it is a light, say so.")


@check("swatch.unknown-view", BLOCKER)
def unknown_view(subjects: Subjects) -> Iterator[Problem]:
    """A swatch must appear as given through a view that the config no longer has."""
    for swatch, appears in _appearing(subjects):
        if _is_shown(subjects, swatch):
            continue
        yield Problem(
            swatch.name,
            "View of the swatch is gone",
            f"The code values belong to “{appears.view}” on {appears.display}. The config does not have this view, or "
            "the view does not output display colours. Choose another view for the colour.",
            _fit(subjects, swatch) if appears.display == subjects.setup.view.display else None,
        )


@check("swatch.appears-otherwise", CAUTION)
def appears_otherwise(subjects: Subjects) -> Iterator[Problem]:
    """A swatch cannot appear as given through its view."""
    for swatch, appears in _appearing(subjects):
        if not _is_shown(subjects, swatch):
            continue
        solved = solved_swatch(subjects.config, swatch)
        if not solved.is_held:
            yield Problem(
                swatch.name,
                "Cannot appear as given",
                f"The nearest through {appears.view} is {solved.metric} {solved.difference:.1f} away. "
                f"{why_not(swatch, solved)} Colours shows what would allow it.",
            )


@check("swatch.moved-by-view", CAUTION)
def moved_by_view(subjects: Subjects) -> Iterator[Problem]:
    """A swatch must appear as given through one view, and the project looks through another that shows it otherwise."""
    config, view = subjects.config, subjects.setup.view
    for swatch, appears in _appearing(subjects):
        if appears.choice == view or not _is_shown(subjects, swatch):
            continue
        moved = difference_through(config, swatch, view)
        if moved is not None and moved[1] > VISIBLE:
            yield Problem(
                swatch.name,
                "Another view moves this colour",
                f"The project looks through {view.view}, where it is {moved[0]} {moved[1]:.1f} away from the colour "
                f"given for {appears.view}.",
                _fit(subjects, swatch),
            )


def _appearing(subjects: Subjects) -> Iterator[tuple[Swatch, Appearance]]:
    return ((swatch, swatch.appears) for swatch in ScenePart.of(subjects.setup).swatches if swatch.appears)


def _is_shown(subjects: Subjects, swatch: Swatch) -> bool:
    """Whether the config has the view of a swatch, and it gives light of a display."""
    try:
        solved_swatch(subjects.config, swatch)
    except BadInput:
        return False
    return True


def _fit(subjects: Subjects, swatch: Swatch) -> Fix | None:
    """The swatch with its colour asked of the project's view; None where that display does not hold it."""
    config, view = subjects.config, subjects.setup.view
    if not subjects.offers_fixes:
        return None
    try:
        now = fitted(config, swatch, view)
        after = solved_swatch(config, now)
    except BadInput:
        return None
    before = _light(subjects, resolved(config, Scene(swatches=(swatch,))).swatches[0].colour)
    numbers = ["  ".join(f"{value:.4f}" for value in each) if each else "" for each in (before, after.own)]
    near = "" if after.is_held else f", {after.metric} {after.difference:.1f} away"
    arguments = {"swatch": swatch.name, "text": now.colour.text, "unit": now.colour.unit, **vars(view)}
    return Fix("fit-swatch", f"Fit it to {view.view}{near}", arguments, (Change(swatch.name, *numbers),))


def _resolved(subjects: Subjects) -> Scene:
    return resolved(subjects.config, ScenePart.of(subjects.setup))


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
