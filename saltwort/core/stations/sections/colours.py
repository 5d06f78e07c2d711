"""Swatches and lights in the numbers that the station wants typed."""

from collections.abc import Iterator

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.scene.swatches import picked
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, LUT
from saltwort.core.stations.abilities.typed_colours import DISPLAY, TYPED_COLOURS
from saltwort.core.stations.sheet import Chain, Setting, section, space_of
from saltwort.core.stations.station import Station

Numbers = tuple[float, float, float]


@section(35, "colours", "Colours to type")
def colours(chain: Chain) -> Iterator[Setting]:
    picks = chain.station.able(TYPED_COLOURS) == DISPLAY
    for colour in chain.colours:
        numbers = (picked_in if picks else light_in)(chain.station, chain.config, colour.working)
        value = "" if numbers is None else "  ".join(f"{number:.4f}" for number in numbers)
        why = "sRGB, 0–1" if picks else f"scene-linear values in {chain.own_space}"
        if numbers is None:
            why = "sRGB does not hold it: type it where scene-linear values can be typed"
        if colour.appears:
            why = f"{why}; {colour.appears}"
        yield Setting(f"colour:{colour.name}", colour.name, value, "numbers", why, "file")


def light_in(station: Station, config: ocio.Config, working: Numbers) -> Numbers:
    """Scene-linear values of the working space in the space that a station has light in."""
    own = space_of(station, config)
    return apply_to_colour(space_processor(config, ocio.ROLE_SCENE_LINEAR, own), working)


def picked_in(station: Station, config: ocio.Config, working: Numbers) -> Numbers | None:
    """Code values, 0–1, of the sRGB colour picker of a station for scene-linear values of the working space; None where
    it does not hold them. A station that takes LUTs alone undoes the curve, and knows no primaries: there the numbers
    are those of its own space behind the curve."""
    if station.able(COLOUR_BY) != LUT:
        return picked(config, working)
    light = light_in(station, config, working)
    if min(light) < 0 or max(light) > 1:
        return None
    red, green, blue = srgb_encoded(np.array(light)).tolist()
    return red, green, blue
