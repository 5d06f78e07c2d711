"""Whether a station follows profiles that pictures carry."""

from saltwort.core.stations.station import Ability, ability

KNOWS_ICC = ability(
    Ability(
        38,
        "knows_icc",
        "Follows ICC profiles in files",
        "The sheet says where a profile may decide.",
        default=False,
    )
)
