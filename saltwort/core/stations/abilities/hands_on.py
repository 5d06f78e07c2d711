"""What a station hands on."""

from saltwort.core.stations.station import Ability, ability

LIGHT, TEXTURES, PICTURES, NOTHING = "light", "textures", "pictures", "nothing"
HANDS_ON = ability(
    Ability(
        69,
        "hands_on",
        "Hands on",
        "The sheet says how to write it, and the chain what lies on the arrow.",
        LIGHT,
        {
            LIGHT: "light, scene-linear",
            TEXTURES: "textures",
            PICTURES: "finished pictures, with the view",
            NOTHING: "nothing: it is for looking",
        },
    )
)
