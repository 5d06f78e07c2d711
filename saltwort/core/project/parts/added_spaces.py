"""Spaces that the project adds to its base config."""

from saltwort.core.configs.additions import add_spaces
from saltwort.core.project.part import Draft, Part, part
from saltwort.core.project.setup import Setup


@part
class AddedSpaces(Part):
    fields = ("added_spaces",)
    order = 20

    def compose(self, setup: Setup, draft: Draft) -> None:
        add_spaces(draft.config, setup.added_spaces)
