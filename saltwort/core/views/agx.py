"""AgX: light is drawn in towards grey, tone-mapped per channel in log, and let out again.

Strong lights so lose saturation on their way to white instead of clipping one channel after the other.
"""

import numpy as np

from saltwort.core.views.log_range import CURVE_POINTS, GREY_POSITION, Array, to_log_range

# Both act on linear Rec.2020; rows are output channels.
INSET = np.array(
    [
        [0.856627153315983, 0.0951212405381588, 0.0482516061458583],
        [0.137318972929847, 0.761241990602591, 0.101439036467562],
        [0.11189821299995, 0.0767994186031903, 0.811302368396859],
    ]
)
# The outset is the inverse of this.
_INSET_AFTERWARDS = np.array(
    [
        [0.899796955911611, 0.0871996192028351, 0.013003424885555],
        [0.11142098895748, 0.875575586156966, 0.0130034248855548],
        [0.11142098895748, 0.0871996192028349, 0.801379391839686],
    ]
)
OUTSET: Array = np.asarray(np.linalg.inv(_INSET_AFTERWARDS), np.float64)
PIVOT_HEIGHT = 0.5
SLOPE = 2.0
TOE_POWER, SHOULDER_POWER = 3.0, 3.25
DISPLAY_POWER = 2.2


def curve(position: Array) -> Array:
    """The sigmoid on 0–1: through (10/16.5, 0.5) with slope 2, from (0, 0) to (1, 1), strictly rising."""
    distance = position - GREY_POSITION
    toe = PIVOT_HEIGHT - _bend(np.maximum(-distance, 0), PIVOT_HEIGHT, GREY_POSITION, TOE_POWER)
    shoulder = PIVOT_HEIGHT + _bend(np.maximum(distance, 0), 1 - PIVOT_HEIGHT, 1 - GREY_POSITION, SHOULDER_POWER)
    return np.asarray(np.where(distance < 0, toe, shoulder), np.float64)


def _bend(distance: Array, height: float, width: float, power: float) -> Array:
    """One side of the sigmoid: height over the pivot at a distance from it, reaching `height` at `width`."""
    scale = ((SLOPE * width) ** -power * ((SLOPE * width / height) ** power - 1)) ** (-1 / power)
    run = SLOPE * distance / scale
    return np.asarray(scale * run / (1 + run**power) ** (1 / power))


def sampled_curve() -> Array:
    """The curve at CURVE_POINTS places from 0 to 1, shape (CURVE_POINTS,), ending exactly at 0 and 1."""
    values = curve(np.linspace(0, 1, CURVE_POINTS))
    values[0], values[-1] = 0.0, 1.0
    return values


def render(light: Array) -> Array:
    """Scene-linear Rec.2020 light, shape (…, 3), as display light in linear Rec.2020, 0 at the least.

    Greys stay grey, since the rows of both matrices sum to 1. Values slightly above 1 can leave the outset; what the
    display cannot show is clamped in its own primaries afterwards.
    """
    toned = curve(to_log_range(light @ INSET.T)) @ OUTSET.T
    return np.asarray(np.maximum(toned, 0.0) ** DISPLAY_POWER)
