"""What is said of an image beside its colours: steps, flips, bars, shifted chroma."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from saltwort.core.explain.alignment import Bars, Placement, flipped
from saltwort.core.explain.chroma import moved_back
from saltwort.core.explain.operation import Parameter
from saltwort.core.explain.question import Question
from saltwort.core.explain.steps import Step

LEAST_TOLD = 0.2
"""Pixels of colour beside brightness that are worth a word."""
LEAST_SAMPLES = 60
STEPS_OF = 255
IN_STEPS = 0.97
"""Share of the samples of a float file that lie on steps of 8 bits, for it to have had no more."""


@dataclass(frozen=True)
class Told:
    """A deviation as it is told: its code, its parameters, and what happened in a sentence."""

    code: str
    parameters: Mapping[str, Parameter]
    happened: str
    stage: str = ""
    undo: Step | None = None

    @property
    def can_be_undone(self) -> bool:
        return self.undo is not None


def stepped(question: Question) -> tuple[Told, ...]:
    """A float file whose numbers stand on the steps of 8 bits."""
    if question.is_clipped:
        return ()
    height, width = question.picture.shape[:2]
    numbers = question.picture[:: max(1, height // 120), :: max(1, width // 120), :3].astype(np.float64)
    inside = numbers[(numbers > 2 / STEPS_OF) & (numbers < 1)]
    if len(inside) < LEAST_SAMPLES:
        return ()
    on_step = np.abs(inside * STEPS_OF - np.round(inside * STEPS_OF)) < 0.02 + 5e-4 * STEPS_OF * inside
    if on_step.mean() < IN_STEPS:
        return ()
    return (Told("steps", {"bits": 8.0}, "Its numbers stand on the steps of 8 bits."),)


def geometry(placement: Placement, bars: Bars) -> Iterator[Told]:
    """A picture that is flipped, or has bars around it; one of another size, or cropped, is none the
    worse for it."""
    scale = round(1 / placement.scale[0], 4)
    if any(bars):
        told: dict[str, Parameter] = {"scale": scale, "bars": tuple(map(float, bars))}
        yield Told(
            "geometry", told, f"There is something around it: {_bars_told(bars)}.", "codes", lambda pixels: pixels
        )
    if flip := placement.flip:
        yield Told(
            "geometry",
            {"scale": scale, "flip": flip},
            f"The picture is flipped, {flip}.",
            "codes",
            lambda pixels: flipped(pixels, flip),
        )


def _bars_told(bars: Bars) -> str:
    sides = zip(("left", "top", "right", "bottom"), bars, strict=True)
    return ", ".join(f"{pixels} pixels {side}" for side, pixels in sides if pixels)


def beside_brightness(offset: tuple[float, float] | None) -> Iterator[Told]:
    """Colour that lies beside its brightness."""
    if offset is None:
        return
    found = offset
    ways = ((found[0], "to the right", "to the left"), (found[1], "down", "up"))
    told = " and ".join(
        f"{abs(by):.1f} pixels {plus if by > 0 else minus}" for by, plus, minus in ways if abs(by) >= LEAST_TOLD
    )
    yield Told(
        "chroma-siting",
        {"right": found[0], "down": found[1]},
        f"Its colour is shifted {told}, as where the chroma siting of a video is misread.",
        "codes",
        lambda pixels: moved_back(pixels, found),
    )
