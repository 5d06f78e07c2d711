"""Carry a project's setup over to another base config, by what its spaces mean and not by their names alone."""

from collections.abc import Callable, Collection
from functools import cache
from typing import Literal

import PyOpenColorIO as ocio

from saltwort.core.configs.compare import Meaning, mean_the_same, meaning_of
from saltwort.core.project.part import Journey, parts
from saltwort.core.project.setup import Setup, with_fields, with_space_edits


def equals_in(before: ocio.Config, after: ocio.Config) -> Callable[[str], str]:
    """Gives for the name of a space in one config the space of another config that gives the same light for the same
    numbers: the one of that name if it does, else another, else at least the one of that name, else an empty name."""
    offered = [space.getName() for space in after.getColorSpaces()]

    @cache
    def meaning(name: str) -> Meaning:
        return meaning_of(after, name)

    @cache
    def equal(name: str) -> str:
        namesake = after.getColorSpace(name) if name else None
        called_so = namesake.getName() if namesake else ""
        if not name or before.getColorSpace(name) is None:
            return called_so
        wanted = meaning_of(before, name)
        tried = [called_so, *offered] if called_so else offered
        return next((other for other in tried if mean_the_same(wanted, meaning(other))), called_so)

    return equal


def carried(
    setup: Setup,
    before: ocio.Config,
    config: ocio.Config,
    fresh: Setup,
    *,
    named_elsewhere: Collection[str] = (),
    imports: Literal["", "first", "last"] = "",
) -> Setup:
    """The setup on another base config, of which `fresh` is the first setup. `before` is the config as it was.

    Spaces are those that mean the same; what has no equal is as in a new project, and rules and roles that lead to such
    a space are left out. Names that things outside the setup use, such as pins, become aliases of their equals, so that
    they hold on. `imports` brings the config's own rules in: `first`, with its default, where nothing is assigned yet,
    or `last`, so that every texture stays as the project's rules have it.
    """
    setup = with_space_edits(setup, tuple(edit for edit in setup.space_edits if _named_so(config, edit.space)))
    own = {space.name for space in setup.added_spaces} | {edit.name for edit in setup.space_edits if edit.name}
    find = equals_in(before, config)

    def equal(name: str) -> str:
        return name if name in own else find(name)

    elsewhere = {name: space for name in named_elsewhere if (space := equal(name))}
    journey = Journey(config, fresh, equal, elsewhere, imports)
    return with_fields(setup, {name: value for part in parts() for name, value in part.carry(setup, journey).items()})


def _named_so(config: ocio.Config, name: str) -> bool:
    space = config.getColorSpace(name)
    return space is not None and space.getName() == name
