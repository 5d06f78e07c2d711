"""Where a picture lies in the render that it should show, and the bars around it."""

from collections.abc import Iterator
from dataclasses import replace

from saltwort.core.explain.alignment import (
    CERTAIN,
    LIKELY,
    NO_BARS,
    Bars,
    Placement,
    Reduced,
    around,
    bars_of,
    place,
    reduced,
)
from saltwort.core.explain.question import Question

HARDLY_COVERED = 0.03
"""Part of a picture that may be covered without being looked for: far fewer samples than may be off."""
CLEARLY_MORE = 0.1
"""By how much a picture must be more alike without its bars."""


def placed(question: Question) -> tuple[Placement, Bars]:
    """Where the picture lies in the light, and the bars around it, where it is found only without them."""
    light, picture = reduced(question.light), reduced(question.picture)
    placement = place(light, picture)
    if placement.likeness >= CERTAIN:
        return placement, NO_BARS
    for bars in _likely_bars(question, light, picture, placement):
        if any(bars):
            within = place(light, reduced(inside(question, bars).picture))
            if within.likeness > placement.likeness + CLEARLY_MORE:
                return within, bars
    if placement.likeness < LIKELY:  # a negative is dark where the light is bright
        negative = place(light, replace(picture, bright=-picture.bright))
        return max(placement, negative, key=lambda found: found.likeness), NO_BARS
    return placement, NO_BARS


def _likely_bars(question: Question, light: Reduced, picture: Reduced, placement: Placement) -> Iterator[Bars]:
    bars = bars_of(question.picture)
    fills = placement.fills(light, picture)
    # What fills the picture has nothing around it; but bars may be laid over it.
    if not fills or _covered(bars, picture.shape) > HARDLY_COVERED:
        yield bars
    if not fills:
        yield around(light, picture)


def _covered(bars: Bars, shape: tuple[int, int]) -> float:
    """The part of a picture of a shape, (height, width), that bars cover."""
    left, top, right, bottom = bars
    return 1 - (1 - (top + bottom) / shape[0]) * (1 - (left + right) / shape[1])


def inside(question: Question, bars: Bars) -> Question:
    """The question of the picture without its bars."""
    left, top, right, bottom = bars
    height, width = question.picture.shape[:2]
    return replace(question, picture=question.picture[top : height - bottom, left : width - right])
