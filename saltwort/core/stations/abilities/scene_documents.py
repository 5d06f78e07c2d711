"""The documents in which a station reads scenes, and with them the colour settings."""

from saltwort.core.stations.station import READS_TEXTURES, Ability, ability

NONE, USD, MATERIALX, BOTH = "none", "usd", "materialx", "both"
SCENE_DOCUMENTS = ability(
    Ability(
        28,
        "scene_documents",
        "Reads scenes as",
        "The package has documents that carry the spaces of textures by themselves.",
        NONE,
        {NONE: "its own files only", USD: "USD", MATERIALX: "MaterialX", BOTH: "USD and MaterialX"},
        reads=(READS_TEXTURES,),
    )
)
