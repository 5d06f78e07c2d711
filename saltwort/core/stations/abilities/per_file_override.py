"""Whether the space can be set for a single file."""

from saltwort.core.stations.station import Ability, ability

PER_FILE_OVERRIDE = ability(
    Ability(
        34,
        "per_file_override",
        "Space can be set for each file",
        "Without it the sheet says what to convert or rename instead.",
        default=True,
    )
)
