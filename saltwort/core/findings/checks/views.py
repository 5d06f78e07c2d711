"""The view that the project looks through."""

from collections import Counter
from collections.abc import Iterator
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.measured import space_of_view, space_written_by
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, NOTE, Problem, Subjects, check
from saltwort.core.scene.working_space import describe_working_space
from saltwort.core.views.tone import Sweep, ToneCurve, sweep, tone_curve

LARGEST_DIFFERENCE = 1 / 255
"""By which a browser may draw a view otherwise than the engine."""
NEARLY_ALL = 0.995
TINT = 1 / 255
LARGEST_TURN = 45.0
"""Degrees in ICtCp. Every view that lets lights go to white turns some hue a little just before it is gone."""
HIGHLIGHT = 1.0
"""Light brighter than a perfect white under a key light of 1."""
FEW_HIGHLIGHTS = 0.005
MOST_ON_ONE_VALUE = 0.5


@check("view.raw-left-on", CAUTION)
def raw_left_on(subjects: Subjects) -> Iterator[Problem]:
    """The project looks through a view that shows plain numbers, as if light were a picture."""
    choice = subjects.setup.view
    space = space_written_by(subjects.config, choice)
    if space is not None and space.isData():
        yield Problem(
            choice.view,
            "Raw view left on",
            f"{choice.view} on {choice.display} shows numbers as they stand: pictures look dark and hard, and what is "
            "judged by them is judged wrongly. Choose a view that makes a picture.",
        )


@check("view.for-another-display", CAUTION)
def for_another_display(subjects: Subjects) -> Iterator[Problem]:
    """The chosen view writes the code values of another display than the one it stands under."""
    choice = subjects.setup.view
    written = {
        view: space.getName()
        for view in subjects.config.getViews(choice.display)
        if (space := space_written_by(subjects.config, ViewChoice(choice.display, view)))
        and space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    }
    if choice.view not in written:
        return  # raw numbers, or a config of OCIO 1, which has no displays of its own
    usual, _ = Counter(written.values()).most_common(1)[0]
    if written[choice.view] != usual:
        yield Problem(
            choice.view,
            "View for another display",
            f"Under {choice.display} it writes {written[choice.view]}, where most of its views write {usual}: "
            "brightness and colours are shifted on every screen of that sort. Choose the view made for it.",
        )


@check("view.exposure-left-on", NOTE)
def exposure_left_on(subjects: Subjects) -> Iterator[Problem]:
    """The Compare step shows renders brighter or darker than they are, and will be opened so again."""
    for where, exposure in subjects.exposures:
        if exposure:
            yield Problem(
                f"Compare, {where}",
                "Exposure left on",
                f"Pictures are shown {exposure:+.1f} stops from what they are. It is for looking: a file holds no such "
                "change. Press 0 in Compare for none.",
            )


@check("view.drawn-off", CAUTION)
def drawn_off(subjects: Subjects) -> Iterator[Problem]:
    """A browser draws a view differently from the engine, by more than a step of 8 bits."""
    for seen in subjects.drawn_off:
        yield Problem(
            seen.choice.view,
            "Drawn differently by a browser",
            f"On {seen.choice.display}, live pictures were up to {seen.largest * 255:.1f} of 255 from the exact path "
            "on the proof colours. Trust the probe, or look on another machine or with a newer driver.",
        )


@check("view.wider-than-working", NOTE)
def wider_than_working(subjects: Subjects) -> Iterator[Problem]:
    """The display can show colours that the working space does not hold."""
    choice, working = subjects.setup.view, subjects.setup.working_space
    covered = _covered(subjects.config, working, choice.display)
    if covered is not None and covered < NEARLY_ALL:
        yield Problem(
            choice.display,
            "Display wider than the working space",
            f"{working} holds {covered:.0%} of the colours of {choice.display}; no render in it can use the rest. Work "
            "in a wider space, such as ACEScg, where the display’s strong colours matter.",
        )


@check("view.greys-tinted", CAUTION)
def greys_tinted(subjects: Subjects) -> Iterator[Problem]:
    """A view gives greys a colour."""
    for choice, curve, _ in _studied(subjects):
        if curve.tint > TINT:
            yield Problem(
                choice.view,
                "Greys get a colour",
                f"On {choice.display}, the channels of a grey differ by up to {curve.tint * 255:.1f} of 255. A neutral "
                "surface looks tinted, and nobody can grade it out for all brightnesses.",
            )


