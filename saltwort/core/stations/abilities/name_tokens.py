"""Whether a station tells the space of a file by a token in its name."""

from saltwort.core.stations.station import READS_TEXTURES, Ability, ability

NAME_TOKENS = ability(
    Ability(
        36,
        "name_tokens",
        "Tells the space by a token in the file name",
        "The sheet says which files to rename, and how.",
        default=False,
        reads=(READS_TEXTURES,),
    )
)
