"""Whether a station that reads renders is fed light or finished pictures."""

from saltwort.core.stations.station import READS_RENDERS, Ability, ability

LIGHT, PICTURES = "light", "pictures"
TAKES = ability(
    Ability(
        29,
        "takes",
        "Is fed",
        "With finished pictures the sheet says to convert nothing and to add no view.",
        LIGHT,
        {LIGHT: "light, scene-linear", PICTURES: "finished pictures, with the view"},
        reads=(READS_RENDERS,),
    )
)
