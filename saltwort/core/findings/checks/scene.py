"""Colours and renders that the working space or a half float does not hold."""

from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, Problem, Subjects, check


@check("swatch.unknown-space", BLOCKER)
def unknown_space(subjects: Subjects) -> Iterator[Problem]:
    """A swatch was typed in a space that the config no longer has."""
    for swatch in subjects.swatches:
        if subjects.config.getColorSpace(swatch.colour.space) is None:
            yield Problem(
                swatch.name,
                "Space of the swatch is gone",
                f"It was typed in “{swatch.colour.space}”, which the config does not have. Choose its space again.",
            )


@check("swatch.outside-working-gamut", CAUTION)
def outside_working_gamut(subjects: Subjects) -> Iterator[Problem]:
    """A swatch turns negative in the working space: its colour lies outside the gamut."""
    working = subjects.config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    for swatch in subjects.swatches:
        try:
            processor = space_processor(subjects.config, swatch.colour.space, working)
        except BadInput:
            continue  # reported under swatch.unknown-space
        light = apply_to_colour(processor, swatch.colour.values)
        if min(light) < -1e-5:
            numbers = "  ".join(f"{value:.4f}" for value in light)
            yield Problem(
                swatch.name,
                "Outside the working gamut",
                f"In {working} it is {numbers}. A renderer that multiplies with a negative colour makes light that "
                "cannot be; choose a wider working space or a less saturated colour.",
            )


@check("render.non-finite", BLOCKER)
def non_finite(subjects: Subjects) -> Iterator[Problem]:
    """A render holds values that are not numbers."""
    for render in subjects.renders:
        count = render.facts.stats.non_finite
        if count:
            yield Problem(
                render.name,
                "Not a number in the render",
                f"{count:,} samples are infinite or no number at all. They spread when the picture is blurred or "
                "scaled; render again, or mend them before compositing.",
            )


@check("render.negative", CAUTION)
def negative(subjects: Subjects) -> Iterator[Problem]:
    """A render holds negative light: a colour outside its space, or a filter that rings."""
    for render in subjects.renders:
        share = render.facts.stats.below_zero
        if share > 0:
            yield Problem(
                render.name,
                "Negative light",
                f"{share:.2%} of the samples lie below zero: colours outside {render.space}, or a filter that rings.",
            )
