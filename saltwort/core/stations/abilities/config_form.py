"""In which form a station takes the config."""

from saltwort.core.stations.station import Ability, ability

CONFIG_FORM = ability(
    Ability(
        21,
        "config_form",
        "Takes the config as",
        "With a folder only, the sheet says to unpack the archive first.",
        "archive",
        {"archive": "archive or folder", "folder": "folder only"},
    )
)
