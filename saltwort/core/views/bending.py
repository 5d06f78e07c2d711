"""Curves that leave a straight line to arrive at a height, the more sharply the higher their power."""

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.views.design import Design
from saltwort.core.views.log_range import Array


def bend(distance: Array, slope: float, height: float, width: float, power: float) -> Array:
    """One side of a sigmoid: height over its middle at a distance from it, reaching `height` at `width`. Raises
    BadInput where a straight line would not come so far."""
    if slope * width <= height:
        raise BadInput("With this contrast, black and white lie outside the range. Raise it, or widen the range.")
    scale = ((slope * width) ** -power * ((slope * width / height) ** power - 1)) ** (-1 / power)
    run = slope * distance / scale
    return np.asarray(scale * run / (1 + run**power) ** (1 / power))


def hdr_light(stops: Array, design: Design, power: float) -> Array:
    """Display light of an HDR display, with diffuse white at 1, for stops above middle grey: it leaves grey with the
    design's contrast and comes to the peak at the end of the range. Light and scene are both told in stops here, so
    that highlights go on as they began."""
    room = float(np.log2(design.hdr_white / design.grey))
    rise = bend(
        np.minimum(np.maximum(stops, 0), design.hdr_brightest), design.contrast, room, design.hdr_brightest, power
    )
    return np.asarray(design.grey * 2.0**rise)
