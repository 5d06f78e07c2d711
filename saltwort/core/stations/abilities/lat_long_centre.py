"""Where the middle of a lat-long environment lies."""

from saltwort.core.stations.station import READS_TEXTURES, Ability, ability

LAT_LONG_CENTRE = ability(
    Ability(
        80,
        "lat_long_centre",
        "Middle of an environment",
        "Where two applications differ, the sheet says by how much to turn it.",
        "0",
        {
            "0": "in front of the default camera",
            "90": "to its right",
            "180": "behind it",
            "270": "to its left",
        },
        reads=(READS_TEXTURES,),
    )
)
