"""Whether a station can write its view into files."""

from saltwort.core.stations.station import Ability, ability

NEVER, CAN, BY_DEFAULT = "never", "can", "default"
BAKES_VIEW = ability(
    Ability(
        71,
        "bakes_view",
        "Writes the view into files",
        "The sheet says to turn it off; where it is on at first, a finding says so too.",
        NEVER,
        {NEVER: "never", CAN: "if asked to", BY_DEFAULT: "unless told not to"},
    )
)
