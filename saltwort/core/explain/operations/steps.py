"""Few steps: a picture that was posterised."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

BITS = (2, 3, 4, 5)
"""With 6 and more the steps can hardly be seen."""


def in_steps(bits: int) -> Step:
    """Code values rounded to so many bits."""
    most = np.float32(2**bits - 1)
    return on_colour(lambda codes: np.asarray(np.round(np.clip(codes, 0, 1) * most) / most, np.float32))


@operation("steps", "codes", "It was rounded to {bits} bits.")
def steps(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        for bits in BITS:
            yield Way(in_steps(bits), {"bits": float(bits)})
