"""What a station does with a file that nothing is said of."""

from saltwort.core.stations.station import READS_TEXTURES, Ability, ability

RAW, ONE_SPACE = "raw", "one"
DEFAULT_INPUT = ability(
    Ability(
        33,
        "default_input",
        "Reads other files",
        "The sheet says which space to set for files that nothing is said of.",
        RAW,
        {
            RAW: "raw, or as linear",
            ONE_SPACE: "in one default input space",
        },
        reads=(READS_TEXTURES,),
    )
)
