"""Where a station is told which config it loads."""

from saltwort.core.stations.station import Ability, ability

ENVIRONMENT, PREFERENCE, PROJECT = "environment", "preference", "project"
CONFIG_SET_AT = ability(
    Ability(
        22,
        "config_set_at",
        "Is told its config by",
        "The sheet says where to set it, and what can override it there.",
        ENVIRONMENT,
        {
            ENVIRONMENT: "the OCIO environment variable",
            PREFERENCE: "a preference",
            PROJECT: "each project",
        },
    )
)
