"""What stands in the text of a config, as its author wrote it: the engine merges and mends some of it as it loads."""

from collections.abc import Iterator
from dataclasses import dataclass

import yaml

_LOADER = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


@dataclass(frozen=True)
class SourceText:
    """Roles with their space; names by what they name (`colour space`, `display`, `view`, `look`); the space that the
    default file rule gives, empty when there is none."""

    roles: dict[str, str]
    names: dict[str, tuple[str, ...]]
    default_rule_space: str


def read_source(text: str) -> SourceText:
    """Read a config's text, which the engine must have loaded already: it is not checked again."""
    root = dict(_entries(yaml.compose(text, Loader=_LOADER)))
    displays = list(_entries(root.get("displays")))
    views = (view for _, listed in displays for view in _named(listed))
    spaces = [*_named(root.get("colorspaces")), *_named(root.get("display_colorspaces"))]
    return SourceText(
        roles={role: _text(space) for role, space in _entries(root.get("roles"))},
        names={
            "colour space": tuple(spaces),
            "display": tuple(display for display, _ in displays),
            "view": tuple(dict.fromkeys((*views, *_named(root.get("shared_views"))))),
            "look": tuple(_named(root.get("looks"))),
        },
        default_rule_space=next(
            (
                _text(dict(_entries(rule)).get("colorspace"))
                for rule in _items(root.get("file_rules"))
                if _text(dict(_entries(rule)).get("name")) == "Default"
            ),
            "",
        ),
    )


def _named(node: yaml.Node | None) -> Iterator[str]:
    """Names and aliases of a list of things."""
    for item in _items(node):
        parts = dict(_entries(item))
        if "name" in parts:
            yield _text(parts["name"])
        yield from (_text(alias) for alias in _items(parts.get("aliases")))


def _entries(node: yaml.Node | None) -> Iterator[tuple[str, yaml.Node]]:
    if isinstance(node, yaml.MappingNode):
        for key, value in node.value:
            yield _text(key), value


def _items(node: yaml.Node | None) -> Iterator[yaml.Node]:
    if isinstance(node, yaml.SequenceNode):
        yield from node.value


def _text(node: yaml.Node | None) -> str:
    return str(node.value) if isinstance(node, yaml.ScalarNode) else ""
