"""The logarithmic space in which a station grades."""

from saltwort.core.stations.station import READS_RENDERS, Ability, ability

NONE, ACESCCT, ACESCC = "none", "acescct", "acescc"
GRADING_SPACE = ability(
    Ability(
        61,
        "grading_space",
        "Grades in",
        "The sheet says what to convert light to before the grade.",
        NONE,
        {NONE: "the working space", ACESCCT: "ACEScct", ACESCC: "ACEScc"},
        reads=(READS_RENDERS,),
    )
)
