"""Whether a station takes the spaces of textures from the config by itself."""

from saltwort.core.stations.station import READS_TEXTURES, Ability, ability

FOLLOWS_FILE_RULES = ability(
    Ability(
        30,
        "follows_file_rules",
        "Takes texture spaces from the config’s file rules",
        "Without it the sheet lists every texture, to be set by hand.",
        default=True,
        reads=(READS_TEXTURES,),
    )
)
