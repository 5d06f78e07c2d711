"""A power on code values: a gamma besides what was agreed."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Fit, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.images.reading import Pixels

FIRST = (0.36, 0.42, 0.4545, 0.55, 0.7, 0.85, 1.18, 1.4, 1.8, 2.2, 2.4, 2.8)


def powered(exponent: float) -> Step:
    """Numbers to a power, with their sign kept."""

    def step(codes: Pixels) -> Pixels:
        with np.errstate(over="ignore"):  # light far above 1 to a high power is more than float32 holds
            return np.asarray(np.sign(codes) * np.abs(codes) ** np.float32(exponent))

    return on_colour(step)


@operation("power", "codes", "A power of {exponent} was applied besides.")
def power(scene: Scene) -> Iterator[Way]:
    yield Way(
        None, {"exponent": 1.0}, Fit("exponent", 0.25, 4.0, powered, FIRST, lambda exponent: powered(1 / exponent))
    )
