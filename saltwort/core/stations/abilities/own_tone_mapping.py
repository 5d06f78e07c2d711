"""Tone mapping that a station does by itself, besides the view."""

from saltwort.core.stations.station import Ability, ability

OWN_TONE_MAPPING = ability(
    Ability(
        51,
        "own_tone_mapping",
        "Has tone mapping of its own",
        "The sheet says to turn it off: with the view it would be applied twice.",
        default=False,
    )
)
