"""Settings sheets: what to set in one station, derived from the project and never typed.

A section is one module in `stations/sections`: a function with the decorator `section`, which gives settings. Each has
a key that stays, a kind that says what its value is, and words for people.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Literal, get_args

import PyOpenColorIO as ocio

from saltwort.core.configs.export import without_suffix
from saltwort.core.configs.matching import spaces_with
from saltwort.core.engine import ViewChoice
from saltwort.core.modules import import_all
from saltwort.core.spaces.curves import LINEAR, Curve
from saltwort.core.spaces.gamuts import REC709 as REC709_GAMUT
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, SRGB
from saltwort.core.stations.abilities.hands_on import HANDS_ON, LIGHT
from saltwort.core.stations.abilities.roles_only import ROLES_ONLY
from saltwort.core.stations.abilities.working_space import REC709, WORKING_SPACE
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


def space_of(station: Station, config: ocio.Config) -> str:
    """The space in which a station has light: the working space, or linear Rec.709 where it knows nothing else and the
    config has that."""
    knows_rec709_alone = station.able(WORKING_SPACE) == REC709 or station.able(COLOUR_BY) == SRGB
    working: str = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    return (knows_rec709_alone and linear_rec709(config)) or working


def spaces_handed_on(stations: Iterable[Station], config: ocio.Config) -> dict[str, str]:
    """The space of the light that each of some stations hands on, by its name."""
    return {station.name: space_of(station, config) for station in stations if station.able(HANDS_ON) == LIGHT}


def linear_rec709(config: ocio.Config) -> str | None:
    """The config's space of linear light in Rec.709 primaries; None where it has none."""
    return next(iter(spaces_with(config, REC709_GAMUT, Curve(LINEAR))), None)


def alpha_setting(level: Level) -> Setting:
    """How alpha is to be, whether a file is read or written."""
    return Setting(
        "alpha",
        "Alpha",
        "associated (premultiplied)",
        "choice",
        "as EXR is meant",
        level,
        (),
        "Edges are multiplied twice, or not at all.",
        "Dark or bright seams around objects.",
    )


@dataclass(frozen=True)
class Section:
    key: str
    title: str
    settings: tuple[Setting, ...]


@dataclass(frozen=True)
class TextureLine:
    """A file and the space it is read in; `by_rule` tells that the config's file rules give it by themselves. `kind` is
    the label of its map kind, and `set` the name of its texture set, empty where it has none."""

    path: str
    space: str
    by_rule: bool
    kind: str = ""
    set: str = ""


@dataclass(frozen=True)
class ColourLine:
    """A swatch or light by name: scene-linear values in the working space, and for one that must appear as given where
    it does, in words."""

    name: str
    working: tuple[float, float, float]
    appears: str = ""


@dataclass(frozen=True)
class Chain:
    """What a sheet follows from: the station and those that it hands on to, the project's config and view, its textures
    and colours, and the name of the config file that this station gets. `lit_like` is the station whose environments
    all others turn to."""

    station: Station
    takers: Sequence[Station]
    config: ocio.Config
    choice: ViewChoice
    textures: Sequence[TextureLine]
    config_file: str
    colours: Sequence[ColourLine] = ()
    lit_like: Station | None = None
    givers: Sequence[Station] = ()
    """Those that hand light on to it."""

    @property
    def working_space(self) -> str:
        name: str = self.config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
        return name

    @property
    def own_space(self) -> str:
        """The space in which the station has light, as `space_of` tells."""
        return space_of(self.station, self.config)

    @property
    def fed_spaces(self) -> dict[str, str]:
        """The space of the light that each station hands to this one, by its name."""
        return spaces_handed_on(self.givers, self.config)

    @property
    def config_name(self) -> str:
        """What the config says that it is called."""
        return without_suffix(self.config_file)

    def called(self, space: str) -> str:
        """How a station that loads the config names a space of it: by a role, where it offers nothing else."""
        if not self.station.able(ROLES_ONLY):
            return space
        return next((role for role, name in self.config.getRoles() if name == space), space)

    @property
    def config_version(self) -> str:
        return f"{self.config.getMajorVersion()}.{self.config.getMinorVersion()}"


@dataclass(frozen=True)
class _Maker:
    order: int
    key: str
    title: str
    settings: Callable[[Chain], Iterator[Setting]]
    for_each_taker: bool

    def sections(self, chain: Chain) -> Iterator[Section]:
        if not self.for_each_taker:
            yield Section(self.key, self.title, tuple(self.settings(chain)))
            return
        for taker in chain.takers:
            key = f"{self.key}:{taker.name}"
            yield Section(key, self.title.format(next=taker.name.lower()), tuple(self.settings(_to(chain, taker))))


def _to(chain: Chain, taker: Station) -> Chain:
    return replace(chain, takers=(taker,))


_makers: list[_Maker] = []


def section(
    order: int, key: str, title: str, *, for_each_taker: bool = False
) -> Callable[[Callable[[Chain], Iterator[Setting]]], Callable[[Chain], Iterator[Setting]]]:
    """Have a function give the settings of a section. `order` is the one in which sections are set. One that is made
    for each taker is given chains with that one alone, whose name stands for `{next}` in the title."""

    def register(settings: Callable[[Chain], Iterator[Setting]]) -> Callable[[Chain], Iterator[Setting]]:
        _makers.append(_Maker(order, key, title, settings, for_each_taker))
        return settings

    return register


@cache
def _sections() -> tuple[_Maker, ...]:
    import_all("saltwort.core.stations.sections")
    return tuple(sorted(_makers, key=lambda maker: maker.order))


def settings_sheet(chain: Chain) -> list[Section]:
    """The sheet of one station, in the order in which it is set; sections without a setting are left out."""
    made = (section for maker in _sections() for section in maker.sections(chain))
    return [section for section in made if section.settings]
