"""Looks that the project adds to its base config."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from saltwort.core.configs.additions import add_looks
from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class AddedLooks(Part):
    fields = ("added_looks",)
    order = 50

    def spaces(self, setup: Setup) -> Iterable[str]:
        return (look.process_space for look in setup.added_looks)

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        looks = (replace(look, process_space=now(look.process_space)) for look in setup.added_looks)
        return {"added_looks": tuple(looks)}

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        """Without an equal, a look acts in the new config's own space for grading."""
        return self.rename(setup, journey.equal)

    def compose(self, setup: Setup, draft: Draft) -> None:
        draft.files |= add_looks(draft.config, setup.added_looks, draft.luts)
