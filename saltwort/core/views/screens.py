"""The displays that views are written for: what their light is, and how far it goes."""

from dataclasses import dataclass, replace

import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor
from saltwort.core.engine.displays import SDR_WHITE
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, display_to_xyz, space_written_by
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import Matrix, solve
from saltwort.core.views.design import Design

EXTENDED = "edr-video"
"""OCIO encoding of a display that takes values above 1 for light above white."""


def display_space(config: ocio.Config, display: str) -> str:
    """The display-referred space that the display's other views write to."""
    for view in config.getViews(display):
        space = space_written_by(config, ViewChoice(display, view))
        if space and space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY:
            found: str = space.getName()
            return found
    raise BadInput(f"The display “{display}” has no display-referred colour space (OCIO 2), which a view needs.")


@dataclass(frozen=True)
class Screen:
    """A display that is written for: from display light in some primaries to its own, and from those, where 1 is 100
    cd/m², to the display reference. `white` is where light of 1 lies, `peak` the brightest that is shown."""

    to_display: Matrix
    to_xyz: Matrix
    is_hdr: bool
    white: float
    peak: float

    def finish(self) -> list[ocio.Transform]:
        """From light in the display's primaries, white at 1, to the display reference, cut to what is shown."""
        return [
            ocio.RangeTransform(minInValue=0.0, maxInValue=self.peak, minOutValue=0.0, maxOutValue=self.peak),
            matrix_transform(self.to_xyz),
        ]


def screen_for(config: ocio.Config, space: str, light_to_xyz: Matrix, design: Design) -> Screen:
    if not config.hasRole(DISPLAY_INTERCHANGE):
        raise BadInput(f"The config has no role {DISPLAY_INTERCHANGE}, which a view needs.")
    to_xyz = display_to_xyz(config, space)
    to_display = solve(to_xyz, light_to_xyz)
    # Both whites are D65 to four places; the last step makes white exactly white, so that greys stay grey.
    to_display = to_display / to_display.sum(axis=1, keepdims=True)
    if not shows_hdr(config, space):
        return Screen(to_display, to_xyz, False, 1.0, 1.0)
    return Screen(to_display, to_xyz, True, design.white_nits / SDR_WHITE, design.peak_nits / SDR_WHITE)


def shows_hdr(config: ocio.Config, space: str) -> bool:
    """Whether a display-referred space goes beyond 100 cd/m²: its full code values do, or it says that it takes values
    above 1."""
    return config.getColorSpace(space).getEncoding() == EXTENDED or _brightest(config, space) > 1.5 * SDR_WHITE


def for_display(config: ocio.Config, space: str, design: Design) -> Design:
    """The design with no higher peak than the display's code values hold."""
    if config.getColorSpace(space).getEncoding() == EXTENDED:
        return design
    return replace(design, peak_nits=min(design.peak_nits, max(_brightest(config, space), design.white_nits * 1.01)))


def _brightest(config: ocio.Config, space: str) -> float:
    """cd/m² of full code values, rounded to whole ones as displays are told."""
    white = apply_to_colour(space_processor(config, space, DISPLAY_INTERCHANGE), (1.0, 1.0, 1.0))
    return float(round(white[1] * SDR_WHITE))
