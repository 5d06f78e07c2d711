"""Carry a project's setup over to another base config, by what its spaces mean and not by their names alone."""

from collections.abc import Collection
from dataclasses import replace
from functools import cache
from typing import Literal

import PyOpenColorIO as ocio

from saltwort.core.configs.compare import Meaning, mean_the_same, meaning_of
from saltwort.core.configs.edits import SpaceEdit
from saltwort.core.configs.setup import Setup, with_space_edits
from saltwort.core.names import free_name
from saltwort.core.textures.rules import Rule, rules_of
from saltwort.core.views import AddedView


def equal_spaces(before: ocio.Config, after: ocio.Config, names: Collection[str]) -> dict[str, str]:
    """For each of these names of spaces in one config, the space of another config that gives the same light for the
    same numbers: the one of that name if it does, else another, else at least the one of that name. Names without any
    of them are left out."""
    found: dict[str, str] = {}
    offered = [space.getName() for space in after.getColorSpaces()]

    @cache
    def meaning(name: str) -> Meaning:
        return meaning_of(after, name)

    for name in names:
        namesake = after.getColorSpace(name)
        if before.getColorSpace(name) is None:
            equal = namesake.getName() if namesake else None
        else:
            wanted = meaning_of(before, name)
            first = [namesake.getName()] if namesake else []
            equal = next((other for other in [*first, *offered] if mean_the_same(wanted, meaning(other))), None)
        if equal or namesake:
            found[name] = equal or namesake.getName()
    return found


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
    edits = tuple(edit for edit in setup.space_edits if _named_so(config, edit.space))
    setup = with_space_edits(setup, edits)
    own = {space.name for space in setup.added_spaces} | {edit.name for edit in edits if edit.name}
    used = {
        setup.working_space,
        setup.default_space,
        *(rule.space for rule in setup.rules),
        *dict(setup.roles).values(),
        *(look.process_space for look in setup.added_looks),
    }
    wanted = {name for name in (*used, *named_elsewhere) if name and name not in own}
    equal = {**equal_spaces(before, config, wanted), **{name: name for name in own}}
    imported, imported_default = _imported(config) if imports else ((), "")
    kept = tuple(
        replace(rule, space=equal[rule.space]) if rule.space else rule
        for rule in setup.rules
        if rule.space in equal or not rule.space
    )
    added_views = tuple(view for view in setup.added_views if view.display in config.getDisplaysAll())
    return replace(
        setup,
        base=fresh.base,
        working_space=equal.get(setup.working_space, fresh.working_space),
        view=setup.view if _has_view(config, setup, added_views) else fresh.view,
        default_space=(imports == "first" and imported_default) or equal.get(setup.default_space, fresh.default_space),
        rules=_merged(imported, kept) if imports == "first" else _merged(kept, imported),
        roles=tuple((role, equal[space]) for role, space in setup.roles if space in equal),
        space_edits=_with_aliases(config, edits, {name: equal[name] for name in named_elsewhere if name in equal}),
        added_views=added_views,
        # Without an equal, a look acts in the new config's own space for grading.
        added_looks=tuple(
            replace(look, process_space=equal.get(look.process_space, "") if look.process_space else "")
            for look in setup.added_looks
        ),
        displays=(),
        views=(),
        trim=None,
    )


def _imported(config: ocio.Config) -> tuple[tuple[Rule, ...], str]:
    """The config's own rules, as far as their spaces are there. Its default counts where it is no display: what no
    rule knows is more often a texture than a finished picture."""
    rules, default = rules_of(config)
    known = tuple(rule for rule in rules if not rule.space or config.getColorSpace(rule.space))
    space = config.getColorSpace(default) if default else None
    if space is None or space.getReferenceSpaceType() != ocio.REFERENCE_SPACE_SCENE:
        return known, ""
    return known, space.getName()


def _named_so(config: ocio.Config, name: str) -> bool:
    space = config.getColorSpace(name)
    return space is not None and space.getName() == name


def _has_view(config: ocio.Config, setup: Setup, added: Collection[AddedView]) -> bool:
    display, view = setup.view.display, setup.view.view
    offered = config.getViews(display) if display in config.getDisplays() else ()
    return view in offered or any((one.display, one.name) == (display, view) for one in added)


def _merged(first: Collection[Rule], then: Collection[Rule]) -> tuple[Rule, ...]:
    """Rules and then others; one that stands in both comes once, and no name twice."""
    known = {replace(rule, name="") for rule in first}
    merged, taken = list(first), {rule.name for rule in first}
    for rule in then:
        if replace(rule, name="") in known:
            continue
        name = free_name(rule.name, taken)
        taken.add(name)
        merged.append(replace(rule, name=name))
    return tuple(merged)


def _with_aliases(config: ocio.Config, edits: Collection[SpaceEdit], equal: dict[str, str]) -> tuple[SpaceEdit, ...]:
    """Edits by which names that are in use elsewhere find the spaces that are their equals."""
    by_space = {edit.space: edit for edit in edits}
    for name, space in equal.items():
        is_known = config.getColorSpace(name) is not None or config.hasRole(name) or config.getNamedTransform(name)
        if is_known or name == space or any(mark in name for mark in ",:/"):
            continue
        edit = by_space.get(space, SpaceEdit(space))
        by_space[space] = replace(edit, aliases=(*edit.aliases, name))
    return tuple(by_space.values())
