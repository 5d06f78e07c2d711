"""What leaves the project: a registry of kinds, each with its settings, plan, writing, reading back and facts."""

from saltwort.core.deliverables.options import Option, options_of, read_options
from saltwort.core.deliverables.registry import (
    FRAMES,
    NOTHING,
    OF_PICTURES,
    OPTIONAL,
    PICTURE,
    PICTURES,
    TAKES,
    Defaults,
    Deliverable,
    deliverable,
    deliverable_of,
    deliverables,
)
from saltwort.core.deliverables.shown import Source
from saltwort.core.deliverables.stored import upgraded
from saltwort.core.deliverables.told import Facts

__all__ = [
    "FRAMES",
    "NOTHING",
    "OF_PICTURES",
    "OPTIONAL",
    "PICTURE",
    "PICTURES",
    "TAKES",
    "Defaults",
    "Deliverable",
    "Facts",
    "Option",
    "Source",
    "deliverable",
    "deliverable_of",
    "deliverables",
    "options_of",
    "read_options",
    "upgraded",
]
