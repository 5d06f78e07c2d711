"""Files that a config names outside its own archive: found in its text and LUTs before the engine sees either.

The engine's door to files (`loading`) answers for every path and never lets one reach the disk. But a config that is
handed on is read by applications that have no such door, so one that names such files is refused.
"""

import re
from collections.abc import Iterable, Iterator, Mapping
from contextlib import suppress
from posixpath import join, normpath
from xml.parsers import expat

import PyOpenColorIO as ocio
import yaml

from saltwort.core.errors import BadInput

MAX_SEARCH_PATHS = 100
REFERENCE_ATTRIBUTES = ("path", "basePath")
"""Of a `Reference` in a CTF document, which stands for another LUT file."""


def check_named_files(root: yaml.Node | None, files: Mapping[str, bytes]) -> None:
    """Raise BadInput, saying which, when a config names a file outside its archive: by a path of its own, a search
    path, a context variable, or a reference in one of its LUTs.

    `root` is the config's text as YAML nodes. Variables stand for what the config itself gives them.
    """
    context = ocio.Context()
    for name, value in _texts_under(root, "environment"):
        context.setStringVar(name, value)
    searched = [context.resolveStringVar(path) for path in _search_paths(root)]
    if len(searched) > MAX_SEARCH_PATHS:
        raise BadInput(f"This config has more than {MAX_SEARCH_PATHS} search paths. Keep those with its LUTs.")
    if path := next(filter(leads_out, searched), None):
        raise BadInput(
            f"This config looks for LUTs in “{path}”, outside its own folder. Put its LUTs beside it, and write the "
            "search path from there."
        )
    for path in dict.fromkeys(_named_by_transforms(root)):
        resolved = context.resolveStringVar(path)
        if any(leads_out(join(below, resolved)) for below in searched or [""]):
            raise BadInput(
                f"This config reads the file “{path}”, outside its own folder. Put the file beside the config, and "
                "write its path from there."
            )
    for name, content in files.items():
        if path := next(filter(leads_out, map(context.resolveStringVar, _references(content))), None):
            raise BadInput(f"The LUT {name} of this config refers to “{path}”, outside its own folder. Bake it whole.")


def leads_out(path: str) -> bool:
    """Whether a path, with `/` or `\\`, is absolute on any system, or leads above where it starts."""
    plain = normpath(path.replace("\\", "/"))
    return plain.startswith(("/", "../", "~")) or plain == ".." or re.match(r"[A-Za-z]:", plain) is not None


def _search_paths(root: yaml.Node | None) -> Iterator[str]:
    """The parts of the search path, which is one text with colons, or a list."""
    for key, value in _entries(root):
        if key == "search_path":
            texts = value.value if isinstance(value, yaml.SequenceNode) else [value]
            for text in texts:
                yield from text.value.split(":") if isinstance(text, yaml.ScalarNode) else ()


def _named_by_transforms(root: yaml.Node | None) -> Iterator[str]:
    """What every FileTransform names, wherever it stands."""
    seen: set[int] = set()
    waiting = [root] if root else []
    while waiting:
        node = waiting.pop()
        if id(node) in seen or isinstance(node, yaml.ScalarNode):
            continue
        seen.add(id(node))  # a part that is repeated by an alias
        if isinstance(node, yaml.SequenceNode):
            waiting.extend(node.value)
            continue
        waiting.extend(part for entry in node.value for part in entry)
        if str(node.tag).endswith("FileTransform"):
            yield from (value.value for key, value in _entries(node) if key == "src" and isinstance(value.value, str))


def _texts_under(root: yaml.Node | None, key: str) -> Iterator[tuple[str, str]]:
    for name, node in _entries(root):
        if name == key:
            yield from ((name, value.value) for name, value in _entries(node) if isinstance(value, yaml.ScalarNode))


def _entries(node: yaml.Node | None) -> Iterable[tuple[str, yaml.Node]]:
    if isinstance(node, yaml.MappingNode):
        return [(str(key.value), value) for key, value in node.value]
    return ()


def _references(content: bytes) -> list[str]:
    """The files that a CTF document refers to; nothing for any other file. One that is damaged loads nowhere."""
    if b"ProcessList" not in content or b"Reference" not in content:
        return []
    found: list[str] = []

    def note(element: str, attributes: dict[str, str]) -> None:
        if element == "Reference":
            found.extend(attributes[name] for name in REFERENCE_ATTRIBUTES if name in attributes)

    parser = expat.ParserCreate()
    parser.StartElementHandler = note
    with suppress(expat.ExpatError):
        parser.Parse(content, True)
    return found
