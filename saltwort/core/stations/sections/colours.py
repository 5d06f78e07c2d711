"""Swatches and lights in the numbers that the station wants typed."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.typed_colours import DISPLAY, TYPED_COLOURS
from saltwort.core.stations.sheet import Chain, Setting, section


@section(35, "colours", "Colours to type")
def colours(chain: Chain) -> Iterator[Setting]:
    picks = chain.station.able(TYPED_COLOURS) == DISPLAY
    for colour in chain.colours:
        numbers = colour.picked if picks else colour.working
        value = "" if numbers is None else "  ".join(f"{number:.4f}" for number in numbers)
        why = "sRGB, 0–1" if picks else f"light in {chain.working_space}"
        if numbers is None:
            why = "sRGB holds no such colour: type it where light can be typed"
        yield Setting(f"colour:{colour.name}", colour.name, value, "numbers", why, "file")
