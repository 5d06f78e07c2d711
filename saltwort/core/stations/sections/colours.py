"""Swatches and lights in the numbers that the station wants typed."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, LUT
from saltwort.core.stations.abilities.typed_colours import DISPLAY, TYPED_COLOURS
from saltwort.core.stations.sheet import Chain, ColourLine, Setting, section

Numbers = tuple[float, float, float]


@section(35, "colours", "Colours to type")
def colours(chain: Chain) -> Iterator[Setting]:
    picks = chain.station.able(TYPED_COLOURS) == DISPLAY
    for colour in chain.colours:
        numbers = _picked(chain, colour) if picks else _light(chain, colour)
        value = "" if numbers is None else "  ".join(f"{number:.4f}" for number in numbers)
        why = "sRGB, 0–1" if picks else f"light in {chain.own_space}"
        if numbers is None:
            why = "sRGB holds no such colour: type it where light can be typed"
        yield Setting(f"colour:{colour.name}", colour.name, value, "numbers", why, "file")


def _light(chain: Chain, colour: ColourLine) -> Numbers:
    """A colour as light in the space that the station has light in."""
    if chain.own_space == chain.working_space:
        return colour.working
    return apply_to_colour(space_processor(chain.config, chain.working_space, chain.own_space), colour.working)


def _picked(chain: Chain, colour: ColourLine) -> Numbers | None:
    """Code values of a picker in sRGB. One that takes LUTs alone undoes the curve, and knows no primaries: there the
    numbers are those of its own space behind the curve."""
    if chain.station.able(COLOUR_BY) != LUT:
        return colour.picked
    light = _light(chain, colour)
    if min(light) < 0 or max(light) > 1:
        return None
    red, green, blue = srgb_encoded(np.array(light)).tolist()
    return red, green, blue
