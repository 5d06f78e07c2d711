"""Sequences: pictures whose names differ in a frame number alone, such as `dusk.0001.exr`."""

import re
from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

from saltwort.core.errors import BadInput

_NUMBERED = re.compile(r"^(?P<stem>.*?)[._-]?(?P<digits>\d{1,9})$")
_RANGE = re.compile(r"^(\d{1,9})(?:-(\d{1,9})(?:x(\d{1,9}))?)?$")
SUFFIXES = (".exr", ".png", ".jpg", ".jpeg", ".tif", ".tiff", ".hdr", ".dpx")
MOST_FRAMES = 200_000


@dataclass(frozen=True)
class Frame:
    """A picture and its place in a sequence: the name without the number, the number, and its digits as written. A
    picture whose name has no number is no frame: `number` is None."""

    file: Path
    stem: str
    number: int | None = None
    digits: str = ""


@dataclass(frozen=True)
class FrameRange:
    """Frames that are asked for: from `first` to `last` in steps, several with commas. Empty for all."""

    parts: tuple[tuple[int, int, int], ...] = ()

    @classmethod
    def read(cls, text: str) -> "FrameRange":
        """Raises BadInput for what is no range."""
        parts = []
        for each in filter(None, (part.strip() for part in text.split(","))):
            match = _RANGE.match(each)
            if not match:
                raise BadInput(f"“{each}” is no range of frames. Write it as 1-100, 1-100x2 or 7.")
            first = int(match[1])
            last = int(match[2]) if match[2] else first
            step = int(match[3] or 1)
            if step < 1 or last < first:
                raise BadInput(f"“{each}” runs backwards or stands still. Write the lower frame first.")
            parts.append((first, last, step))
        return cls(tuple(parts))

    def holds(self, number: int) -> bool:
        """Whether a frame is asked for."""
        if not self.parts:
            return True
        return any(first <= number <= last and (number - first) % step == 0 for first, last, step in self.parts)

    def wanted(self, known: Collection[int]) -> list[int]:
        """The numbers that are asked for between the first known and the last, in order: those in a range, or all in
        the step in which the known come. Raises BadInput where these lie further apart than any sequence is long."""
        if not known:
            return []
        check_span(known)
        first, last = min(known), max(known)
        if not self.parts:
            return list(range(first, last + 1, step_of(known)))
        found: set[int] = set()
        for low, high, step in self.parts:
            start = low if low >= first else low + -(-(first - low) // step) * step
            found.update(range(start, min(high, last) + 1, step))
        return sorted(found)


def frame_of(file: Path) -> Frame:
    """The place of a picture in a sequence, by its name."""
    match = _NUMBERED.match(file.stem)
    if match is None:
        return Frame(file, file.stem)
    stem = match["stem"] or file.resolve().parent.name  # `0001.exr`: the folder names the sequence
    return Frame(file, stem, int(match["digits"]), match["digits"])


def frames_of_names(files: Iterable[Path]) -> list[Frame]:
    return [frame_of(file) for file in files]


def frames_in(folder: Path) -> list[Frame]:
    """The frames of the one sequence in a folder, by number. Raises BadInput for a folder without pictures, or with
    several sequences."""
    frames = _pictures_in(folder)
    groups = _grouped(frames)
    if len(groups) > 1:
        listed = ", ".join(pattern_of(group) for group in groups[:5])
        raise BadInput(f"{folder.name} holds several sequences: {listed}. Put each into a folder of its own.")
    return sorted(frames, key=lambda frame: (frame.number is None, frame.number or 0, frame.file.name))


def sequences_in(folder: Path) -> dict[str, list[Frame]]:
    """The sequences in a folder, as `sequences_of` gives them. Raises BadInput where there is none."""
    sequences = sequences_of(_pictures_in(folder))
    if not sequences:
        raise BadInput(f"{folder.name} holds no frames. Their names end in a number, such as dusk.0001.exr.")
    return sequences


def sequences_of(frames: Iterable[Frame]) -> dict[str, list[Frame]]:
    """The sequences among some pictures by pattern, each of at least two frames, by number; of two files of a number
    the last stands. Raises BadInput for numbers that lie too far apart to be frames."""
    by_number = [{frame.number or 0: frame for frame in group} for group in _grouped(frames)]
    sequences = {pattern_of(group.values()): [group[n] for n in sorted(group)] for group in by_number if len(group) > 1}
    for pattern, group in sequences.items():
        check_span([frame.number or 0 for frame in group], pattern)
    return sequences


def _pictures_in(folder: Path) -> list[Frame]:
    files = sorted(
        file for file in folder.iterdir() if file.suffix.lower() in SUFFIXES and not file.name.startswith(".")
    )
    if not files:
        raise BadInput(f"{folder.name} holds no pictures. Name a folder with frames.")
    if len(files) > MOST_FRAMES:
        raise BadInput(f"{folder.name} holds more than {MOST_FRAMES:,} frames.")
    return frames_of_names(files)


def _grouped(frames: Iterable[Frame]) -> list[list[Frame]]:
    """Those that have numbers, by what else is in their names; numbers may outgrow their padding."""
    groups = defaultdict(list)
    for frame in frames:
        if frame.number is not None:
            groups[frame.file.stem.removesuffix(frame.digits), frame.file.suffix.lower()].append(frame)
    return [group for _, group in sorted(groups.items())]


def pattern_of(frames: Collection[Frame]) -> str:
    """The name that the frames of a sequence share, with `#` for the digits: `dusk.####.exr`."""
    one = min(frames, key=lambda frame: len(frame.digits))
    return f"{one.file.stem.removesuffix(one.digits)}{'#' * len(one.digits)}{one.file.suffix}"


def padding_of(pattern: str) -> int:
    """How many digits the frames of a sequence have at least, by its pattern; 1 of what has none."""
    runs = re.findall("#+", pattern)
    return len(runs[-1]) if runs else 1


def frame_name(pattern: str, number: int) -> str:
    """The name of a frame of a sequence."""
    digits = f"{number:0{padding_of(pattern)}d}"
    start = pattern.rfind("#")
    return f"{pattern[: start + 1 - padding_of(pattern)]}{digits}{pattern[start + 1 :]}" if start >= 0 else pattern


def is_same_sequence(pattern: str, other: str) -> bool:
    """Whether two patterns differ in their padding alone, which follows from the frames that are there."""
    one, two = (each.rpartition("#") for each in (pattern, other))
    return (one[0].rstrip("#"), one[2]) == (two[0].rstrip("#"), two[2])


def check_span(numbers: Collection[int], pattern: str = "The sequence") -> None:
    """Raise BadInput for numbers between which more frames are missing than any sequence has."""
    if numbers and (max(numbers) - min(numbers)) // step_of(numbers) >= MOST_FRAMES:
        raise BadInput(
            f"{pattern}: its numbers go from {min(numbers)} to {max(numbers)}, too far apart for frames. Leave out the "
            "files that do not belong to it."
        )


def step_of(numbers: Collection[int]) -> int:
    """The least distance between two frames, 1 where there are none."""
    return min((after - before for before, after in pairwise(sorted(set(numbers)))), default=1)


def missing_in(numbers: Collection[int]) -> list[int]:
    """The frames between the first and the last that are not there, in the step in which the others come."""
    known = set(numbers)
    return [number for number in FrameRange().wanted(known) if number not in known]


def runs_of(numbers: Iterable[int]) -> str:
    """Frames as people write them: `1-12, 20`; `none` where there are none."""
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return ", ".join(f"{run[0]}-{run[-1]}" if len(run) > 1 else str(run[0]) for run in runs) or "none"
