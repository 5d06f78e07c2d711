"""Spaces of the base config that are called and described otherwise."""

from collections.abc import Collection, Mapping
from dataclasses import replace

import PyOpenColorIO as ocio

from saltwort.core.configs.edits import SpaceEdit, edit_spaces
from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class SpaceEdits(Part):
    fields = ("space_edits",)
    order = 10

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return {"space_edits": _with_aliases(journey.config, setup.space_edits, journey.named_elsewhere)}

    def compose(self, setup: Setup, draft: Draft) -> None:
        edit_spaces(draft.config, setup.space_edits)


def _with_aliases(config: ocio.Config, edits: Collection[SpaceEdit], equal: Mapping[str, str]) -> tuple[SpaceEdit, ...]:
    """Edits by which names that are in use elsewhere find the spaces that are their equals."""
    by_space = {edit.space: edit for edit in edits}
    for name, space in equal.items():
        is_known = config.getColorSpace(name) is not None or config.hasRole(name) or config.getNamedTransform(name)
        if is_known or name == space or any(mark in name for mark in ",:/"):
            continue
        edit = by_space.get(space, SpaceEdit(space))
        by_space[space] = replace(edit, aliases=(*edit.aliases, name))
    return tuple(by_space.values())
