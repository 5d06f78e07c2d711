"""Which numbers a colour is typed in."""

from saltwort.core.stations.station import Ability, ability

WORKING, DISPLAY = "working", "display"
TYPED_COLOURS = ability(
    Ability(
        40,
        "typed_colours",
        "Colours are typed as",
        "The sheet gives swatches and lights in these numbers.",
        WORKING,
        {WORKING: "light in the working space", DISPLAY: "sRGB, as seen in a colour picker"},
    )
)
