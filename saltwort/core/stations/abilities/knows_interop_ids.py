"""Whether a station reads the interop ID in a header."""

from saltwort.core.stations.station import Ability, ability

KNOWS_INTEROP_IDS = ability(
    Ability(
        37,
        "knows_interop_ids",
        "Reads interop IDs",
        "The sheet says that the header of an EXR tells its space.",
        default=False,
    )
)
