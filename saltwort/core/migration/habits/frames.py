"""Frames rendered with a view in them."""

from collections.abc import Iterator

from saltwort.core.migration.habits.registry import Seen, habit
from saltwort.core.migration.plan import Draft
from saltwort.core.migration.rendered import rendered_sequences


@habit(
    "frames-with-view",
    "Frames with the view in them",
    "They are pictures for a display, of few bits. Nothing can be relit or graded in them as in light.",
    "rescue-frames",
    is_hint=True,
)
def frames_with_view(draft: Draft) -> Iterator[Seen]:
    """Sequences beside the scene whose first frame is written in integers."""
    for pattern, frames in rendered_sequences(draft.scene, draft.words).items():
        found = draft.survey(frames[0].file)
        if found is not None and found.facts.header.bit_depth.endswith("-bit"):
            depth = found.facts.header.bit_depth
            yield Seen("", pattern, f"{len(frames):,} frames of {depth}, and no document reads them.")
