"""What a part of the setup is, and the registry of them.

A part is one module in `project/parts`: a subclass of Part with the decorator `part`. It says which fields of the setup
are its own, and how they are checked, renamed, carried to another config, composed, and read from what was stored.
Setup types the fields that every config is made of; any other part is a ValuePart, which brings its value along.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Literal, TypeVar, get_args

import PyOpenColorIO as ocio

from saltwort.core.modules import import_all

if TYPE_CHECKING:
    from saltwort.core.project.setup import Setup

Fields = Mapping[str, Any]
"""New values of fields of the setup, by name."""
Upgrade = Callable[[dict[str, Any]], dict[str, Any]]
"""From the fields of one format, as JSON, to those of the next."""


@dataclass
class Draft:
    """A config while it is composed: with the files it brings, and the LUTs at hand by hash."""

    config: ocio.Config
    luts: Mapping[str, bytes]
    files: dict[str, bytes] = field(default_factory=dict)


@dataclass(frozen=True)
class Journey:
    """From one base config to another. `equal` gives, for a space of the old config, the one of the new that means the
    same, empty where there is none; `fresh` is a first setup of the new one. `named_elsewhere` are the equals of spaces
    that things outside the setup name, such as pins. `imports` says whether the new config's own rules come before
    those of the project, after, or not at all."""

    config: ocio.Config
    fresh: "Setup"
    equal: Callable[[str], str]
    named_elsewhere: Mapping[str, str]
    imports: Literal["", "first", "last"]


class Part:
    """One thing that the setup decides."""

    fields: ClassVar[tuple[str, ...]]
    version: ClassVar[int] = 1
    """The format of what is stored; raised, with an upgrade from the one before, when that changes."""
    upgrades: ClassVar[Mapping[int, Upgrade]] = {}
    order: ClassVar[int] = 100
    """When it is composed: parts with a lower number come before."""

    stands_in_config: ClassVar[bool] = True
    """Whether a config is another where it says something else."""

    @property
    def name(self) -> str:
        return self.fields[0]

    def check(self, setup: "Setup") -> None:
        """Raise BadInput for values that cannot be, whatever the config."""

    def spaces(self, setup: "Setup") -> Iterable[str]:
        """The spaces of the config that it names; empty names are none."""
        return ()

    def rename(self, setup: "Setup", now: Callable[[str], str]) -> Fields:
        """Its fields with every space called what `now` gives for its name."""
        return {}

    def carry(self, setup: "Setup", journey: Journey) -> Fields:
        """Its fields on another base config."""
        return {}

    def compose(self, setup: "Setup", draft: Draft) -> None:
        """Write what it decides into a config. Raises BadInput, naming what is missing."""


Value = TypeVar("Value")


class ValuePart(Part, Generic[Value]):
    """A part whose value stands in no field that Setup types. Everything else goes by the one name in `fields`: it is
    stored under it, and the API tells it and takes it."""

    default: Value
    """As in a new project."""
    is_set_whole: ClassVar[bool] = True
    """Whether it is set as a whole, as one of the API's setup; if not, operations of its own change it."""

    @classmethod
    def kind(cls) -> Any:
        """What its value is: the type between the brackets of ValuePart."""
        return get_args(cls.__orig_bases__[0])[0]  # type: ignore[attr-defined]

    @classmethod
    def of(cls, setup: "Setup") -> Value:
        """Its value in a setup."""
        part = cls()
        value: Value = dict(setup.values).get(part.name, part.default)
        return value

    @classmethod
    def with_value(cls, setup: "Setup", value: Value) -> "Setup":
        """The setup with another value of it."""
        part = cls()
        values = {**dict(setup.values), part.name: value}
        if value == part.default:
            del values[part.name]
        return replace(setup, values=tuple(sorted(values.items())))


_parts: list[Part] = []


def part(kind: type[Part]) -> type[Part]:
    """Have a class be a part of the setup."""
    _parts.append(kind())
    return kind


@cache
def parts() -> tuple[Part, ...]:
    """All parts, in the order in which they are composed."""
    import_all("saltwort.core.project.parts")
    return tuple(sorted(_parts, key=lambda one: (one.order, one.name)))
