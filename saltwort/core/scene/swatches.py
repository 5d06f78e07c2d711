"""A typed colour with what it becomes."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.engine.measured import display_to_xyz
from saltwort.core.engine.typed import typed_in, xyz_of
from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.diagram import xy_to_uv
from saltwort.core.spaces.gamuts import Chromaticity, is_inside, solve
from saltwort.core.spaces.typed import Triple, TypedColour
from saltwort.core.views.screens import display_space
from saltwort.core.views.tone import display_xyz

SRGB_SCENE = "srgb_rec709_scene"
"""The interop ID, and the alias in configs, of colour that is encoded as sRGB."""
CLOSE = 5e-4


@dataclass(frozen=True)
class ConvertedColour:
    """`working`: scene-linear light in the working space. `shown`: display code values through the view, 0–1."""

    working: Triple
    shown: Triple


@dataclass(frozen=True)
class DisplayGamut:
    """Whether a colour lies in a display's gamut, however bright it is: its light in the display's primaries."""

    display: str
    light: Triple

    @property
    def holds(self) -> bool:
        return is_inside(self.light)


@dataclass(frozen=True)
class ColourFacts:
    """What a colour is, whatever numbers it has: CIE 1931 xy and 1976 u′v′ (None for black) as seen with D65 for
    neutral, luminance Y with diffuse white at 1, stops from middle grey (None at and below 0), and whether each
    display can show what appears of it."""

    xy: Chromaticity | None
    uv: Chromaticity | None
    luminance: float
    stops: float | None
    displays: tuple[DisplayGamut, ...]


def convert(config: ocio.Config, typed: TypedColour, choice: ViewChoice) -> ConvertedColour:
    """A typed colour in the working space and as seen through a view. Raises BadInput for unknown names."""
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    light = typed_in(config, typed, working)
    return ConvertedColour(light, apply_to_colour(view_processor(config, working, choice), light))


def picked(config: ocio.Config, light: Triple) -> Triple | None:
    """Light of the working space as sRGB code values, as a colour picker shows it; None where these do not hold it, or
    the config has no such space."""
    space = config.getColorSpace(SRGB_SCENE)
    if space is None:
        return None
    codes = apply_to_colour(space_processor(config, ocio.ROLE_SCENE_LINEAR, space.getName()), light)
    held = all(-CLOSE <= code <= 1 + CLOSE for code in codes)
    return (min(max(codes[0], 0), 1), min(max(codes[1], 0), 1), min(max(codes[2], 0), 1)) if held else None


def seen_through(config: ocio.Config, light: Triple, choice: ViewChoice) -> Triple | None:
    """CIE XYZ, with Y = 1 at 100 cd/m², that a display shows of scene-linear values of the working space; None for a
    view that does not output display colours."""
    codes = np.clip(apply_to_colour(view_processor(config, ocio.ROLE_SCENE_LINEAR, choice), light), 0, 1)
    try:
        x, y, z = display_xyz(config, choice, np.asarray(codes)[np.newaxis])[0].tolist()
    except BadInput:
        return None
    return x, y, z


def colour_facts(config: ocio.Config, light: Triple, seen: Triple | None = None) -> ColourFacts | None:
    """The facts of scene-linear values in the working space; None when the config has no interchange role to tell by.
    Displays are judged by what is seen of it, CIE XYZ as `seen_through` gives, or by the colour itself."""
    try:
        xyz = xyz_of(config, light, ocio.ROLE_SCENE_LINEAR)
    except BadInput:
        return None
    total = sum(xyz)
    xy = (xyz[0] / total, xyz[1] / total) if total > 1e-9 else None
    return ColourFacts(
        xy=xy,
        uv=xy_to_uv(xy) if xy else None,
        luminance=xyz[1],
        stops=float(np.log2(xyz[1] / MIDDLE_GREY)) if xyz[1] > 0 else None,
        displays=tuple(_display_gamuts(config, seen or xyz)),
    )


def _display_gamuts(config: ocio.Config, xyz: Triple) -> list[DisplayGamut]:
    found = []
    for display in config.getDisplays():
        try:
            to_xyz = display_to_xyz(config, display_space(config, display))
        except BadInput:
            continue  # a display whose primaries nobody can tell
        red, green, blue = solve(to_xyz, np.array(xyz)).tolist()
        found.append(DisplayGamut(display, (red, green, blue)))
    return found
