"""The logarithmic range that AgX and filmic share: stops around middle grey, on 0–1."""

import numpy as np
from numpy.typing import NDArray

from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.views.design import Design

Array = NDArray[np.float64]

CURVE_POINTS = 4096
"""Points of a written curve. Between two, linear interpolation is off by less than 1e-6 for both families as they are
by themselves."""


def stops_of(light: Array) -> Array:
    """Scene-linear light in stops from middle grey; minus infinity for zero and negative light."""
    with np.errstate(divide="ignore"):
        return np.asarray(np.log2(np.maximum(light, 0.0) / MIDDLE_GREY))


def to_log_range(light: Array, design: Design) -> Array:
    """Scene-linear light as its place in the design's range, 0–1, clamped; zero and negative light is at 0."""
    return np.clip((stops_of(light) - design.darkest) / design.stops, 0.0, 1.0)
