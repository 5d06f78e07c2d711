"""MaterialX documents (.mtlx). Read by the MaterialX library, which includes nothing; changed in their text, so that
comments, order and unknown elements stay."""

import hashlib
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from xml.parsers import expat
from xml.sax.saxutils import quoteattr

import MaterialX as mx
import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.registry import MAX_NODES, Format, register
from saltwort.core.migration.formats.spans import replaced
from saltwort.core.migration.graph import (
    COLOUR,
    FILE,
    LIGHT,
    NUMBER,
    OTHER,
    PICTURE,
    PLAIN,
    SPACE,
    VECTOR,
    Connect,
    Document,
    Edit,
    Input,
    Node,
    Numbers,
    RemoveNode,
    SetInput,
    SetSetting,
    SetSpace,
)
from saltwort.core.numbers import shortest
from saltwort.core.textures.materialx import NO_SPACE, opened
from saltwort.core.textures.materialx import space_name as name_of_space

_TYPES = {
    "color3": COLOUR,
    "color4": COLOUR,
    "vector2": VECTOR,
    "vector3": VECTOR,
    "vector4": VECTOR,
    "float": NUMBER,
    "filename": FILE,
}
_LIGHT_CATEGORIES = ("point_light", "directional_light", "spot_light")
DOCUMENT = ""


def read(content: bytes, path: str) -> Document:
    """A document. Raises BadInput for what is no MaterialX."""
    document = opened(content, path)
    nodes: dict[str, Node] = {}
    for element in document.traverseTree():
        if len(nodes) > MAX_NODES:
            raise BadInput(f"A document of more than {MAX_NODES:,} nodes is not read. Import a part of it.")
        if isinstance(element, mx.Node | mx.NodeGraph):
            inputs = {each.getName(): _input(each) for each in element.getInputs()}
            if isinstance(element, mx.NodeGraph):
                inputs |= {each.getName(): _input(each) for each in element.getOutputs()}
            category = element.getCategory()
            nodes[element.getNamePath()] = Node(element.getNamePath(), category, _sort(category, inputs), inputs)
    included = [
        tag.attributes["href"] for tag in _tags(content) if tag.name == "xi:include" and "href" in tag.attributes
    ]
    return Document(
        path=path,
        format="MaterialX",
        sha256=hashlib.sha256(content).hexdigest(),
        nodes=nodes,
        space=document.getColorSpace(),
        refers=tuple(included),
    )


def _sort(category: str, inputs: dict[str, Input]) -> str:
    if category in _LIGHT_CATEGORIES:
        return LIGHT
    return PICTURE if any(each.type == FILE for each in inputs.values()) else PLAIN


def _input(element: mx.PortElement) -> Input:
    kind = _TYPES.get(element.getType(), OTHER)
    text = element.getValueString()
    value: Numbers | str | None = text or None
    if text and kind in (COLOUR, VECTOR, NUMBER):
        try:
            value = tuple(map(float, text.split(",")))
        except ValueError:
            value = None
    said = ""
    if kind == COLOUR:
        said = element.getActiveColorSpace()
    elif kind == FILE:
        # A space is of colours only; other pictures are numbers, whatever the document says around them.
        said = element.getActiveColorSpace() if element.getParent().getType().startswith("color") else NO_SPACE
    return Input(element.getName(), kind, value, _source(element), said, 4 if element.getType() == "color4" else 3)


def _source(element: mx.PortElement) -> tuple[str, str] | None:
    scope = element.getParent()
    if name := element.getAttribute("interfacename"):
        graph = scope.getParent()
        return (graph.getNamePath(), name) if isinstance(graph, mx.NodeGraph) else None
    if graph_name := element.getAttribute("nodegraph"):
        return graph_name, element.getAttribute("output") or _only_output(element, graph_name)
    if name := element.getNodeName():
        within = scope if isinstance(scope, mx.NodeGraph) else scope.getParent()
        path = f"{within.getNamePath()}/{name}" if isinstance(within, mx.NodeGraph) else name
        return path, element.getAttribute("output") or "out"
    return None


def _only_output(element: mx.PortElement, name: str) -> str:
    graph = element.getDocument().getNodeGraph(name)
    outputs = graph.getOutputs() if graph else []
    return outputs[0].getName() if outputs else "out"


def rewritten(content: bytes, edits: Sequence[Edit]) -> bytes:
    """The document with these changes, its text otherwise as it is."""
    tags = {tag.path: tag for tag in _tags(content)}
    changes: list[tuple[int, int, bytes]] = []
    for edit in edits:
        changes += _changes(content, tags, edit)
    return replaced(content, changes)


