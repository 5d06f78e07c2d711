"""Highlights compressed by tone mapping besides the view, in common forms."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

reinhard: Step = on_colour(lambda light: np.asarray(1 - 1 / (1 + np.maximum(light, 0)), np.float32))
exponential: Step = on_colour(lambda light: 1 - np.exp(-np.maximum(light, 0)))


@operation("tone-mapped", "light", "Its light was compressed by another tone mapping, {curve}, before.")
def tone_mapped(scene: Scene) -> Iterator[Way]:
    yield Way(reinhard, {"curve": "light / (1 + light)"})
    yield Way(exponential, {"curve": "1 − exp(−light)"})
