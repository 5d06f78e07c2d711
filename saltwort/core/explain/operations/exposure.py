"""Exposure: light multiplied, before the view."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Fit, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

FIRST = (-4.0, -2.5, -1.5, -0.75, -0.3, 0.3, 0.75, 1.5, 2.5, 4.0)


def exposed(stops: float) -> Step:
    """Light times a power of two."""
    gain = np.float32(2.0**stops)
    return on_colour(lambda light: light * gain)


@operation("exposure", "light", "Its exposure is off by {stops} stops.")
def exposure(scene: Scene) -> Iterator[Way]:
    fit = Fit("stops", -8.0, 8.0, exposed, FIRST, lambda stops: exposed(-stops))
    yield Way(None, {"stops": 0.0}, fit)
