"""AgX: light is drawn in towards grey, tone-mapped per channel in log, and let out again.

Strong lights so lose saturation on their way to white instead of clipping one channel after the other. The tone curve
is a sigmoid through middle grey, whose toe and shoulder bend the more sharply the higher their powers.
"""

import math

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.views.design import Design, inset_of
from saltwort.core.views.log_range import CURVE_POINTS, Array, to_log_range

# Both act on linear Rec.2020; rows are output channels.
_INSET = np.array(
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
DISPLAY_POWER = 2.2
_DARKEST, _BRIGHTEST, _SLOPE, _HEIGHT = -10.0, 6.5, 2.0, 0.5
DESIGN = Design(
    darkest=_DARKEST,
    brightest=_BRIGHTEST,
    grey=_HEIGHT**DISPLAY_POWER,
    contrast=DISPLAY_POWER * _SLOPE / ((_BRIGHTEST - _DARKEST) * _HEIGHT * math.log(2)),
    toe=3.0,
    shoulder=3.25,
    inset=inset_of(_INSET)[0],
    inset_turn=inset_of(_INSET)[1],
    outset=inset_of(_INSET_AFTERWARDS)[0],
    outset_turn=inset_of(_INSET_AFTERWARDS)[1],
)
"""AgX as it is by itself."""


def curve(position: Array, design: Design = DESIGN) -> Array:
    """The sigmoid on 0–1, from (0, 0) through middle grey to (1, 1), strictly rising. Raises BadInput for a contrast
    too low to reach black and white within the range."""
    height, slope = design.height(DISPLAY_POWER)
    distance, grey = position - design.grey_position, design.grey_position
    toe = height - _bend(np.maximum(-distance, 0), slope, height, grey, design.toe)
    shoulder = height + _bend(np.maximum(distance, 0), slope, 1 - height, 1 - grey, design.shoulder)
    return np.asarray(np.where(distance < 0, toe, shoulder), np.float64)


def _bend(distance: Array, slope: float, height: float, width: float, power: float) -> Array:
    """One side of the sigmoid: height over the pivot at a distance from it, reaching `height` at `width`."""
    if slope * width <= height:
        raise BadInput("With this contrast, black and white lie outside the range. Raise it, or widen the range.")
    scale = ((slope * width) ** -power * ((slope * width / height) ** power - 1)) ** (-1 / power)
    run = slope * distance / scale
    return np.asarray(scale * run / (1 + run**power) ** (1 / power))


def sampled_curve(design: Design = DESIGN) -> Array:
    """The curve at CURVE_POINTS places from 0 to 1, shape (CURVE_POINTS,), ending exactly at 0 and 1."""
    values = curve(np.linspace(0, 1, CURVE_POINTS), design)
    values[0], values[-1] = 0.0, 1.0
    return values


def render(light: Array, design: Design = DESIGN) -> Array:
    """Scene-linear Rec.2020 light, shape (…, 3), as display light in linear Rec.2020, 0 at the least.

    Greys stay grey, since the rows of both matrices sum to 1. Values slightly above 1 can leave the outset; what the
    display cannot show is clamped in its own primaries afterwards.
    """
    toned = curve(to_log_range(light @ design.drawn_in().T, design), design) @ design.let_out().T
    return np.asarray(np.maximum(toned, 0.0) ** DISPLAY_POWER)
