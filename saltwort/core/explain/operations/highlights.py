"""Highlights compressed: what is above a knee rolled off, before the view."""

from collections.abc import Callable, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.operation import FitMany, Parameter, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

Numbers = NDArray[np.float64]
Curve = Callable[[NDArray[np.float32], Numbers], NDArray[np.float32]]
LEAST, MOST = -4.0, 6.0
"""Stops from 1 between which a knee, and what lies above it, are looked for."""
SHARPEST = 6.0
"""The exponent from which on a curve can hardly be told from one that clips."""
STARTS = ((-1.0, -0.5, 1.0), (0.0, 0.0, 1.5))
DRAWN = np.geomspace(0.02, 64, 80)


def _rational(over: NDArray[np.float32], numbers: Numbers) -> NDArray[np.float32]:
    """Towards 1, with the slope 1 at 0: u / (1 + uᵖ)^(1/p)."""
    power = np.float32(numbers[2])
    return np.asarray(over / (1 + over**power) ** (1 / power), np.float32)


def _rational_undone(rolled: NDArray[np.float32], numbers: Numbers) -> NDArray[np.float32]:
    power, inside = np.float32(numbers[2]), np.minimum(rolled, np.float32(0.9999))
    return np.asarray(inside / (1 - inside**power) ** (1 / power), np.float32)


def _logarithmic(over: NDArray[np.float32], _: Numbers) -> NDArray[np.float32]:
    return np.log1p(over)


def _logarithmic_undone(rolled: NDArray[np.float32], _: Numbers) -> NDArray[np.float32]:
    return np.expm1(np.minimum(rolled, np.float32(16)))


def _above(curve: Curve, numbers: Numbers) -> Step:
    """A curve of what is above the knee, in parts of its span; the rest stays."""
    knee, span = np.float32(2.0 ** numbers[0]), np.float32(2.0 ** numbers[1])

    def rolled(values: NDArray[np.float32]) -> NDArray[np.float32]:
        over = np.maximum(np.nan_to_num(values, posinf=1e9) - knee, 0) / span
        return np.asarray(np.where(values > knee, knee + span * curve(over, numbers), values), np.float32)

    return on_colour(rolled)


def _told(numbers: Numbers) -> dict[str, Parameter]:
    return {"knee": float(2.0 ** numbers[0]), "span": float(2.0 ** numbers[1])}


def _with_power(numbers: Numbers) -> dict[str, Parameter]:
    return {**_told(numbers), "sharpness": float(numbers[2])}


def drawn(parameters: Mapping[str, Parameter]) -> tuple[list[float], list[float]]:
    """Values and what became of them, of a deviation's parameters."""
    knee, span, power = (parameters.get(name, 0.0) for name in ("knee", "span", "sharpness"))
    assert isinstance(knee, float) and isinstance(span, float) and isinstance(power, float)
    numbers = np.array([np.log2(knee), np.log2(span), power])
    values = np.repeat(DRAWN.astype(np.float32)[np.newaxis, :, np.newaxis], 3, axis=2)
    became = _above(_rational if power else _logarithmic, numbers)(values)
    return DRAWN.round(4).tolist(), became[0, :, 0].astype(float).round(4).tolist()


@operation("highlights", "light", "Highlights above {knee} were compressed, before the view.")
def highlights(scene: Scene) -> Iterator[Way]:
    for start in STARTS:
        yield Way(
            None,
            _with_power(np.array(start)),
            many=FitMany(
                start,
                (LEAST, LEAST, 0.6),
                (MOST, MOST, SHARPEST),
                lambda numbers: _above(_rational, numbers),
                _with_power,
                lambda numbers: _above(_rational_undone, numbers),
            ),
        )
        yield Way(
            None,
            _told(np.array(start)),
            many=FitMany(
                start[:2],
                (LEAST, LEAST),
                (MOST, MOST),
                lambda numbers: _above(_logarithmic, numbers),
                _told,
                lambda numbers: _above(_logarithmic_undone, numbers),
            ),
        )