def _changes(content: bytes, tags: dict[str, "_Tag"], edit: Edit) -> Iterator[tuple[int, int, bytes]]:
    match edit:
        case SetInput(node, name, value):
            text = value if isinstance(value, str) else ", ".join(map(shortest, value))
            yield _attribute(content, _found(tags, f"{node}/{name}"), "value", text)
        case SetSpace(node, name, space):
            yield _attribute(content, _found(tags, f"{node}/{name}"), "colorspace", space)
        case Connect(node, name, source):
            tag = _found(tags, f"{node}/{name}")
            target = source[0].rpartition("/")[2] if source else ""
            yield _attribute(content, tag, "nodename", target)
            if "output" in tag.attributes and source:
                yield _attribute(content, tag, "output", source[1])
        case RemoveNode(node):
            tag = _found(tags, node)
            start, end = tag.start, tag.whole_end
            line = content.rfind(b"\n", 0, start) + 1
            after = content.find(b"\n", end) + 1 or len(content)
            alone = not content[line:start].strip() and not content[end:after].strip()
            yield (line, after, b"") if alone else (start, end, b"")
        case SetSetting(path, value) if path == SPACE:
            yield _attribute(content, _found(tags, DOCUMENT), "colorspace", str(value))
        case SetSetting(path):
            raise BadInput(f"A MaterialX document has no setting {path}.")


@dataclass
class _Tag:
    path: str
    name: str
    attributes: dict[str, str]
    start: int
    end: int
    """Of the start tag."""
    whole_end: int = 0
    children: list[str] = field(default_factory=list)


def _tags(content: bytes) -> list[_Tag]:
    """All elements with their places in the text. Raises BadInput for documents with a document type: those can stand
    for other files, or for far more text than they are."""
    found: list[_Tag] = []
    stack: list[_Tag] = []
    parser = expat.ParserCreate()

    def begin(name: str, attributes: dict[str, str]) -> None:
        above = stack[-1].path if stack else None
        own = attributes.get("name", "")
        path = DOCUMENT if above is None else f"{above}/{own}" if above else own
        start = parser.CurrentByteIndex
        tag = _Tag(path, name, attributes, start, _end_of_tag(content, start))
        found.append(tag)
        stack.append(tag)

    def finish(_: str) -> None:
        tag = stack.pop()
        at = parser.CurrentByteIndex
        tag.whole_end = (
            tag.end if at <= tag.start or content[tag.end - 2 : tag.end] == b"/>" else content.find(b">", at) + 1
        )

    def refuse(*_: object) -> None:
        raise BadInput("This document has a document type, which no MaterialX document needs. Remove it.")

    parser.StartElementHandler, parser.EndElementHandler = begin, finish
    parser.StartDoctypeDeclHandler = refuse
    try:
        parser.Parse(content, True)
    except expat.ExpatError as error:
        raise BadInput(f"This is no whole XML: line {error.lineno}.") from error
    return found


def _end_of_tag(content: bytes, start: int) -> int:
    found = _START_TAG.match(content, start)
    return found.end() if found else start


_START_TAG = re.compile(rb"""<(?:[^<>"']|"[^"]*"|'[^']*')*>""")


def _found(tags: dict[str, _Tag], path: str) -> _Tag:
    if path not in tags:
        raise BadInput(f"{path} is not found in the text of the document.")
    return tags[path]


def _attribute(content: bytes, tag: _Tag, name: str, value: str) -> tuple[int, int, bytes]:
    """The change that gives an attribute a value, or adds it; an empty value removes it."""
    text = content[tag.start : tag.end]
    written = quoteattr(value).encode()
    found = re.search(rb"""(\s+)%s(\s*=\s*)("[^"]*"|'[^']*')""" % name.encode(), text)
    if found:
        if not value:
            return tag.start + found.start(), tag.start + found.end(), b""
        return tag.start + found.start(3), tag.start + found.end(3), written
    at = tag.end - (2 if text.endswith(b"/>") else 1)
    while content[at - 1 : at].isspace():
        at -= 1
    return at, at, b" %s=%s" % (name.encode(), written)


def problems(content: bytes) -> list[str]:
    """What the library's own validation finds wrong."""
    is_valid, said = opened(content, "The document").validate()
    return [] if is_valid else [line for line in said.splitlines() if line.strip()]


def space_name(config: ocio.Config, space: str, node: Node) -> str:
    """The specification's name of a space."""
    return NO_SPACE if config.getColorSpace(space).isData() else name_of_space(config, space)


def space_edits(document: Document, said: str) -> list[Edit]:
    """The colour space of the whole document."""
    return [SetSetting(SPACE, said)]


register(Format("MaterialX", (".mtlx",), read, rewritten, problems, space_name, space_edits))
