"""Settings sheets: what to set in one station, derived from the project and never typed.

A section is one module in `stations/sections`: a function with the decorator `section`, which gives settings. Each has
a key that stays, a kind that says what its value is, and words for people.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal, get_args

import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice
from saltwort.core.modules import import_all
from saltwort.core.stations.station import Station

Level = Literal["environment", "preference", "project", "file", "node", "output"]
"""Where a setting is set, each of which may override those before it."""
LEVELS: tuple[Level, ...] = get_args(Level)
Kind = Literal["choice", "display", "file", "file format", "look", "name", "numbers", "space", "version", "view"]
"""What a value is: a `space`, `display`, `view` or `look` of the config by name, or a `choice` of the application's."""


@dataclass(frozen=True)
class Setting:
    """One setting: its key within the section, what it is called in most applications, the value to give it, and why.
    `value` is exact, to be pasted; empty where there is nothing to set, which `why` explains. It is set at a `level`,
    and those `overridden_at` may say otherwise there; `otherwise` is what goes wrong then, and `symptom` what that
    looks like."""

    key: str
    label: str
    value: str
    kind: Kind
    why: str = ""
    level: Level = "project"
    overridden_at: tuple[Level, ...] = ()
    otherwise: str = ""
    symptom: str = ""


@dataclass(frozen=True)
class Section:
    key: str
    title: str
    settings: tuple[Setting, ...]


@dataclass(frozen=True)
class TextureLine:
    """A file and the space it is read in; `by_rule` tells that the config's file rules give it by themselves."""

    path: str
    space: str
    by_rule: bool


@dataclass(frozen=True)
class ColourLine:
    """A swatch or light by name: light in the working space, and sRGB code values as a colour picker shows it, None
    where that holds no such colour."""

    name: str
    working: tuple[float, float, float]
    picked: tuple[float, float, float] | None


@dataclass(frozen=True)
class Chain:
    """What a sheet follows from: the station and the one after it, the project's config and view, its textures and
    colours, and the name of the config file that this station gets."""

    station: Station
    next_station: Station | None
    config: ocio.Config
    choice: ViewChoice
    textures: Sequence[TextureLine]
    config_file: str
    colours: Sequence[ColourLine] = ()

    @property
    def working_space(self) -> str:
        name: str = self.config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
        return name

    @property
    def config_version(self) -> str:
        return f"{self.config.getMajorVersion()}.{self.config.getMinorVersion()}"


@dataclass(frozen=True)
class _Maker:
    order: int
    key: str
    title: str
    settings: Callable[[Chain], Iterator[Setting]]


_makers: list[_Maker] = []


def section(
    order: int, key: str, title: str
) -> Callable[[Callable[[Chain], Iterator[Setting]]], Callable[[Chain], Iterator[Setting]]]:
    """Have a function give the settings of a section. `order` is the one in which sections are set; `{next}` in the
    title is the name of the next station."""

    def register(settings: Callable[[Chain], Iterator[Setting]]) -> Callable[[Chain], Iterator[Setting]]:
        _makers.append(_Maker(order, key, title, settings))
        return settings

    return register


@cache
def _sections() -> tuple[_Maker, ...]:
    import_all("saltwort.core.stations.sections")
    return tuple(sorted(_makers, key=lambda maker: maker.order))


def settings_sheet(chain: Chain) -> list[Section]:
    """The sheet of one station, in the order in which it is set; sections without a setting are left out."""
    following = chain.next_station.name.lower() if chain.next_station else ""
    made = (
        Section(maker.key, maker.title.format(next=following), tuple(maker.settings(chain))) for maker in _sections()
    )
    return [section for section in made if section.settings]
