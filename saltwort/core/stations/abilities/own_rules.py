"""Rules by which a station decides the space of a file by itself, before the config's."""

from saltwort.core.stations.station import Ability, ability

OWN_RULES = ability(
    Ability(
        31,
        "own_rules",
        "Has rules of its own for the space of a file",
        "The sheet says to turn them off, or they decide before the config does.",
        default=False,
    )
)
