"""What leaves the project: a registry of kinds, each with its settings, plan, writing, reading back and facts."""

from saltwort.core.deliverables.registry import Defaults, Deliverable, Source, deliverable, deliverables
from saltwort.core.deliverables.writing import Written, write_handoff, write_still

__all__ = [
    "Defaults",
    "Deliverable",
    "Source",
    "Written",
    "deliverable",
    "deliverables",
    "write_handoff",
    "write_still",
]
