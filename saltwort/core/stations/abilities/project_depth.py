"""The bit depth of a station's project."""

from saltwort.core.stations.station import READS_RENDERS, Ability, ability

PROJECT_DEPTH = ability(
    Ability(
        60,
        "project_depth",
        "Has a bit depth for each project",
        "The sheet says to set 32 bits: fewer cut light off at 1.",
        default=False,
        reads=(READS_RENDERS,),
    )
)
