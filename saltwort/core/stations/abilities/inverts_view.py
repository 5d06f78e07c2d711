"""Whether a station can go back through a view."""

from saltwort.core.stations.station import Ability, ability

INVERTS_VIEW = ability(
    Ability(
        53,
        "inverts_view",
        "Can invert a view",
        "The sheet says how a finished picture becomes light again.",
        default=False,
    )
)
