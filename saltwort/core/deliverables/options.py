"""Settings of a deliverable as people choose them: what each is called, what it may be, and when it matters.

A kind's settings are a frozen dataclass whose fields are made by `option`. From them follow the form on the screen, the
list that scripts read, what is refused, and how text from a command line is read.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any, get_type_hints

from saltwort.core.errors import BadInput

CHOICE, NUMBER, WHOLE, SWITCH, TEXT = "choice", "number", "whole", "switch", "text"
SPACE, DISPLAY, VIEW, LOOK = "space", "display", "view", "look"
"""Kinds of settings that are chosen from the config's lists."""
_BY_TYPE = {bool: SWITCH, int: WHOLE, float: NUMBER, str: TEXT}
LONGEST = 2_000


@dataclass(frozen=True)
class Option:
    """A setting: its key, label and kind; the values it may have with what each is called, or its limits and unit;
    what it is for; and `only`, values of other settings without which it does nothing."""

    key: str
    label: str
    kind: str
    default: str | float | bool
    choices: tuple[tuple[str, str], ...] = ()
    lowest: float | None = None
    highest: float | None = None
    unit: str = ""
    use: str = ""
    only: tuple[tuple[str, tuple[str, ...]], ...] = ()
    script: str = ""
    """The key in commands, where it is another."""

    @property
    def typed(self) -> str:
        return self.script or self.key

    def check(self, value: Any) -> None:
        """Raise BadInput, naming this setting, for a value that it cannot have."""
        if self.choices and value not in dict(self.choices):
            raise BadInput(f"{self.label}: choose one of {', '.join(key for key, _ in self.choices)}.", self.key)
        if self.kind in (NUMBER, WHOLE) and not self._is_within(value):
            limits = f"{_told(self.lowest)} to {_told(self.highest)} {self.unit}".rstrip()
            raise BadInput(f"{self.label} lies from {limits}.", self.key)
        if isinstance(value, str) and (len(value) > LONGEST or any(ord(letter) < 32 for letter in value)):
            raise BadInput(f"{self.label} is one line of up to {LONGEST:,} letters.", self.key)

    def _is_within(self, value: float) -> bool:
        lowest = -math.inf if self.lowest is None else self.lowest
        highest = math.inf if self.highest is None else self.highest
        return math.isfinite(value) and lowest <= value <= highest

    def read(self, text: str) -> str | float | bool:
        """The value that a text stands for, as it is typed in a command. Raises BadInput for one that is none."""
        if self.kind == SWITCH:
            known = {"yes": True, "true": True, "on": True, "no": False, "false": False, "off": False}
            if text.lower() not in known:
                raise BadInput(f"{self.typed} is yes or no, not “{text}”.", self.key)
            return known[text.lower()]
        if self.kind not in (NUMBER, WHOLE):
            return text
        try:
            return int(text) if self.kind == WHOLE else float(text)
        except ValueError:
            kind = "a whole number" if self.kind == WHOLE else "a number"
            raise BadInput(f"{self.typed} is {kind}, not “{text}”.", self.key) from None


def option(
    default: str | float | bool,
    label: str,
    *,
    kind: str = "",
    choices: Mapping[Any, str] | None = None,
    limits: tuple[float, float] | None = None,
    unit: str = "",
    use: str = "",
    only: Mapping[str, tuple[str, ...]] | None = None,
    script: str = "",
    first: bool = False,
) -> Any:
    """A field of a dataclass of settings, with its default; the other arguments are as in Option. What stands `first`
    comes before the others, also before those of a dataclass that it is built on."""
    said = {
        "label": label,
        "kind": kind or (CHOICE if choices else ""),
        "choices": tuple((str(key), label) for key, label in (choices or {}).items()),
        "lowest": limits[0] if limits else None,
        "highest": limits[1] if limits else None,
        "unit": unit,
        "use": use,
        "only": tuple((only or {}).items()),
        "script": script,
        "first": first,
    }
    return field(default=default, metadata={"option": said})


def options_of(settings: type) -> tuple[Option, ...]:
    """The options of a dataclass of settings, in its order. Fields that are none are not for people to choose."""
    types = get_type_hints(settings)
    found = []
    for each in fields(settings):
        if "option" in each.metadata:
            said = dict(each.metadata["option"])
            said["kind"] = said["kind"] or _BY_TYPE[types[each.name]]
            default: Any = each.default
            found.append((not said.pop("first"), Option(each.name, **said, default=default)))
    return tuple(each for _, each in sorted(found, key=lambda pair: pair[0]))


def check_options(settings: Any) -> None:
    """Raise BadInput, naming the setting, for the first one that has a value it cannot have."""
    for each in options_of(type(settings)):
        each.check(getattr(settings, each.key))


def read_options(settings: type, typed: Mapping[str, str]) -> dict[str, str | float | bool]:
    """Values by key from texts, as `--set KEY=VALUE` gives them. Raises BadInput for a key that there is not."""
    known = {each.typed: each for each in options_of(settings)}
    for key in typed:
        if key not in known:
            raise BadInput(f"There is no setting “{key}” here. Settings are {', '.join(known) or 'none'}.", key)
    return {known[key].key: known[key].read(text) for key, text in typed.items()}


def _told(limit: float | None) -> str:
    return "any" if limit is None else f"{limit:g}".replace("-", "−")
