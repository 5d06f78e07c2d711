"""AgX: light is drawn in towards grey, tone-mapped per channel in log, and let out again.

Strong lights so lose saturation on their way to white instead of clipping one channel after the other. The tone curve
is a sigmoid through middle grey, whose toe and shoulder bend the more sharply the higher their powers.
"""

import math
from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.measured import AP0_TO_XYZ_D65, reference_to_ap0
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.luts import spi1d_file
from saltwort.core.spaces.gamuts import AP0, REC2020, rgb_to_rgb
from saltwort.core.views.bending import bend, hdr_light
from saltwort.core.views.design import COLOUR, COMMON, HDR, Design, Parameter, inset_of
from saltwort.core.views.family import AddedView, Preset, ViewFamily, WrittenView, family
from saltwort.core.views.log_range import CURVE_POINTS, Array, stops_of, to_log_range
from saltwort.core.views.operations import design_label, floor, hdr_stops, log_range, most, power_curve
from saltwort.core.views.screens import for_display, screen_for

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


@family
class AgX(ViewFamily):
    key, label = "agx", "AgX"
    use = "Bright saturated lights go softly to white; middle grey is shown at 0.22."
    parameters = (
        *COMMON,
        Parameter("toe", "Toe sharpness", 1.05, 8, 0.05),
        Parameter("shoulder", "Shoulder sharpness", 1.05, 8, 0.05),
        *COLOUR,
        *HDR,
    )
    own_design = DESIGN
    presets = (
        Preset(
            "Harbour haze",
            "Low contrast and a long shoulder: for grading afterwards.",
            replace(DESIGN, contrast=0.68, toe=2.2, shoulder=2.0, brightest=8.0),
        ),
        Preset(
            "Paper lantern",
            "Coloured lamps keep their colour longer before they go white.",
            replace(DESIGN, contrast=0.95, path_to_white=0.6),
        ),
        Preset(
            "Slate noon",
            "Firm contrast and deep shadows for hard sun.",
            replace(DESIGN, contrast=1.15, grey=0.19, toe=1.9, shoulder=4.0, darkest=-9.0),
        ),
    )

    def write(self, config: ocio.Config, view: AddedView, space: str) -> WrittenView:
        to_rec2020 = rgb_to_rgb(AP0, REC2020) @ reference_to_ap0(config)
        design = for_display(config, space, view.design or DESIGN)
        screen = screen_for(config, space, AP0_TO_XYZ_D65 @ rgb_to_rgb(REC2020, AP0), design)
        values = hdr_curve(hdr_stops(design), design) if screen.is_hdr else sampled_curve(design)
        tone, files = spi1d_file("agx", values)
        power, power_file = power_curve(DISPLAY_POWER, most(design.let_out()) * float(values[-1]))
        return WrittenView(
            design_label("AgX", design, screen),
            [
                matrix_transform(design.drawn_in() @ to_rec2020),
                *log_range(design, screen),
                tone,
                matrix_transform(design.let_out()),
                floor(),
                power,
                matrix_transform(screen.to_display * screen.white),
                *screen.finish(),
            ],
            files | power_file,
        )