@check("view.light-falls", BLOCKER)
def light_falls(subjects: Subjects) -> Iterator[Problem]:
    """A view shows more light darker."""
    for choice, curve, _ in _studied(subjects):
        if curve.falls_at is not None:
            yield Problem(
                choice.view,
                "More light is shown darker",
                f"On {choice.display}, the tone curve falls from {curve.falls_at:+.1f} stops around grey on. Gradients "
                "turn round there. Soften its contrast, or move where its toe and shoulder begin.",
            )


@check("view.step", CAUTION)
def step(subjects: Subjects) -> Iterator[Problem]:
    """A view jumps from one brightness to another."""
    for choice, curve, _ in _studied(subjects):
        if curve.step_at is not None:
            yield Problem(
                choice.view,
                "Brightness jumps",
                f"On {choice.display}, the tone curve jumps at {curve.step_at:+.1f} stops around grey: a soft gradient "
                "gets a hard edge there. Let its toe or shoulder begin nearer to grey.",
            )


@check("view.hues-reversed", CAUTION)
def hues_reversed(subjects: Subjects) -> Iterator[Problem]:
    """A view puts neighbouring hues in each other's place."""
    for choice, _, swept in _studied(subjects):
        if swept.reversed_at is not None:
            yield Problem(
                choice.view,
                "Hues change places",
                f"On {choice.display}, from {swept.reversed_at:+.1f} stops on, two neighbouring saturated hues lie the "
                "other way round. Turn its insets and outsets less, or draw in less.",
            )


@check("view.hue-turn", NOTE)
def hue_turn(subjects: Subjects) -> Iterator[Problem]:
    """A view turns the hue of saturated lights on their way to white by a large angle."""
    for choice, _, swept in _studied(subjects):
        worst = swept.largest
        if abs(worst.turn) > LARGEST_TURN:
            yield Problem(
                choice.view,
                "Saturated lights turn hue",
                f"On {choice.display}, a light of hue {worst.angle % 360:.0f}° in ICtCp turns by {abs(worst.turn):.0f}°"
                f" at {worst.at:+.1f} stops. Tone and hue response, in Compare, shows all of them.",
            )


@check("view.highlights-on-one-value", CAUTION)
def highlights_on_one_value(subjects: Subjects) -> Iterator[Problem]:
    """A view puts most of a render's highlights on one and the same value."""
    choice = subjects.setup.view
    if space_of_view(subjects.config, choice) is None:
        return
    for render in subjects.renders:
        sample = render.sample()
        if sample is None or subjects.config.getColorSpace(render.space) is None:
            continue
        pixels = np.ascontiguousarray(sample[np.isfinite(sample).all(axis=1)], np.float32)[np.newaxis]
        if not pixels.size:
            continue
        light = apply(space_processor(subjects.config, render.space, ocio.ROLE_SCENE_LINEAR), pixels)[0]
        bright = light.max(axis=1) > HIGHLIGHT
        if bright.mean() < FEW_HIGHLIGHTS:
            continue
        codes = apply(view_processor(subjects.config, ocio.ROLE_SCENE_LINEAR, choice), light[bright][np.newaxis])[0]
        steps = np.round(np.clip(codes, 0, 1) * 1023).astype(np.int64)
        _, counts = np.unique(steps @ np.array([1 << 20, 1 << 10, 1]), return_counts=True)
        share = float(counts.max() / counts.sum())
        if share > MOST_ON_ONE_VALUE:
            yield Problem(
                render.name,
                "Highlights on one value",
                f"{choice.view} on {choice.display} shows {share:.0%} of what is brighter than diffuse white as one "
                "and the same value: windows and lamps become flat patches. Choose a view with a longer shoulder, or "
                "expose lower.",
            )


Study = tuple[ViewChoice, ToneCurve, Sweep]


def _studied(subjects: Subjects) -> Iterator[Study]:
    """The project's view, and those that were designed for it, with what they do to greys and hues."""
    designed = (ViewChoice(view.display, view.name) for view in subjects.setup.added_views if view.design)
    for choice in dict.fromkeys((subjects.setup.view, *designed)):
        study = _study(subjects.config, choice)
        if study is not None:
            yield choice, *study


@lru_cache(maxsize=64)
def _study(config: ocio.Config, choice: ViewChoice) -> tuple[ToneCurve, Sweep] | None:
    try:
        return tone_curve(config, choice), sweep(config, choice)
    except BadInput:
        return None  # numbers that are no light, or a config that does not tell


@lru_cache(maxsize=64)
def _covered(config: ocio.Config, working: str, display: str) -> float | None:
    """The share of a display's gamut that a working space holds; None where nobody can tell."""
    try:
        found = describe_working_space(config, working)
    except BadInput:
        return None
    return next((row.covered for row in found.displays if row.display == display), None)
