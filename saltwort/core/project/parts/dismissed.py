"""Findings that are dismissed. They stand in no config."""

from collections.abc import Callable
from dataclasses import replace

from saltwort.core.errors import BadInput
from saltwort.core.project.dismissal import Dismissal
from saltwort.core.project.part import Fields, Journey, ValuePart, part
from saltwort.core.project.setup import Setup

MOST_DISMISSED = 1_000
OF_PICTURES = ("texture.", "render.", "swatch.", "light.", "handoff.")
"""Codes of findings that another config may leave as they are."""


@part
class Dismissed(ValuePart[tuple[Dismissal, ...]]):
    fields = ("dismissed",)
    default = ()
    is_set_whole = False
    stands_in_config = False

    def check(self, setup: Setup) -> None:
        if len(self.of(setup)) > MOST_DISMISSED:
            raise BadInput(f"A project holds {MOST_DISMISSED:,} dismissed findings. Dismiss all of a kind together.")
        if any(not dismissal.reason.strip() for dismissal in self.of(setup)):
            raise BadInput("Say why a finding is dismissed: the reason is what others read.")

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        return {"dismissed": tuple(replace(one, subject=now(one.subject)) for one in self.of(setup))}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return {"dismissed": tuple(one for one in self.of(setup) if one.code.startswith(OF_PICTURES))}
