"""How a station compresses the EXR that it writes."""

from saltwort.core.stations.station import Ability, ability

CHOSEN, DWA, NONE = "any", "dwa", "none"
COMPRESSION = ability(
    Ability(
        72,
        "compression",
        "Writes EXR",
        "The sheet says which compression to set.",
        CHOSEN,
        {
            CHOSEN: "with any compression",
            DWA: "with DWA unless told not to",
            NONE: "uncompressed only",
        },
    )
)
