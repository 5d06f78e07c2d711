"""Whether the bit depth of a file decides how a station reads it."""

from saltwort.core.stations.station import Ability, ability

DEPTH_DECIDES = ability(
    Ability(
        32,
        "depth_decides",
        "Takes 8 and 16 bits as encoded, 32 bits as linear",
        "The sheet says which files that reads wrongly.",
        default=False,
    )
)
