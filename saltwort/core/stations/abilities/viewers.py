"""Whether a station shows pictures through a view, and how many of them."""

from saltwort.core.stations.station import Ability, ability

EACH, ONE, NONE = "each", "one", "none"
VIEWERS = ability(
    Ability(
        50,
        "viewers",
        "Viewers",
        "Where each has its own, the sheet says to set every one.",
        EACH,
        {EACH: "each has its display, view and look", ONE: "one view for all", NONE: "shows no view"},
    )
)
