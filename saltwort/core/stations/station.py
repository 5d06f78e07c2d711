"""Stations: the applications of a chain, described by what they can do.

An ability is a module in `stations/abilities` with one call of `ability`; it is found by being there. The sections of
the sheet, findings and outputs ask a station by the ability itself: `station.able(FOLLOWS_FILE_RULES)`.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, Generic, TypeVar

from saltwort.core.errors import BadInput
from saltwort.core.modules import import_all

READS_TEXTURES = "textures"
READS_RENDERS = "renders"

Value = TypeVar("Value", str, bool)


@dataclass(frozen=True)
class Ability(Generic[Value]):
    """What an application may be able to do. `order` is the one in which people are asked; `effect` says what it
    changes on the sheet; `choices` are the values it may have and the words for them, none for yes or no; `reads` the
    stations that have it, by what they are fed; `where` the value of another ability without which it does nothing."""

    order: int
    key: str
    label: str
    effect: str
    default: Value
    choices: Mapping[str, str] = field(default_factory=dict)
    reads: tuple[str, ...] = (READS_TEXTURES, READS_RENDERS)
    where: Mapping[str, str] = field(default_factory=dict)

    def holds(self, value: object) -> bool:
        """Whether it may have this value."""
        if self.choices:
            return isinstance(value, str) and value in self.choices
        return isinstance(value, bool)


_abilities: dict[str, Ability[Any]] = {}


def ability(described: Ability[Value]) -> Ability[Value]:
    """Have stations be described by an ability."""
    if described.key in _abilities:
        raise ValueError(f"{described.key}: there is such an ability already.")
    _abilities[described.key] = described
    return described


@cache
def abilities() -> tuple[Ability[Any], ...]:
    """All abilities, in their order."""
    import_all("saltwort.core.stations.abilities")
    return tuple(sorted(_abilities.values(), key=lambda ability: ability.order))


@dataclass(frozen=True)
class Station:
    """One application. `reads` is what it is fed, `textures` or `renders`; `abilities` what was said of it by key,
    defaults where nothing was."""

    name: str
    reads: str
    abilities: Mapping[str, Any] = field(default_factory=dict)

    def able(self, ability: Ability[Value]) -> Value:
        """The value that it has of an ability."""
        value = self.abilities.get(ability.key, ability.default)
        return value if ability.holds(value) else ability.default

    def has(self, ability: Ability[Any]) -> bool:
        """Whether the ability concerns it."""
        return self.reads in ability.reads

    def with_abilities(self, said: Mapping[str, Any]) -> "Station":
        """The station with other values of some abilities. Raises BadInput for one that it cannot have, or a value that
        the ability cannot."""
        offered = {ability.key: ability for ability in abilities() if self.has(ability)}
        for key, value in said.items():
            if key not in offered:
                raise BadInput(f"An application that reads {self.reads} has no “{key}”. Leave it out.")
            if not offered[key].holds(value):
                choices = ", ".join(offered[key].choices) or "true, false"
                raise BadInput(f"“{offered[key].label}” has no value {value!r:.40}. Choose one of {choices}.")
        return replace(self, abilities={**self.abilities, **said})


RENDERER = Station("Renderer", READS_TEXTURES)
COMPOSITOR = Station("Compositor", READS_RENDERS)
