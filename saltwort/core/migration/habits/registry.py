"""The registry of habits: what shows that a scene was made without colour management, or with another."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache

from saltwort.core.migration.plan import Draft
from saltwort.core.modules import import_all


@dataclass(frozen=True)
class Seen:
    """One thing that shows a habit: in which document, where, and what is seen there."""

    document: str
    of: str
    says: str


@dataclass(frozen=True)
class Habit:
    """A habit that a scene has: its code, a title, what it does to the picture, and what shows it. `step` is the step
    of plans that mends it, empty for none. `is_hint` tells that it is likely and no more."""

    code: str
    title: str
    why: str
    seen: tuple[Seen, ...]
    step: str = ""
    is_hint: bool = False


Looking = Callable[[Draft], Iterator[Seen]]


@dataclass(frozen=True)
class _Known:
    code: str
    title: str
    why: str
    step: str
    is_hint: bool
    look: Looking


_known: list[_Known] = []


def habit(code: str, title: str, why: str, step: str = "", *, is_hint: bool = False) -> Callable[[Looking], Looking]:
    """Have a function look for a habit: it gives what shows it, and nothing where the scene has it not."""

    def register(look: Looking) -> Looking:
        _known.append(_Known(code, title, why, step, is_hint, look))
        return look

    return register


@cache
def _all() -> tuple[_Known, ...]:
    import_all("saltwort.core.migration.habits")
    return tuple(_known)


def habits_of(draft: Draft) -> list[Habit]:
    """The habits of a scene that nothing has been changed in yet."""
    found = []
    for each in _all():
        seen = tuple(each.look(draft))
        if seen:
            found.append(Habit(each.code, each.title, each.why, seen, each.step, each.is_hint))
    return found
