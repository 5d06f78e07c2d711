"""A clamp that a station has by itself."""

from saltwort.core.stations.station import Ability, ability

OWN_CLAMP = ability(
    Ability(
        55,
        "own_clamp",
        "Can clamp light at 1",
        "The sheet says to turn it off.",
        default=False,
    )
)
