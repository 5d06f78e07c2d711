"""Cut off at a level of light, before the view."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Fit, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour


def cut_at(level: float) -> Step:
    """Light up to a level."""
    return on_colour(lambda light: np.clip(light, 0, np.float32(level)))


@operation("clipped", "light", "Light is cut off at {level}.")
def clipped(scene: Scene) -> Iterator[Way]:
    yield Way(None, {"level": 1.0}, Fit("level", 0.2, 64.0, cut_at, (0.5, 1.0, 2.0, 4.0, 8.0)))
