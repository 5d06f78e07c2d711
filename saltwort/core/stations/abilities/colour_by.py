"""By what a station manages colour."""

from saltwort.core.stations.station import Ability, Station, ability

CONFIG, TRANSFORM, LUT, ICC, SRGB = "config", "transform", "lut", "icc", "srgb"
COLOUR_BY = ability(
    Ability(
        10,
        "colour_by",
        "Manages colour by",
        "Decides what it is given: a config, a LUT, a profile, or nothing but the word sRGB.",
        CONFIG,
        {
            CONFIG: "a config",
            TRANSFORM: "a config in single nodes",
            LUT: "LUT files",
            ICC: "ICC profiles",
            SRGB: "sRGB or linear, nothing else",
        },
    )
)


def loads_config(station: Station) -> bool:
    """Whether the station takes an OCIO config, as a whole or in single nodes."""
    return station.able(COLOUR_BY) in (CONFIG, TRANSFORM)
