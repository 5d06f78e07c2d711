"""Whether the working space of a station can be chosen."""

from saltwort.core.stations.station import Ability, ability

CHOSEN, REC709 = "chosen", "rec709"
WORKING_SPACE = ability(
    Ability(
        26,
        "working_space",
        "Works in",
        "With a fixed one the sheet says to convert on reading and on writing.",
        CHOSEN,
        {
            CHOSEN: "the space that is set",
            REC709: "linear Rec.709, always",
        },
    )
)
