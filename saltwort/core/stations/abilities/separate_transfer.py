"""Whether curve and primaries of a file are set one by one."""

from saltwort.core.stations.station import Ability, ability

SEPARATE_TRANSFER = ability(
    Ability(
        35,
        "separate_transfer",
        "Sets curve and primaries separately",
        "The sheet gives both for each space.",
        default=False,
    )
)
