"""What a deliverable is, and the registry of them: a kind of thing that leaves the project, a module each.

A new one is a module in `deliverables/kinds` with a subclass of Deliverable and the decorator `deliverable`.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cache
from math import isfinite
from pathlib import Path, PurePath
from typing import Any, ClassVar, Generic, TypeVar

import PyOpenColorIO as ocio

from saltwort.core.deliverables.foreseen import Foreseen, Subject
from saltwort.core.deliverables.options import CHOICE, check_options, options_of
from saltwort.core.deliverables.shown import Doubt, Source
from saltwort.core.deliverables.told import Facts
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.modules import import_all
from saltwort.core.structured import structured
from saltwort.core.views.grade import NO_GRADE, Grade

Settings = TypeVar("Settings")
Progress = Callable[[float, str], None]
"""Told the share done, 0–1, and what is being done; may raise to stop."""


@dataclass(frozen=True)
class Defaults:
    """What a project has chosen, which holds where settings say nothing else."""

    view: ViewChoice
    working_space: str
    grade: Grade = NO_GRADE


NOTHING, OPTIONAL, PICTURE, PICTURES, FRAMES = "nothing", "optional", "picture", "pictures", "frames"
"""What a deliverable is made of: of the config alone, which may be measured over a picture, of one picture, of one or
several together, or of all frames of a sequence."""
TAKES = (NOTHING, OPTIONAL, PICTURE, PICTURES, FRAMES)
OF_PICTURES = (PICTURE, PICTURES, FRAMES)


class Deliverable(Generic[Settings]):
    """A kind of thing that leaves the project. `settings` is a frozen dataclass of how it is made, with fields made by
    `options.option`."""

    kind: ClassVar[str]
    label: ClassVar[str]
    use: ClassVar[str]
    """What it is for, in a sentence or two."""
    takes: ClassVar[str] = PICTURE
    verifies: ClassVar[bool] = False
    """Whether files can be held against its settings."""
    compares: ClassVar[bool] = False
    """Whether pixels of files can be held against those that it makes of a render."""
    settings: type[Settings]

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        """Settings that follow from what the project has chosen, by name."""
        return {}

    def plan(self, config: ocio.Config, settings: Settings) -> None:
        """Raise BadInput for what cannot be made, beyond what the options refuse by themselves."""

    def of_textures(self, settings: Settings) -> bool:
        """Whether it is made of the textures of the project instead of a render."""
        return False

    def named(self, stem: str, revision: int, settings: Settings) -> str:
        """The name of the file, of the stem of what it is made of; empty where it is made of the config alone."""
        raise NotImplementedError

    def endings(self, settings: Settings) -> tuple[str, ...]:
        """How the name of the file may end, the usual one first."""
        return (PurePath(self.named("", 0, settings)).suffix,)

    def facts(self, config: ocio.Config, settings: Settings) -> Facts:
        """What the file is to be, before it is made."""
        raise NotImplementedError

    def foresee(self, config: ocio.Config, settings: Settings, subject: Subject | None) -> Foreseen:
        """What one file takes, or a frame of it, and what it does not keep; of `subject`, the picture or one of the
        frames, None where it is made of the config alone."""
        raise NotImplementedError

    def make(
        self, config: ocio.Config, sources: Sequence[Source], settings: Settings, target: Path, progress: Progress
    ) -> Any:
        """Make the file, read it back, and give what was found as a dataclass of plain values: of no source, of one, or
        of all frames in order, as `takes` says."""
        raise NotImplementedError

    def write(
        self, config: ocio.Config, sources: Sequence[Source], settings: Settings, target: Path, progress: Progress
    ) -> Any:
        """Do what `make` does, and leave no file where it fails or is stopped. Every figure is a finite number."""
        before = _stamp(target)
        try:
            made = self.make(config, sources, settings, target, progress)
            _check_finite(asdict(made))
        except BaseException:
            if _stamp(target) != before:
                target.unlink(missing_ok=True)
            raise
        return made

    def doubts(self, config: ocio.Config, settings: Settings, says: Mapping[str, Any], file: Path) -> Iterator[Doubt]:
        """Where a file, by what it says of itself, is not what these settings make. Raises BadInput for a kind that
        does not verify."""
        raise BadInput(f"Files of the kind {self.label} are not held against recipes; verify it by itself.")

    def differs(self, config: ocio.Config, sources: Sequence[Source], settings: Settings, file: Path) -> list[Doubt]:
        """Where the pixels of a file are not those that these settings make of these sources. Raises BadInput for a
        kind that is not compared so."""
        raise BadInput(f"Files of the kind {self.label} are not compared with a render. Verify it against the recipe.")

    def told(self, written: Mapping[str, Any]) -> Facts:
        """In words what `write` found, from the values of its dataclass."""
        raise NotImplementedError

    def settings_from(self, asked: Mapping[str, Any], chosen: Defaults) -> Settings:
        """Settings from terms of JSON, those left out as the project has chosen. Raises BadInput for what is none."""
        choices = {each.key for each in options_of(self.settings) if each.kind == CHOICE}
        values = {
            key: str(value) if key in choices and type(value) in (int, float) else value for key, value in asked.items()
        }
        made: Settings = structured(self.settings, {**self.defaults(chosen), **values}, "The settings")
        return made

    def check(self, config: ocio.Config, settings: Settings) -> None:
        """Raise BadInput, naming the setting where one is wrong, for what cannot be made."""
        check_options(settings)
        self.plan(config, settings)


def _stamp(file: Path) -> tuple[int, int] | None:
    try:
        found = file.stat()
    except OSError:
        return None
    return found.st_ino, found.st_mtime_ns


def _check_finite(facts: Mapping[str, Any]) -> None:
    for name, value in facts.items():
        if isinstance(value, float) and not isfinite(value):
            raise ValueError(f"{name} is {value}: a fact of a file is a finite number.")


_deliverables: dict[str, Deliverable[Any]] = {}


def deliverable(kind: type[Deliverable[Any]]) -> type[Deliverable[Any]]:
    """Have a class be a kind of deliverable."""
    if kind.kind in _deliverables:
        raise ValueError(f"{kind.kind}: there is such a kind already.")
    _deliverables[kind.kind] = kind()
    return kind


def deliverable_of(kind: str) -> Deliverable[Any]:
    """A kind by its key. Raises BadInput, listing the kinds, for one there is not."""
    if kind not in deliverables():
        raise BadInput(f"Nothing of the kind “{kind}” can be made. Choose one of {', '.join(deliverables())}.")
    return deliverables()[kind]


@cache
def deliverables() -> Mapping[str, Deliverable[Any]]:
    """All kinds of deliverables, by their key."""
    import_all("saltwort.core.deliverables.kinds")
    return _deliverables
