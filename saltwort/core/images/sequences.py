"""Sequences: pictures whose names differ in a frame number alone, such as `dusk.0001.exr`."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
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
    files = sorted(
        file for file in folder.iterdir() if file.suffix.lower() in SUFFIXES and not file.name.startswith(".")
    )
    if not files:
        raise BadInput(f"{folder.name} holds no pictures. Name a folder with frames.")
    if len(files) > MOST_FRAMES:
        raise BadInput(f"{folder.name} holds more than {MOST_FRAMES:,} frames.")
    frames = frames_of_names(files)
    names = sorted({(frame.stem, frame.file.suffix.lower()) for frame in frames if frame.number is not None})
    if len(names) > 1:
        listed = ", ".join(f"{stem}{suffix}" for stem, suffix in names[:5])
        raise BadInput(f"{folder.name} holds several sequences: {listed}. Put each into a folder of its own.")
    return sorted(frames, key=lambda frame: (frame.number is None, frame.number or 0, frame.file.name))


def missing_in(frames: Iterable[Frame]) -> list[int]:
    """The numbers between the first and the last frame that are not there."""
    numbers = {frame.number for frame in frames if frame.number is not None}
    return [number for number in range(min(numbers), max(numbers)) if number not in numbers] if numbers else []
