"""The size of the LUTs that a station reads."""

from saltwort.core.stations.station import Ability, ability

LUT_SIZE = ability(
    Ability(
        23,
        "lut_size",
        "Reads cubes up to",
        "The LUT in its package has this size.",
        "65",
        {
            "17": "17 nodes a side",
            "33": "33 nodes a side",
            "65": "65 nodes a side",
        },
        where={"colour_by": "lut"},
    )
)
