"""A scene document as every format gives it: nodes with inputs, lights, and settings. Values are as written; nothing is
resolved, and nothing is run."""

from collections.abc import Mapping
from dataclasses import dataclass, field

COLOUR, NUMBER, VECTOR, FILE, OTHER = "colour", "number", "vector", "file", "other"
"""Types of an input."""
SHADER, LIGHT, PICTURE, PLAIN = "shader", "light", "picture", "plain"
"""What a node is: the end of a chain, a light, what reads a file, and what stands between."""

Numbers = tuple[float, ...]


@dataclass(frozen=True)
class Input:
    """An input of a node: its type, its value (numbers, several colours one after the other, or text), the node
    and output it is connected to, and the colour space said for it, empty where none is. Of what changes over time
    each sample is an input, under the name that `at_time` gives it."""

    name: str
    type: str
    value: Numbers | str | None = None
    source: tuple[str, str] | None = None
    said: str = ""
    width: int = 3
    """Numbers of each colour: a fourth is opacity."""


EMBEDDED = "data:"
"""How the name begins that a picture has here which stands within its document."""
AT = "@"
"""Between the name of an input and the time of a sample of it: no format has it in names."""


def at_time(name: str, time: float) -> str:
    """The name of a sample of an input."""
    return f"{name}{AT}{time:.17g}"


def without_time(name: str) -> str:
    """The name of the input that a sample is of."""
    return name.partition(AT)[0]


def time_of(name: str) -> float | None:
    """The time of a sample; None of an input that does not change."""
    time = name.partition(AT)[2]
    return float(time) if time else None


@dataclass(frozen=True)
class Node:
    """A node at its path in the document; `category` is what kind of node its format calls it."""

    path: str
    category: str
    sort: str
    inputs: Mapping[str, Input] = field(default_factory=dict)

    @property
    def name(self) -> str:
        return self.path.rstrip("/").rpartition("/")[2]


@dataclass(frozen=True)
class Setting:
    """A setting of the whole scene, its camera or its output, at its path."""

    path: str
    name: str
    value: Numbers | str | bool


@dataclass(frozen=True)
class Document:
    """A document with its path below the folder of the scene. `space` is the colour space said for all that says none;
    `fixed_space` the one that the format's standard sets, which no document can change; `refers` the documents it
    names, as written."""

    path: str
    format: str
    sha256: str
    nodes: Mapping[str, Node]
    settings: tuple[Setting, ...] = ()
    space: str = ""
    fixed_space: str = ""
    refers: tuple[str, ...] = ()


@dataclass(frozen=True)
class SetInput:
    """Write another value of an input: numbers, or the path of a file."""

    node: str
    input: str
    value: Numbers | str


@dataclass(frozen=True)
class SetSpace:
    """Say another colour space for an input."""

    node: str
    input: str
    space: str


@dataclass(frozen=True)
class Connect:
    """Connect an input to the output of another node, or to nothing."""

    node: str
    input: str
    source: tuple[str, str] | None


@dataclass(frozen=True)
class RemoveNode:
    """Remove a node that nothing is connected to any more."""

    node: str


@dataclass(frozen=True)
class SetSetting:
    """Write another value of a setting; the path SPACE is the colour space of the whole document."""

    path: str
    value: Numbers | str | bool


SPACE = "colour space"
Edit = SetInput | SetSpace | Connect | RemoveNode | SetSetting
