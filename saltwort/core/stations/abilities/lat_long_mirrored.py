"""Whether a station shows lat-long environments mirrored."""

from saltwort.core.stations.station import READS_TEXTURES, Ability, ability

LAT_LONG_MIRRORED = ability(
    Ability(
        81,
        "lat_long_mirrored",
        "Shows environments from outside, mirrored",
        "Where two applications differ, the sheet says to flip it.",
        default=False,
        reads=(READS_TEXTURES,),
    )
)
