"""Frames that were rendered from the scene with a view in them, undone into light."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.explain.undoing import rescued_name
from saltwort.core.images.measuring import Survey
from saltwort.core.migration.plan import Change, Draft, step
from saltwort.core.migration.rendered import Rescuing, rendered_sequences
from saltwort.core.migration.steps.tone_mapping import KEY as TONE_MAPPING

KEY = "rescue-frames"
UNTONED = "un-tone-mapped"
CUT = (0.5 / 255, 1 - 0.5 / 255)


@dataclass(frozen=True)
class RescueFrames:
    """`through` is the view in the frames as DISPLAY/VIEW. Empty: the view that comes nearest to the scene's tone
    mapping where that is turned off before, else the un-tone-mapped view of the first display that has one."""

    through: str = ""


@step(
    KEY,
    "Rescue rendered frames",
    "Undoes the view in frames beside the scene, and writes them as light in EXR. The frames stay as they are.",
    RescueFrames,
    80,
)
def rescue(draft: Draft, settings: RescueFrames) -> Iterator[Change]:
    """Frames as light of the working space. Raises BadInput for a view that the config does not have."""
    sequences = rendered_sequences(draft.scene, draft.words)
    if not sequences:
        return
    choice, taken = _choice(draft, settings.through), set[Path]()
    for pattern, frames in sequences.items():
        for frame in frames:
            below = frame.file.relative_to(draft.scene.folder).as_posix()
            found = draft.survey(frame.file)
            target = frame.file.with_name(rescued_name(frame.file))
            if why := _not_rescued(found, target, taken):
                draft.leave(KEY, pattern, below, why)
                continue
            assert found is not None
            taken.add(target)
            draft.frames.append(Rescuing(frame.file, target, choice))
            yield Change(
                KEY,
                pattern,
                below,
                f"picture through {choice.view} on {choice.display}",
                f"light in {draft.working}",
                "Lights can be balanced and graded again.",
                _lost(found),
            )


def _choice(draft: Draft, typed: str) -> ViewChoice:
    display, _, view = typed.partition("/")
    if typed:
        choice = ViewChoice(display.strip(), view.strip())
        check_view(draft.config, choice)
        return choice
    nearest = draft.choices.get(TONE_MAPPING)
    if nearest:
        return ViewChoice(nearest[0].display, nearest[0].view)
    for display in draft.config.getDisplays():
        for view in draft.config.getViews(display):
            if view.lower().startswith(UNTONED):
                return ViewChoice(display, view)
    raise BadInput("Say which view is in the frames, as DISPLAY/VIEW: nothing in the scene tells it.")


def _not_rescued(found: Survey | None, target: Path, taken: set[Path]) -> str:
    if target in taken or target.exists():
        return f"{target.name} is there already, and nothing is overwritten. Rename or remove it."
    if found is None:
        return "It cannot be read."
    if not found.facts.header.bit_depth.endswith("-bit"):
        return "It holds floats, which may be light. Drop it on Hand-offs, and Explain tells."
    return ""


def _lost(found: Survey) -> str:
    """What of a frame is gone for good, in a sentence."""
    colours = found.sample[:, :3]
    cut = float(((colours <= CUT[0]) | (colours >= CUT[1])).any(axis=1).mean())
    depth = f"Between its {found.facts.header.bit_depth} steps nothing is known."
    return f"{cut:.1%} of its pixels are cut off at black or white, and stay so. {depth}" if cut > 0 else depth
