"""What a deliverable is, and the registry of them: a kind of thing that leaves the project, a module each.

A new one is a module in `deliverables/kinds` with a subclass of Deliverable and the decorator `deliverable`.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, ClassVar, Generic, TypeVar

import PyOpenColorIO as ocio

from saltwort.core.deliverables.writing import Progress, Written
from saltwort.core.engine import ViewChoice
from saltwort.core.modules import import_all
from saltwort.core.structured import structured

Settings = TypeVar("Settings")
Facts = dict[str, str]
"""What is told of a deliverable, in words, by what it is called."""


@dataclass(frozen=True)
class Source:
    """A picture that something is made of: its file, the space that its numbers are in, and which of its layers."""

    file: Path
    space: str
    layer: str = ""


@dataclass(frozen=True)
class Defaults:
    """What a project has chosen, which holds where settings say nothing else."""

    view: ViewChoice
    working_space: str


class Deliverable(Generic[Settings]):
    """A kind of thing that leaves the project. `settings` is a frozen dataclass of how it is made."""

    kind: ClassVar[str]
    label: ClassVar[str]
    use: ClassVar[str]
    """What it is for, in a sentence or two."""
    settings: type[Settings]

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        """Settings that follow from what the project has chosen, by name."""
        return {}

    def plan(self, config: ocio.Config, settings: Settings) -> None:
        """Raise BadInput for what cannot be made."""

    def named(self, stem: str, revision: int, settings: Settings) -> str:
        """The name of the file."""
        raise NotImplementedError

    def facts(self, config: ocio.Config, settings: Settings) -> Facts:
        """What the file is to be, before it is made."""
        raise NotImplementedError

    def write(
        self, config: ocio.Config, source: Source, settings: Settings, target: Path, progress: Progress
    ) -> Written:
        """Make the file, and read it back."""
        raise NotImplementedError

    def settings_from(self, asked: Mapping[str, Any], chosen: Defaults) -> Settings:
        """Settings from terms of JSON, those left out as the project has chosen. Raises BadInput for what is none."""
        made: Settings = structured(self.settings, {**self.defaults(chosen), **asked}, "The settings")
        return made


_deliverables: dict[str, Deliverable[Any]] = {}


def deliverable(kind: type[Deliverable[Any]]) -> type[Deliverable[Any]]:
    """Have a class be a kind of deliverable."""
    if kind.kind in _deliverables:
        raise ValueError(f"{kind.kind}: there is such a kind already.")
    _deliverables[kind.kind] = kind()
    return kind


@cache
def deliverables() -> Mapping[str, Deliverable[Any]]:
    """All kinds of deliverables, by their key."""
    import_all("saltwort.core.deliverables.kinds")
    return _deliverables
