"""The registry of formats: a module of this package with a `register` call is found by being there."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path, PurePosixPath

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.migration.graph import Document, Edit, Node
from saltwort.core.modules import import_all

MAX_DOCUMENT_BYTES = 256_000_000
MAX_NODES = 200_000
MAX_SAMPLES = 200_000
"""Values of a document that change over time."""


@dataclass(frozen=True)
class Format:
    """A format of scene documents.

    `read(content, path)` raises BadInput for what is no such document. `rewritten(content, edits)` gives the document
    with these changes and no other; it raises BadInput for a change that the document cannot hold. `problems(content)`
    tells in sentences what the format's own rules find wrong. `space_name(config, space, node)` is what a document
    calls a space of a config, and `space_edits(document, said)` what says a space for all of a document; nothing where
    the format cannot. `embedded(content, folder)` writes the pictures that stand within a document below a folder, and
    gives them by the names that `read` gives them, which begin with EMBEDDED; None where no document holds any."""

    name: str
    suffixes: tuple[str, ...]
    read: Callable[[bytes, str], Document]
    rewritten: Callable[[bytes, Sequence[Edit]], bytes]
    problems: Callable[[bytes], list[str]]
    space_name: Callable[[ocio.Config, str, Node], str]
    space_edits: Callable[[Document, str], list[Edit]]
    embedded: Callable[[bytes, Path], Mapping[str, Path]] | None = None


_formats: list[Format] = []


def register(found: Format) -> None:
    """Have a format known."""
    _formats.append(found)


@cache
def formats() -> tuple[Format, ...]:
    """All formats."""
    import_all("saltwort.core.migration.formats")
    return tuple(sorted(_formats, key=lambda each: each.name))


def format_of(path: str) -> Format:
    """The format of a document by how its name ends. Raises BadInput for none of them."""
    suffix = PurePosixPath(path).suffix.lower()
    for each in formats():
        if suffix in each.suffixes:
            return each
    known = ", ".join(suffix for each in formats() for suffix in each.suffixes)
    raise BadInput(f"{path} is no scene document that Saltwort reads. It reads {known}.")


def is_document(path: str) -> bool:
    """Whether a name promises a scene document."""
    return any(path.lower().endswith(each.suffixes) for each in formats())
