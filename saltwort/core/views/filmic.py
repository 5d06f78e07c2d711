"""Filmic: an S-curve on log light in the working primaries, with a straight part between a toe and a shoulder.

With u the place in the log range and v the square-root-like height (display light is v to the power 2.4):

    toe       v = vt · (u / ut)^(s·ut/vt)                     for u below ut
    straight  v = vg + s · (u − ug)                           between ut and us
    shoulder  v = 1 − (1 − vs) · ((1 − u) / (1 − us))^(s·(1−us)/(1−vs))   above us

ug and vg are middle grey; ut and us lie the design's toe below and its shoulder above it, in stops. The exponents make
the slopes meet: the curve is smooth, strictly rising, and goes from (0, 0) to (1, 1).

Before the curve each channel gets a share of the mean of the three, so that a bright saturated light raises all of
them and goes to white; afterwards it is taken out again, which leaves dim colours as saturated as they were.
"""

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.views.design import Design
from saltwort.core.views.log_range import CURVE_POINTS, MIDDLE_GREY, Array, to_log_range

DISPLAY_POWER = 2.4
_CROSSTALK = 0.12
DESIGN = Design(
    darkest=-10.0,
    brightest=6.5,
    grey=MIDDLE_GREY,
    contrast=1.25,
    toe=0.6,  # a longer straight part would lead the toe so low that shadows close three stops below grey
    shoulder=0.8,
    inset=(_CROSSTALK,) * 3,
    inset_turn=(0.0, 0.0, 0.0),
    outset=(_CROSSTALK,) * 3,
    outset_turn=(0.0, 0.0, 0.0),
)
"""Filmic as it is by itself."""


def curve(position: Array, design: Design = DESIGN) -> Array:
    """The S-curve on 0–1, as in the module's head. Raises BadInput when its straight part leaves the range."""
    grey, slope = design.height(DISPLAY_POWER)
    toe, shoulder = (design.grey_position + stops / design.stops for stops in (-design.toe, design.shoulder))
    toe_height, shoulder_height = (grey + slope * (place - design.grey_position) for place in (toe, shoulder))
    if min(toe, toe_height) <= 0 or max(shoulder, shoulder_height) >= 1:
        end = "toe" if min(toe, toe_height) <= 0 else "shoulder"
        raise BadInput(f"With this contrast the {end} would begin outside the picture. Begin it nearer to grey.")
    low = toe_height * (np.maximum(position, 0) / toe) ** (slope * toe / toe_height)
    straight = grey + slope * (position - design.grey_position)
    room, left = 1 - shoulder_height, np.maximum(1 - position, 0) / (1 - shoulder)
    high = 1 - room * left ** (slope * (1 - shoulder) / room)
    return np.asarray(np.where(position < toe, low, np.where(position > shoulder, high, straight)), np.float64)


def sampled_curve(design: Design = DESIGN) -> Array:
    """The curve at CURVE_POINTS places from 0 to 1, shape (CURVE_POINTS,)."""
    return curve(np.linspace(0, 1, CURVE_POINTS), design)


def render(light: Array, design: Design = DESIGN) -> Array:
    """Scene-linear light in the working primaries, shape (…, 3), as display light in the same primaries, 0 at the
    least. Greys stay grey."""
    toned = curve(to_log_range(light @ design.drawn_in().T, design), design) ** DISPLAY_POWER
    return np.asarray(np.maximum(toned @ design.let_out().T, 0.0))
