"""The LUT files that a station reads."""

from saltwort.core.deliverables.kinds.lut import FORMATS
from saltwort.core.stations.station import Ability, ability

LUT_FORMAT = ability(
    Ability(
        23,
        "lut_format",
        "Reads LUTs as",
        "The sheet names the LUT to load where it manages colour by LUT files.",
        "cube",
        {key: label for key, label in FORMATS.items() if key in ("cube", "3dl", "csp", "clf")},
        where={"colour_by": "lut"},
    )
)
