"""What a station can write."""

from saltwort.core.stations.station import Ability, ability

FLOATS, INTEGERS = "floats", "integers"
WRITES = ability(
    Ability(
        70,
        "writes",
        "Can write",
        "Where it is integers alone, what it hands on is a picture and no light, and a finding says so.",
        FLOATS,
        {FLOATS: "float EXR", INTEGERS: "8- and 16-bit files only"},
    )
)
