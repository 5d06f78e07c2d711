"""What leaves the project: finished stills with the view in them, and scene-linear files for the next hand."""

from saltwort.core.outputs.files import Written, write_handoff, write_still
from saltwort.core.outputs.tags import handoff_tags, still_tags

__all__ = ["Written", "handoff_tags", "still_tags", "write_handoff", "write_still"]
