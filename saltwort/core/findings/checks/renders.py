"""What a render holds that scene light should not."""

from collections.abc import Iterator

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.matching import primaries_of_space, spaces_with
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.explain.alone import display_sign, known
from saltwort.core.findings.registry import BLOCKER, CAUTION, Problem, Subjects, check
from saltwort.core.findings.space_fixes import declares_another
from saltwort.core.images.sequences import runs_of
from saltwort.core.textures.declared import declared

CLIPPED_AT = (0.9995, 1.0005)
"""Where the peak of a clipped picture lies; a half float just below 1 is 0.9995."""
GREYS = np.linspace(0.1, 0.9, 9, dtype=np.float32)[np.newaxis, :, np.newaxis].repeat(3, axis=2)
UNCHANGED = 0.08
"""Between code values of greys of the SDR displays in use there is less; tone mapping moves white by more."""


@check("render.non-finite", BLOCKER)
def non_finite(subjects: Subjects) -> Iterator[Problem]:
    """A render holds values that are not numbers."""
    for render in subjects.renders:
        count = render.facts.stats.non_finite
        if count:
            yield Problem(
                render.name,
                "NaN or infinite values in the render",
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


@check("render.frames-missing", CAUTION)
def frames_missing(subjects: Subjects) -> Iterator[Problem]:
    """Frames of a sequence are not there, between its first and its last."""
    for render in subjects.renders:
        if render.missing:
            yield Problem(
                render.name,
                "Frames are missing",
                f"{runs_of(render.missing)} {'is' if len(render.missing) == 1 else 'are'} not there. Render them and "
                "rescan, or choose for a video to hold the frame before or to close up.",
            )


@check("render.frames-unreadable", BLOCKER)
def frames_unreadable(subjects: Subjects) -> Iterator[Problem]:
    """Frames of a sequence cannot be read: cut off while they were written, or no pictures."""
    for render in subjects.renders:
        if render.unreadable:
            numbers, reason = [number for number, _ in render.unreadable], render.unreadable[0][1]
            yield Problem(
                render.name,
                "Frames cannot be read",
                f"{runs_of(numbers)}: {reason} Render them again, and rescan.",
            )


@check("render.view-baked", BLOCKER)
def view_baked(subjects: Subjects) -> Iterator[Problem]:
    """A render is no scene light but a picture for a display: encoded, or with a view in it."""
    for render in subjects.renders:
        if reason := display_sign(render.facts):
            yield Problem(
                render.name,
                "Display-referred picture, not light",
                f"{reason} Through a view it would be tone-mapped twice. Render again with no view and no gamma in the "
                "file.",
            )


@check("render.without-view", CAUTION)
def without_view(subjects: Subjects) -> Iterator[Problem]:
    """A render is read as a picture for a display, but holds light: it was written with no view."""
    for render in subjects.renders:
        if _is_encoded(subjects.config, render.space) and render.facts.stats.above_one > 0:
            yield Problem(
                render.name,
                "Light read as a picture",
                f"It is read in {render.space}, but {render.facts.stats.above_one:.2%} of its samples lie above 1, "
                "where no picture has any: it was written with no view, and looks dark and hard so. Read it in the "
                "space it was rendered in.",
            )


@check("view.double", CAUTION)
def double_view(subjects: Subjects) -> Iterator[Problem]:
    """A picture for a display is seen through a view that tone-maps it once more."""
    choice = subjects.setup.view
    for render in subjects.renders:
        if _is_encoded(subjects.config, render.space) and _is_changed(subjects.config, render.space, choice):
            yield Problem(
                render.name,
                "Viewed twice",
                f"It is a picture already, read in {render.space}, and {choice.view} on {choice.display} tone-maps it "
                "again: whites turn grey and colours pale. Look at it through a view that does not tone-map.",
            )


@check("render.clipped-at-one", CAUTION)
def clipped_at_one(subjects: Subjects) -> Iterator[Problem]:
    """The light of a render ends at exactly 1, where it was cut off."""
    low, high = CLIPPED_AT
    for render in subjects.renders:
        peaks = known(render.facts.stats.max)
        if peaks and low <= max(peaks) <= high and not display_sign(render.facts):
            yield Problem(
                render.name,
                "Clipped at 1",
                "Its brightest value is exactly 1: lamps and highlights were cut off, and pulled down they turn grey. "
                "Remove the clamp from the renderer's output, and write a float format.",
            )


@check("render.wrong-primaries", CAUTION)
def wrong_primaries(subjects: Subjects) -> Iterator[Problem]:
    """A render declares other primaries than those of the space it is read in."""
    for render in subjects.renders:
        said = declared(subjects.config, render.facts.header)
        own = primaries_of_space(subjects.config, render.space)
        if said is None or said.meaning is None or not said.is_linear or said.space is None or own is None:
            continue
        if render.space not in spaces_with(subjects.config, *said.meaning):
            red = said.meaning[0].red
            yield Problem(
                render.name,
                "Read with other primaries",
                f"Its header puts red at {red[0]:.3f}, {red[1]:.3f}, which is {said.space}; {render.space} has it at "
                f"{own.red[0]:.3f}, {own.red[1]:.3f}. Every colour is shifted. Read it in the space that the file "
                "declares.",
            )


@check("render.space-not-in-config", CAUTION)
def space_not_in_config(subjects: Subjects) -> Iterator[Problem]:
    """A render declares a space that the config does not have, and is read in another."""
    for render in subjects.renders:
        said = declared(subjects.config, render.facts.header)
        if said is not None and said.space is None:
            yield declares_another(subjects, said, render.name, render.space)


def _is_encoded(config: ocio.Config, name: str) -> bool:
    """Whether a space is one of pictures for a display."""
    space = config.getColorSpace(name)
    if space is None or space.isData():
        return False
    is_display = space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    return bool(is_display or space.getEncoding() in ("sdr-video", "hdr-video"))


def _is_changed(config: ocio.Config, space: str, choice: ViewChoice) -> bool:
    """Whether a view gives other code values for greys than those that a picture in a space has."""
    try:
        shown = apply(view_processor(config, space, choice), GREYS)
    except BadInput:
        return False
    return bool(np.abs(shown - GREYS).max() > UNCHANGED)
