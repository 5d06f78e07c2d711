"""Whether a station converts by the chromaticities in a header."""

from saltwort.core.stations.station import Ability, ability

KNOWS_CHROMATICITIES = ability(
    Ability(
        38,
        "knows_chromaticities",
        "Converts by chromaticities in EXR headers",
        "The sheet says to turn that off where a space is set, or it converts twice.",
        default=False,
    )
)
