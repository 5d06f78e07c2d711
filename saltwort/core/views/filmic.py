"""Filmic: an S-curve on log light in the working primaries, with a straight part between a toe and a shoulder.

With u the place in the log range and v the square-root-like height (display light is v to the power 2.4):

    toe       v = vt · (u / ut)^(s·ut/vt)                     for u below ut
    straight  v = vg + s · (u − ug)                           between ut and us
    shoulder  v = 1 − (1 − vs) · ((1 − u) / (1 − us))^(s·(1−us)/(1−vs))   above us

ug and vg are middle grey; ut and us lie the design's toe below and its shoulder above it, in stops. The exponents make
the slopes meet: the curve is smooth, strictly rising, and goes from (0, 0) to (1, 1). Both exponents are 1 or more, so
that the curve comes to black and white ever more gently, and never by a step.

Before the curve each channel gets a share of the mean of the three, so that a bright saturated light raises all of
them and goes to white; afterwards it is taken out again, which leaves dim colours as saturated as they were.
"""

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.views.bending import hdr_light
from saltwort.core.views.design import Design
from saltwort.core.views.log_range import CURVE_POINTS, Array, stops_of, to_log_range

DISPLAY_POWER = 2.4
_HDR_SHARPNESS = 2.5
"""Of the shoulder on HDR displays, which begins at grey."""
DESIGN = Design(
    darkest=-10.0,
    brightest=6.5,
    grey=MIDDLE_GREY,
    contrast=1.25,
    toe=0.6,  # a longer straight part would lead the toe so low that shadows close three stops below grey
    shoulder=0.8,
    inset=(0.12,) * 3,
    inset_turn=(0.0, 0.0, 0.0),
    outset=(0.08,) * 3,
    outset_turn=(0.0, 0.0, 0.0),
)
"""Filmic as it is by itself."""


def curve(position: Array, design: Design = DESIGN) -> Array:
    """The S-curve on 0–1, as in the module's head. Raises BadInput when its straight part leaves the range, or is so
    flat that black or white could be reached only by a step at the end."""
    grey, slope = design.height(DISPLAY_POWER)
    toe, shoulder = (design.grey_position + stops / design.stops for stops in (-design.toe, design.shoulder))
    toe_height, shoulder_height = (grey + slope * (place - design.grey_position) for place in (toe, shoulder))
    if min(toe, toe_height) <= 0 or max(shoulder, shoulder_height) >= 1:
        end = "toe" if min(toe, toe_height) <= 0 else "shoulder"
        raise BadInput(f"With this contrast the {end} would begin outside the picture. Begin it nearer to grey.")
    room = 1 - shoulder_height
    toe_power, shoulder_power = slope * toe / toe_height, slope * (1 - shoulder) / room
    for power, end, range_end in ((toe_power, "black", "below"), (shoulder_power, "white", "above")):
        if power < 1:
            raise BadInput(
                f"With this contrast, {end} lies outside the range. Raise the contrast, or widen the range {range_end} "
                "grey."
            )
    low = toe_height * (np.maximum(position, 0) / toe) ** toe_power
    straight = grey + slope * (position - design.grey_position)
    high = 1 - room * (np.maximum(1 - position, 0) / (1 - shoulder)) ** shoulder_power
    return np.asarray(np.where(position < toe, low, np.where(position > shoulder, high, straight)), np.float64)


def sampled_curve(design: Design = DESIGN) -> Array:
    """The curve at CURVE_POINTS places from 0 to 1, shape (CURVE_POINTS,)."""
    return curve(np.linspace(0, 1, CURVE_POINTS), design)


def hdr_curve(stops: Array, design: Design = DESIGN) -> Array:
    """The curve on HDR displays, over stops from middle grey, as in `agx.hdr_curve`."""
    sdr = curve(np.clip((stops - design.darkest) / design.stops, 0, 1), design)
    return np.where(stops <= 0, sdr, hdr_light(stops, design, _HDR_SHARPNESS) ** (1 / DISPLAY_POWER))


def render(light: Array, design: Design = DESIGN, *, hdr: bool = False) -> Array:
    """Scene-linear light in the working primaries, shape (…, 3), as display light in the same primaries, 0 at the
    least; white at 1, or, for HDR displays, diffuse white. Greys stay grey. What the display cannot show is fitted in
    its own primaries afterwards (`gamut_fit`)."""
    drawn = light @ design.drawn_in().T
    toned = hdr_curve(stops_of(drawn), design) if hdr else curve(to_log_range(drawn, design), design)
    return np.asarray(np.maximum(toned**DISPLAY_POWER @ design.let_out().T, 0.0))
