"""What a show picks of its config; the rest is left out once all is composed."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from saltwort.core.project.part import Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class TrimPart(Part):
    fields = ("trim",)

    def spaces(self, setup: Setup) -> Iterable[str]:
        return setup.trim.spaces if setup.trim else ()

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        return {"trim": setup.trim and replace(setup.trim, spaces=tuple(map(now, setup.trim.spaces)))}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return {"trim": None}
