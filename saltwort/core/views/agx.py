"""AgX: light is drawn in towards grey, tone-mapped per channel in log, and let out again.

Strong lights so lose saturation on their way to white instead of clipping one channel after the other. The tone curve
is a sigmoid through middle grey, whose toe and shoulder bend the more sharply the higher their powers.
"""

import math

import numpy as np

from saltwort.core.views.bending import bend, hdr_light
from saltwort.core.views.design import Design, inset_of
from saltwort.core.views.log_range import CURVE_POINTS, Array, stops_of, to_log_range

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
    toe = height - bend(np.maximum(-distance, 0), slope, height, grey, design.toe)
    shoulder = height + bend(np.maximum(distance, 0), slope, 1 - height, 1 - grey, design.shoulder)
    return np.asarray(np.where(distance < 0, toe, shoulder), np.float64)


def sampled_curve(design: Design = DESIGN) -> Array:
    """The curve at CURVE_POINTS places from 0 to 1, shape (CURVE_POINTS,), ending exactly at 0 and 1."""
    values = curve(np.linspace(0, 1, CURVE_POINTS), design)
    values[0], values[-1] = 0.0, 1.0
    return values


def hdr_curve(stops: Array, design: Design = DESIGN) -> Array:
    """The curve on HDR displays, over stops from middle grey, in the same height: display light, with diffuse white at
    1, is its value to the power DISPLAY_POWER. Up to middle grey it is that of SDR."""
    sdr = curve(np.clip((stops - design.darkest) / design.stops, 0, 1), design)
    return np.where(stops <= 0, sdr, hdr_light(stops, design, design.shoulder) ** (1 / DISPLAY_POWER))


def render(light: Array, design: Design = DESIGN, *, hdr: bool = False) -> Array:
    """Scene-linear Rec.2020 light, shape (…, 3), as display light in linear Rec.2020, 0 at the least; white at 1, or,
    for HDR displays, diffuse white.

    Greys stay grey, since the rows of both matrices sum to 1. Values slightly above white can leave the outset; what
    the display cannot show is clamped in its own primaries afterwards.
    """
    drawn = light @ design.drawn_in().T
    toned = hdr_curve(stops_of(drawn), design) if hdr else curve(to_log_range(drawn, design), design)
    return np.asarray(np.maximum(toned @ design.let_out().T, 0.0) ** DISPLAY_POWER)
