"""Whether a station follows the code points of H.273 in pictures and videos."""

from saltwort.core.stations.station import Ability, ability

KNOWS_CICP = ability(
    Ability(
        39,
        "knows_cicp",
        "Follows code points (cICP)",
        "The sheet says that they tell PQ, HLG and wide gamuts.",
        default=False,
    )
)
