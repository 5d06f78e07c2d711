"""Filmic: an S-curve on log light in the working primaries, with a straight part between a toe and a shoulder.

With u the place in the log range and v the square-root-like height (display light is v to the power 2.4):

    toe       v = vt · (u / ut)^(s·ut/vt)                     for u below ut
    straight  v = vg + s · (u − ug)                           between ut and us
    shoulder  v = 1 − (1 − vs) · ((1 − u) / (1 − us))^(s·(1−us)/(1−vs))   above us

ug and vg are middle grey; ut and us lie the design's toe below and its shoulder above it, in stops. The exponents make
the slopes meet: the curve is smooth, strictly rising, and goes from (0, 0) to (1, 1). Both exponents are 1 or more, so
that the curve comes to black and white ever more gently, and never by a step.

Before the curve each channel gets a share of the mean of the three, so that a bright saturated light raises all of
them and goes to white; afterwards it is removed again, which leaves dim colours as saturated as they were.
"""

from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.measured import AP0_TO_XYZ_D65, linear_to_ap0, reference_to_ap0
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.errors import BadInput
from saltwort.core.luts import spi1d_file
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.gamuts import solve
from saltwort.core.views.bending import hdr_light
from saltwort.core.views.design import COLOUR, COMMON, HDR, Design, Parameter
from saltwort.core.views.family import AddedView, Preset, ViewFamily, WrittenView, family
from saltwort.core.views.gamut_fit import fit_transform
from saltwort.core.views.log_range import CURVE_POINTS, Array, stops_of, to_log_range
from saltwort.core.views.operations import design_label, floor, hdr_stops, log_range
from saltwort.core.views.screens import for_display, screen_for

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


@family
class Filmic(ViewFamily):
    key, label = "filmic", "Filmic"
    use = "A firm S-curve with a straight middle; middle grey is shown at 0.18."
    parameters = (
        *COMMON,
        Parameter("toe", "Toe begins below grey", 0.1, 4, 0.05, "stops"),
        Parameter("shoulder", "Shoulder begins above grey", 0.1, 4, 0.05, "stops"),
        *COLOUR,
        *HDR,
    )
    own_design = DESIGN
    presets = (
        Preset("Overcast pier", "Soft contrast, open shadows.", replace(DESIGN, contrast=1.05, toe=0.5, shoulder=0.6)),
        Preset(
            "Night ferry",
            "Two stops more above grey, for lamps against a dark sky.",
            replace(DESIGN, brightest=8.5, contrast=1.3, toe=0.5, shoulder=0.9),
        ),
        Preset(
            "Product table",
            "Nearly no path to white: colours stay as typed up to the shoulder.",
            replace(DESIGN, inset=(0.03,) * 3, outset=(0.03,) * 3, contrast=1.15),
        ),
    )

    def write(self, config: ocio.Config, view: AddedView, space: str) -> WrittenView:
        working_to_ap0 = linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
        if working_to_ap0 is None:
            raise BadInput("Filmic works in the primaries of the working space, which this config does not tell.")
        to_working = solve(working_to_ap0, reference_to_ap0(config))
        design = for_display(config, space, view.design or DESIGN)
        screen = screen_for(config, space, AP0_TO_XYZ_D65 @ working_to_ap0, design)
        values = hdr_curve(hdr_stops(design), design) if screen.is_hdr else sampled_curve(design)
        tone, files = spi1d_file("filmic", values**DISPLAY_POWER)
        return WrittenView(
            design_label("Filmic", design, screen),
            [
                matrix_transform(design.drawn_in() @ to_working),
                *log_range(design, screen),
                tone,
                matrix_transform(design.let_out()),
                floor(),
                matrix_transform(screen.to_display * screen.white),
                fit_transform(),
                *screen.finish(),
            ],
            files,
        )
