"""Whether a station reads LUTs with a shaper."""

from saltwort.core.stations.station import Ability, ability

LUT_SHAPER = ability(
    Ability(
        23,
        "lut_shaper",
        "Reads LUTs with a shaper",
        "Without it the LUT takes a logarithmic space, to which light must be converted first.",
        default=True,
        where={"colour_by": "lut"},
    )
)
