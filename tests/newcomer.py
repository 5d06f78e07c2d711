"""A part of the setup as a newcomer writes it: what stands here is all that it takes, beside a test."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from unittest.mock import patch

from saltwort.core.errors import BadInput
from saltwort.core.project import part as registry
from saltwort.core.project import stored
from saltwort.core.project.part import Fields, Journey, ValuePart
from saltwort.core.project.setup import Setup


@dataclass(frozen=True)
class Slate:
    """What is shot before a take: its frame rate, and the space of its chart."""

    rate: float = 24.0
    space: str = ""


class SlatePart(ValuePart[Slate]):
    fields = ("slate",)
    default = Slate()
    stands_in_config = False

    def check(self, setup: Setup) -> None:
        if not 1 <= self.of(setup).rate <= 240:
            raise BadInput("A frame rate is from 1 to 240.")

    def spaces(self, setup: Setup) -> Iterable[str]:
        return (self.of(setup).space,)

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        return {"slate": replace(self.of(setup), space=now(self.of(setup).space))}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return self.rename(setup, journey.equal)


@contextmanager
def slate_added() -> Iterator[None]:
    """As if the part stood among the others."""
    known = (registry.parts, stored.setup_fields, stored._kinds)
    registry.parts()
    try:
        with patch.object(registry, "_parts", [*registry._parts, SlatePart()]):
            for each in known:
                each.cache_clear()
            yield
    finally:
        for each in known:
            each.cache_clear()
