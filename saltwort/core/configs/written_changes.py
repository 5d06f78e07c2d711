"""What differs between two configs as they are written, thing by thing, in an artist's words.

For what it does to colours, see `compare`.
"""

from collections.abc import Iterator, Mapping

import PyOpenColorIO as ocio

from saltwort.core.changes import Change

READABLE = 120
"""Characters; a longer definition is told as changed, not spelled out."""


def config_changes(before: ocio.Config, after: ocio.Config) -> list[Change]:
    """Version, working space and other roles, spaces, views, looks, order of displays and views, file rules."""
    return [
        *_between({"OCIO version": _version(before)}, {"OCIO version": _version(after)}),
        *_between(_roles(before), _roles(after)),
        *_spaces(before, after),
        *_between(_default_view(before), _default_view(after)),
        *_between(_views(before), _views(after)),
        *_between(_looks(before), _looks(after)),
        *_orders(before, after),
        *_rules(before, after),
    ]


def _between(before: Mapping[str, str], after: Mapping[str, str]) -> Iterator[Change]:
    """Changes of named things; an empty side is one where the thing is not there."""
    for name in [*before, *(name for name in after if name not in before)]:
        was, now = before.get(name), after.get(name)
        if was is None:
            yield Change(name, "", _readable(now, "new"))
        elif now is None:
            yield Change(name, _readable(was, "there"), "")
        elif was != now and max(len(was), len(now)) <= READABLE:
            yield Change(name, was, now)
        elif was != now:
            yield Change(name, "as it was", "defined differently")


def _readable(text: str | None, otherwise: str) -> str:
    return text if text and len(text) <= READABLE else otherwise


def _version(config: ocio.Config) -> str:
    return f"{config.getMajorVersion()}.{config.getMinorVersion()}"


def _roles(config: ocio.Config) -> dict[str, str]:
    return {f"role {role}": config.getColorSpace(space).getName() for role, space in config.getRoles()}


def _spaces(before: ocio.Config, after: ocio.Config) -> Iterator[Change]:
    """Spaces that come and go; those renamed, which keep their old name as an alias; and what is said of the rest."""
    first, second = ({space.getName(): space for space in _all_spaces(config)} for config in (before, after))
    for name, space in first.items():
        now = second.get(name) or after.getColorSpace(name)
        if now is None:
            yield Change(f"space {name}", "there", "")
            continue
        if now.getName() != name:
            yield Change(f"space {name}", name, now.getName())
        for what, was, is_now in zip(_DESCRIBED, _described(space), _described(now), strict=True):
            yield from _between({f"{what} of {now.getName()}": was}, {f"{what} of {now.getName()}": is_now})
    for name in second:
        if before.getColorSpace(name) is None and not any(alias in first for alias in second[name].getAliases()):
            yield Change(f"space {name}", "", "new")


def _all_spaces(config: ocio.Config) -> Iterator[ocio.ColorSpace]:
    yield from config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)


_DESCRIBED = ("aliases", "family", "encoding", "interop ID", "description", "definition")


def _described(space: ocio.ColorSpace) -> tuple[str, ...]:
    directions = (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE)
    # Long enough never to be spelled out: the engine's notation is not for reading.
    definition = " ".join(str(space.getTransform(direction)) for direction in directions).ljust(READABLE + 1)
    return (
        ", ".join(sorted(space.getAliases())),
        space.getFamily(),
        space.getEncoding(),
        space.getInteropID(),
        space.getDescription(),
        definition,
    )


def _default_view(config: ocio.Config) -> dict[str, str]:
    display = config.getDefaultDisplay()
    return {"default view": f"{config.getDefaultView(display)} on {display}"}


def _views(config: ocio.Config) -> dict[str, str]:
    return {
        f"view {view} on {display}": " ".join(
            filter(
                None,
                (
                    config.getDisplayViewTransformName(display, view)
                    or config.getResolvedDisplayViewColorSpaceName(display, view),
                    config.getDisplayViewLooks(display, view),
                ),
            )
        )
        for display in config.getDisplays()
        for view in config.getViews(display)
    }


def _looks(config: ocio.Config) -> dict[str, str]:
    return {f"look {look.getName()}": str(look) for look in config.getLooks()}


def _orders(before: ocio.Config, after: ocio.Config) -> Iterator[Change]:
    """Where the same displays, or the same views of a display, are listed in another order."""
    was, now = list(before.getDisplays()), list(after.getDisplays())
    if was != now and sorted(was) == sorted(now):
        yield Change("order of displays", ", ".join(was), ", ".join(now))
    for display in set(was) & set(now):
        first, second = list(before.getViews(display)), list(after.getViews(display))
        if first != second and sorted(first) == sorted(second):
            yield Change(f"order of views on {display}", ", ".join(first), ", ".join(second))


def _rules(before: ocio.Config, after: ocio.Config) -> Iterator[Change]:
    """Rules that come, go, or take or give something else; and the place of those that only move."""
    first, second = (_rule_definitions(config.getFileRules()) for config in (before, after))
    yield from _between(first, second)
    places, places_now = ({name: index for index, name in enumerate(rules, start=1)} for rules in (first, second))
    for name, place in places.items():
        if first[name] == second.get(name) and place != places_now[name]:
            yield Change(name, f"place {place}", f"place {places_now[name]}")


def _called(rule: str) -> str:
    """The name of a rule; that of the one that OCIO calls by a long word, after what it does."""
    return f"Space in the path ({rule})" if rule == ocio.FILE_PATH_SEARCH_RULE_NAME else rule


def _rule_definitions(rules: ocio.FileRules) -> dict[str, str]:
    return {
        f"rule {_called(rules.getName(index))}": " ".join(
            filter(
                None,
                (rules.getPattern(index), rules.getExtension(index), rules.getRegex(index), rules.getColorSpace(index)),
            )
        )
        or "a space in the path"
        for index in range(rules.getNumEntries())
    }
