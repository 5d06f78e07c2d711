"""Cut off at a level of light, before the view."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Fit, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

LEVELS = (0.25, 0.35, 0.5, 0.7, 0.85, 1.0, 1.4, 2.0, 4.0, 8.0, 16.0)
"""To begin with: above its level a cut changes nothing, so that nothing leads down to it from afar."""


def cut_at(level: float) -> Step:
    """Light up to a level."""
    return on_colour(lambda light: np.clip(light, 0, np.float32(level)))


@operation("clipped", "light", "Light is cut off at {level}.")
def clipped(scene: Scene) -> Iterator[Way]:
    yield Way(None, {"level": 1.0}, Fit("level", 0.2, 64.0, cut_at, LEVELS))
