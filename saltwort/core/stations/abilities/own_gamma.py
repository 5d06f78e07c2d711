"""A gamma that a station applies by itself, to textures, the screen, or both."""

from saltwort.core.stations.station import Ability, ability

OWN_GAMMA = ability(
    Ability(
        52,
        "own_gamma",
        "Has a gamma setting of its own",
        "The sheet says to set it to 1: with a config, or a decoded texture, it would be applied twice.",
        default=False,
    )
)
