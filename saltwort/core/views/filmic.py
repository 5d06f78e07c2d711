"""Filmic: an S-curve on log light in the working primaries, with a straight part between a toe and a shoulder.

With u the place in the log range and v the square-root-like height (display light is v to the power 2.4):

    toe       v = vt · (u / ut)^(s·ut/vt)                     for u below ut
    straight  v = vg + s · (u − ug)                           between ut and us
    shoulder  v = 1 − (1 − vs) · ((1 − u) / (1 − us))^(s·(1−us)/(1−vs))   above us

ug and vg are middle grey, so that 0.18 is shown as 0.18 display light; ut and us lie TOE_STOPS below and SHOULDER_STOPS
above it. The exponents make the slopes meet: the curve is smooth, strictly rising, and goes from (0, 0) to (1, 1).

Before the curve each channel gets CROSSTALK of the mean of the three, so that a bright saturated light raises all of
them and goes to white; afterwards it is taken out again, which leaves dim colours as saturated as they were.
"""

import numpy as np

from saltwort.core.views.log_range import CURVE_POINTS, GREY_POSITION, MIDDLE_GREY, STOPS, Array, to_log_range

DISPLAY_POWER = 2.4
CONTRAST = 1.25
"""Stops of display light per stop of scene light at middle grey."""
TOE_STOPS, SHOULDER_STOPS = 0.6, 0.8
"""A longer straight part would lead the toe so low that shadows close three stops below grey."""
CROSSTALK = 0.12

_GREY_HEIGHT = MIDDLE_GREY ** (1 / DISPLAY_POWER)
_SLOPE = CONTRAST * STOPS * _GREY_HEIGHT * np.log(2) / DISPLAY_POWER
_TOE = GREY_POSITION - TOE_STOPS / STOPS
_SHOULDER = GREY_POSITION + SHOULDER_STOPS / STOPS
_TOE_HEIGHT = _GREY_HEIGHT + _SLOPE * (_TOE - GREY_POSITION)
_SHOULDER_HEIGHT = _GREY_HEIGHT + _SLOPE * (_SHOULDER - GREY_POSITION)

INSET = (1 - CROSSTALK) * np.eye(3) + CROSSTALK / 3
OUTSET: Array = np.asarray(np.linalg.inv(INSET), np.float64)


def curve(position: Array) -> Array:
    """The S-curve on 0–1, as in the module's head."""
    toe = _TOE_HEIGHT * (np.maximum(position, 0) / _TOE) ** (_SLOPE * _TOE / _TOE_HEIGHT)
    straight = _GREY_HEIGHT + _SLOPE * (position - GREY_POSITION)
    room = 1 - _SHOULDER_HEIGHT
    left = np.maximum(1 - position, 0) / (1 - _SHOULDER)
    shoulder = 1 - room * left ** (_SLOPE * (1 - _SHOULDER) / room)
    return np.asarray(np.where(position < _TOE, toe, np.where(position > _SHOULDER, shoulder, straight)), np.float64)


def sampled_curve() -> Array:
    """The curve at CURVE_POINTS places from 0 to 1, shape (CURVE_POINTS,)."""
    return curve(np.linspace(0, 1, CURVE_POINTS))


def render(light: Array) -> Array:
    """Scene-linear light in the working primaries, shape (…, 3), as display light in the same primaries, 0 at the
    least. Greys stay grey."""
    toned = curve(to_log_range(light @ INSET.T)) ** DISPLAY_POWER
    return np.asarray(np.maximum(toned @ OUTSET.T, 0.0))
