"""Channels mixed into one another, as by a matrix on code values, or one channel shown as all three."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.operation import FitMany, Parameter, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

Numbers = NDArray[np.float64]
LOWEST, HIGHEST = -1.5, 2.5
"""Parts of a channel that may go into another."""
CLIPPED = 0.004
"""Of white: nearer to black or white than this, a value may have been clipped."""
WORST = 30.0
"""Condition of a matrix up to which it can be undone without making noise of 8 bits visible."""


def _times(matrix: Numbers) -> Step:
    turned = matrix.T.astype(np.float32)
    return on_colour(lambda codes: np.asarray(codes @ turned, np.float32))


def _undone(numbers: Numbers) -> Step | None:
    matrix = numbers.reshape(3, 3)
    return _times(np.asarray(np.linalg.inv(matrix), np.float64)) if np.linalg.cond(matrix) < WORST else None


def _solved(before: NDArray[np.float32], after: NDArray[np.float32]) -> Numbers:
    """By least squares, of what is neither black nor white."""
    inside = (after > CLIPPED) & (after < 1 - CLIPPED)
    rows = [np.linalg.lstsq(before[kept], after[kept, at], rcond=None)[0] for at, kept in enumerate(inside.T)]
    return np.asarray(np.clip(np.concatenate(rows), LOWEST, HIGHEST), np.float64)


def _told(numbers: Numbers) -> dict[str, Parameter]:
    rows = numbers.reshape(3, 3)
    return {name: tuple(map(float, row)) for name, row in zip(("red", "green", "blue"), rows, strict=True)}


@operation(
    "channel-mix", "codes", "Its channels were mixed: red is {red} of red, green and blue; green {green}; blue {blue}."
)
def channel_mix(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        start = tuple(np.eye(3).ravel().tolist())
        many = FitMany(
            start,
            (LOWEST,) * 9,
            (HIGHEST,) * 9,
            lambda numbers: _times(numbers.reshape(3, 3)),
            _told,
            _undone,
            _solved,
        )
        yield Way(None, _told(np.eye(3).ravel()), many=many)
