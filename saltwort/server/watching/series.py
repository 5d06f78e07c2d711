"""The frames of a watched folder together: what each is, what jumps out, and what is missing."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from saltwort.core.explain.frames import Figures, Note, jumps
from saltwort.core.findings.registry import BLOCKER, CheckedFolder, NotedFrame, codes
from saltwort.core.images.sequences import missing_in
from saltwort.server.projects.models import Project
from saltwort.server.watching.models import WatchedFolder, WatchedFrame

State = Literal["good", "attention", "blocker"]
GOOD: State = "good"
ATTENTION: State = "attention"
BLOCKED: State = "blocker"
MISSING = "frame.missing"
MOST_SPREAD = 200_000


@dataclass(frozen=True)
class Seen:
    """A frame with all that is wrong with it, the worst first."""

    name: str
    number: int | None
    state: State
    notes: tuple[Note, ...]
    figures: Figures | None


@dataclass(frozen=True)
class Series:
    """The frames of one name, by number, and the numbers between the first and the last that are not there."""

    stem: str
    frames: tuple[Seen, ...]
    missing: tuple[int, ...]


def level_of(code: str) -> str:
    """The level of a code of frames, as the page of findings has it."""
    return next(known.level for known in codes() if known.code == code)


def is_blocked(notes: Iterable[Note]) -> bool:
    return any(level_of(note.code) == BLOCKER for note in notes)


def series_of(folder: WatchedFolder) -> list[Series]:
    """All frames that were seen in a folder."""
    groups: dict[str, list[WatchedFrame]] = defaultdict(list)
    for frame in folder.frames.all():
        groups[frame.stem].append(frame)
    return [_series(stem, frames) for stem, frames in groups.items()]


def _series(stem: str, frames: Sequence[WatchedFrame]) -> Series:
    jumping = jumping_in(frames)
    numbers = [frame.number for frame in frames if frame.number is not None]
    spread = max(numbers) - min(numbers) if numbers else 0
    missing = tuple(missing_in(numbers)) if len(numbers) > 1 and spread < MOST_SPREAD else ()
    return Series(stem, tuple(seen(frame, jumping.get(frame.pk)) for frame in frames), missing)


def checked_folders(project: Project) -> list[CheckedFolder]:
    """The watched folders of a project as findings look at them."""
    return [CheckedFolder(Path(folder.place).name, noted_in(folder)) for folder in project.watched.all()]


def noted_in(folder: WatchedFolder) -> tuple[NotedFrame, ...]:
    """All that is wrong with the frames of a folder."""
    return tuple(_noted(folder))


def _noted(folder: WatchedFolder) -> Iterator[NotedFrame]:
    for series in series_of(folder):
        for frame in series.frames:
            yield from (NotedFrame(frame.name, frame.number, note.code, note.why) for note in frame.notes)
        for number in series.missing:
            yield NotedFrame(series.stem, number, MISSING, "It has not landed.")


def jumping_in(frames: Iterable[WatchedFrame]) -> dict[int, str]:
    """The frames of one name whose brightness jumps, by key, with a sentence."""
    good = {
        frame.number: frame
        for frame in frames
        if frame.number is not None and frame.figures is not None and not is_blocked(frame.noted())
    }
    found = jumps({number: frame.figures for number, frame in good.items() if frame.figures is not None})
    return {good[number].pk: why for number, why in found.items()}


def seen(frame: WatchedFrame, jump: str | None) -> Seen:
    """A frame, with what its brightness says beside the others."""
    notes = (*frame.noted(), *([Note("frame.exposure-jump", jump)] if jump else []))
    state: State = GOOD if not notes else BLOCKED if is_blocked(notes) else ATTENTION
    return Seen(frame.name, frame.number, state, notes, frame.figures)
