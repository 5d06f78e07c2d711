"""Whether a station offers the roles of a config in place of its spaces."""

from saltwort.core.stations.station import Ability, ability

ROLES_ONLY = ability(
    Ability(
        24,
        "roles_only",
        "Offers roles only",
        "The sheet names roles where there is one for the space.",
        default=False,
    )
)
