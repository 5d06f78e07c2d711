"""An exposure that a station has besides the viewer."""

from saltwort.core.stations.station import Ability, ability

OWN_EXPOSURE = ability(
    Ability(
        54,
        "own_exposure",
        "Has an exposure of its own besides the view",
        "The sheet says to leave it at 0.",
        default=False,
    )
)
