"""The parameters of an AgX or filmic view.

Both families draw light in towards grey, tone-map each channel on a logarithmic range, and let colours out again. How
far each primary is drawn in, and how far it is turned, is told in the triangle that red, green and blue make when their
sum is 1 (Maxwell's): an inset of 0.1 moves a primary a tenth of its way to the middle of the triangle, which is grey; a
turn moves it around the middle, from red towards green.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.spaces.typed import Triple

Matrix = NDArray[np.float64]

_GREY = np.full(3, 1 / 3)
# An orthonormal pair in the triangle's plane: towards red, and from there towards green.
_TO_RED = np.array([2.0, -1.0, -1.0]) / math.sqrt(6)
_TO_GREEN = np.array([0.0, 1.0, -1.0]) / math.sqrt(2)


@dataclass(frozen=True)
class Design:
    """What makes a view of its family. `darkest` and `brightest` are stops from middle grey at which its range begins
    and ends; `grey` the display light, white at 1, that middle grey is shown at; `contrast` stops of display light per
    stop of scene light there. `toe` and `shoulder` mean what their family says. Insets and outsets are shares for red,
    green and blue, turns are degrees. `path_to_white` scales insets and outsets together: with 0, bright saturated
    light keeps its hue until it is cut; with more, it loses saturation on its way to white.

    On HDR displays, what SDR shows as white lies at `white_nits`, and the brightest light at `peak_nits`, both in
    cd/m²; up to middle grey, both are the same picture."""

    darkest: float
    brightest: float
    grey: float
    contrast: float
    toe: float
    shoulder: float
    inset: Triple
    inset_turn: Triple
    outset: Triple
    outset_turn: Triple
    path_to_white: float = 1.0
    peak_nits: float = 1000.0
    white_nits: float = 100.0

    @property
    def stops(self) -> float:
        return self.brightest - self.darkest

    @property
    def hdr_white(self) -> float:
        """The brightest light of an HDR display, with diffuse white at 1."""
        return self.peak_nits / self.white_nits

    @property
    def hdr_brightest(self) -> float:
        """Where the range ends on HDR displays, in stops from middle grey: as much further than in SDR as the peak lies
        over white, and at least so far that the curve need not rise more steeply than at grey."""
        room = math.log2(self.hdr_white / self.grey)
        return max(self.brightest + math.log2(self.hdr_white), LEAST_BEND * room / self.contrast)

    @property
    def grey_position(self) -> float:
        """Where middle grey lies in the range, 0–1."""
        return -self.darkest / self.stops

    def drawn_in(self) -> Matrix:
        """3×3 matrix that draws light in before the tone curve."""
        return inset_matrix(self._scaled(self.inset), self._scaled(self.inset_turn))

    def let_out(self) -> Matrix:
        """3×3 matrix that lets colours out after the tone curve."""
        return np.asarray(np.linalg.inv(inset_matrix(self._scaled(self.outset), self._scaled(self.outset_turn))))

    def _scaled(self, values: Triple) -> Triple:
        red, green, blue = (value * self.path_to_white for value in values)
        return red, green, blue

    def height(self, display_power: float) -> tuple[float, float]:
        """Where the tone curve passes middle grey, and its slope there, when display light is the curve's value to a
        power."""
        height = self.grey ** (1 / display_power)
        return height, self.contrast * self.stops * height * math.log(2) / display_power


@dataclass(frozen=True)
class Parameter:
    """A parameter as it is offered: its name, its limits, the step of a slider, and what it is counted in. One `by`
    primary is three numbers."""

    key: str
    label: str
    lowest: float
    highest: float
    step: float
    unit: str = ""
    by_primary: bool = False


COMMON = (
    Parameter("darkest", "Range below grey", -16, -4, 0.1, "stops"),
    Parameter("brightest", "Range above grey", 2, 14, 0.1, "stops"),
    Parameter("grey", "Grey shown at", 0.05, 0.4, 0.005, "of white"),
    Parameter("contrast", "Contrast at grey", 0.4, 2.5, 0.01, "stops per stop"),
)
COLOUR = (
    Parameter("path_to_white", "Path to white", 0, 2, 0.01, "of the insets"),
    Parameter("inset", "Inset", 0, 0.45, 0.001, "of the way to grey", by_primary=True),
    Parameter("inset_turn", "Turn of the inset", -20, 20, 0.1, "degrees", by_primary=True),
    Parameter("outset", "Outset", 0, 0.45, 0.001, "of the way to grey", by_primary=True),
    Parameter("outset_turn", "Turn of the outset", -20, 20, 0.1, "degrees", by_primary=True),
)
HDR = (
    Parameter("white_nits", "Diffuse white on HDR displays", 80, 400, 1, "cd/m²"),
    Parameter("peak_nits", "Peak on HDR displays", 400, 4000, 10, "cd/m²"),
)
MOST_DRAWN_IN = 0.85
LEAST_BEND = 1.15
"""How much longer the way to the peak of an HDR display is, at the least, than without a shoulder."""


def check_design(parameters: Sequence[Parameter], design: Design) -> None:
    """Raise BadInput, naming it, for a parameter out of its limits, or insets that leave nothing of a colour."""
    for parameter in parameters:
        value = getattr(design, parameter.key)
        for number in value if parameter.by_primary else (value,):
            if not parameter.lowest <= number <= parameter.highest:  # not a number is refused as well
                raise BadInput(f"{parameter.label} lies from {parameter.lowest:g} to {parameter.highest:g}.")
    if max(*design.inset, *design.outset) * design.path_to_white > MOST_DRAWN_IN:
        raise BadInput("With this path to white, hardly any colour would be left. Lower it, or an inset.")


def inset_matrix(inset: Triple, turn: Triple) -> Matrix:
    """3×3 matrix on linear RGB columns that draws each primary in and turns it (degrees). Rows sum to 1, so that greys
    stay. Raises BadInput for primaries so turned that they make no gamut around grey."""
    corners = []
    for primary, (share, degrees) in enumerate(zip(inset, turn, strict=True)):
        length = math.sqrt(2 / 3) * (1 - share)
        angle = math.radians(120 * primary + degrees)
        corners.append(_GREY + length * (math.cos(angle) * _TO_RED + math.sin(angle) * _TO_GREEN))
    matrix = np.array(corners).T
    try:
        scale = np.linalg.solve(matrix, np.ones(3))
    except np.linalg.LinAlgError:
        scale = np.zeros(3)
    if (scale <= 0).any():
        raise BadInput("These turns leave no gamut around grey. Turn the primaries less.")
    return np.asarray(matrix * scale, np.float64)


def inset_of(matrix: Matrix) -> tuple[Triple, Triple]:
    """The inset and turn of each primary that make a matrix whose rows sum to 1: `inset_matrix` undone."""
    insets, turns = [], []
    for primary, corner in enumerate((matrix / matrix.sum(axis=0)).T):
        across, up = (corner - _GREY) @ _TO_RED, (corner - _GREY) @ _TO_GREEN
        insets.append(1 - math.hypot(across, up) / math.sqrt(2 / 3))
        turns.append((math.degrees(math.atan2(up, across)) - 120 * primary + 180) % 360 - 180)
    return (insets[0], insets[1], insets[2]), (turns[0], turns[1], turns[2])
