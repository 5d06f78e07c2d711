"""Plain lists of materials, lights and textures, for all other formats: `docs/scene-lists.md` describes them.

A row is one input: of a material, or of a light. It has a colour or a file, with the space said for it, and the
exponent of a gamma node before it, if there is one.
"""

import csv
import hashlib
import io
from collections.abc import Iterator, Sequence
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.json_text import loaded, numbers, with_values
from saltwort.core.migration.formats.registry import MAX_NODES, Format, register
from saltwort.core.migration.graph import (
    COLOUR,
    FILE,
    LIGHT,
    NUMBER,
    PICTURE,
    SHADER,
    SPACE,
    Document,
    Edit,
    Input,
    Node,
    RemoveNode,
    SetInput,
    SetSetting,
    SetSpace,
    Setting,
)
from saltwort.core.numbers import shortest

COLUMNS = ("of", "name", "input", "file", "space", "gamma", "red", "green", "blue")
MATERIAL = "material"
_GAMMA, _FILE = "gamma", "file"


def read_json(content: bytes, path: str) -> Document:
    """A list as JSON: an object with `rows`, and perhaps `space` and `settings`. Raises BadInput for what is none."""
    root = loaded(content, path)
    if not isinstance(root, dict) or not isinstance(root.get("rows"), list):
        raise BadInput(f"{path} is no list of a scene: it has no “rows”. docs/scene-lists.md shows one.")
    rows = root["rows"]
    nodes = _nodes(list(enumerate(rows)), path)
    given = root.get("settings")
    settings = [
        Setting(name, name, found)
        for name, value in (given.items() if isinstance(given, dict) else ())
        if (found := value if isinstance(value, str | bool) else numbers(value)) is not None
    ]
    return _document(content, path, nodes, str(root.get("space") or ""), settings)


def read_csv(content: bytes, path: str) -> Document:
    """A list as CSV with the names of COLUMNS in its first line. Raises BadInput for what is none."""
    rows = _csv_rows(content, path)
    nodes = _nodes([(number, row) for number, row in enumerate(rows)], path)
    return _document(content, path, nodes, "", [])


def _document(content: bytes, path: str, nodes: dict[str, Node], space: str, settings: list[Setting]) -> Document:
    return Document(
        path=path,
        format="list",
        sha256=hashlib.sha256(content).hexdigest(),
        nodes=nodes,
        settings=tuple(settings),
        space=space,
    )


def _csv_rows(content: bytes, path: str) -> list[dict[str, Any]]:
    try:
        text = content.decode("utf-8-sig")
        reader = csv.DictReader(io.StringIO(text, newline=""), strict=True)
        rows = [dict(row) for row in reader]
    except (UnicodeDecodeError, csv.Error) as error:
        raise BadInput(f"{path} is no CSV: {error}.") from error
    missing = [name for name in ("name", "input") if name not in (reader.fieldnames or ())]
    if missing:
        raise BadInput(f"{path} has no column {missing[0]}. Its first line names its columns: {', '.join(COLUMNS)}.")
    for row in rows:
        colour = [row.get(name) or "" for name in ("red", "green", "blue")]
        if any(colour):
            row["colour"] = [_number(each) for each in colour]
        if row.get(_GAMMA):
            row[_GAMMA] = _number(row[_GAMMA])
    return rows


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


def _nodes(rows: Sequence[tuple[int, Any]], path: str) -> dict[str, Node]:
    if len(rows) > MAX_NODES:
        raise BadInput(f"A list of more than {MAX_NODES:,} rows is not read. Import a part of it.")
    found: dict[str, Node] = {}
    ends: dict[tuple[str, str], dict[str, Input]] = {}
    for number, row in rows:
        if not isinstance(row, dict) or not isinstance(row.get("name"), str) or not isinstance(row.get("input"), str):
            raise BadInput(f"{path}: row {number + 1} has no name and input. docs/scene-lists.md shows a row.")
        of = str(row.get("of") or MATERIAL)
        inputs = ends.setdefault((of, row["name"]), {})
        inputs[row["input"]] = _input(number, row, found)
    for (of, name), inputs in ends.items():
        found[f"{of}:{name}"] = Node(f"{of}:{name}", of, SHADER if of == MATERIAL else LIGHT, inputs)
    return found


def _input(number: int, row: dict[str, Any], found: dict[str, Node]) -> Input:
    said = str(row.get("space") or "")
    name, place = row["input"], f"row {number + 1}"
    source: tuple[str, str] | None = None
    if file := row.get("file"):
        found[place] = Node(place, "picture", PICTURE, {_FILE: Input(_FILE, FILE, str(file), None, said)})
        source = (place, "out")
    colour = numbers(row.get("colour"))
    kind = COLOUR if colour is not None and len(colour) == 3 else NUMBER
    value = None if source else colour if kind == COLOUR else numbers(row.get("value"))
    if (gamma := numbers(row.get(_GAMMA))) and gamma[0] > 0:
        node = f"{place} gamma"
        before = Input("in", kind, value, source, "" if source else said)
        found[node] = Node(node, _GAMMA, "plain", {"in": before, "exponent": Input("exponent", NUMBER, gamma[:1])})
        return Input(name, kind, None, (node, "out"))
    return Input(name, kind, value, source, "" if source else said)


def _row_of(node: str) -> int:
    return int(node.split()[1]) - 1


def _place(node: str, name: str, places: dict[tuple[str, str], int]) -> int:
    """The row in which an input of a node stands."""
    return _row_of(node) if node.startswith("row ") else places[node, name]


def rewritten_json(content: bytes, edits: Sequence[Edit]) -> bytes:
    """The list with these changes, all else as written."""
    root = loaded(content, "The list")
    places = _places(root["rows"])
    changes: list[tuple[tuple[str | int, ...], Any]] = []
    for edit in edits:
        if isinstance(edit, SetSetting):
            at = ("space",) if edit.path == SPACE else ("settings", edit.path)
            value = edit.value if isinstance(edit.value, str | bool) else edit.value[0]
            changes.append((at, value))
    for row, column, value in _cell_changes(edits, places):
        if value is None and column not in root["rows"][row]:
            continue
        changes.append((("rows", row, column), value[0] if column == "value" and len(value) == 1 else value))
    return with_values(content.decode("utf-8-sig"), changes).encode()


def rewritten_csv(content: bytes, edits: Sequence[Edit]) -> bytes:
    """The list with these changes; lines that none concerns stay as written."""
    text = content.decode("utf-8-sig")
    rows = _csv_rows(content, "The list")
    starts = _starts(text)
    columns = next(csv.reader(io.StringIO(starts[0])))
    cells: dict[int, dict[str, str]] = {}
    for row, column, value in _cell_changes(edits, _places(rows)):
        change = cells.setdefault(row, {})
        if column == "colour":
            change |= dict(zip(("red", "green", "blue"), map(shortest, value), strict=True))
        else:
            change[column] = (
                "" if value is None else str(value) if isinstance(value, str) else shortest(float(value[0]))
            )
    out = list(starts)
    for row, change in cells.items():
        if missing := [name for name in change if name not in columns]:
            raise BadInput(f"The list has no column {missing[0]} to write into. Add it, left empty.")
        before = next(csv.reader(io.StringIO(starts[row + 1], newline="")))
        before += [""] * (len(columns) - len(before))
        after = [change.get(name, cell) for name, cell in zip(columns, before, strict=True)]
        written = io.StringIO()
        csv.writer(written, lineterminator="").writerow(after)
        ending = starts[row + 1][len(starts[row + 1].rstrip("\r\n")) :]
        out[row + 1] = written.getvalue() + ending
    mark = b"\xef\xbb\xbf" if content.startswith(b"\xef\xbb\xbf") else b""
    return mark + "".join(out).encode()


def _starts(text: str) -> list[str]:
    """The text cut into records; a quoted cell may hold line ends. Empty lines belong to the record before."""
    records: list[str] = []
    is_open = False
    for line in text.splitlines(keepends=True):
        if is_open or (records and not line.strip()):
            records[-1] += line
        else:
            records.append(line)
        is_open ^= line.count('"') % 2 == 1
    return records


def _places(rows: Sequence[dict[str, Any]]) -> dict[tuple[str, str], int]:
    """The row of each input, by its node and name."""
    return {(f"{row.get('of') or MATERIAL}:{row['name']}", row["input"]): number for number, row in enumerate(rows)}


def _cell_changes(edits: Sequence[Edit], places: dict[tuple[str, str], int]) -> Iterator[tuple[int, str, Any]]:
    """Changes as cells: number of a row, column, value. A gamma node is a cell of its row, and goes with it."""
    for edit in edits:
        match edit:
            case RemoveNode(node):
                yield _row_of(node), _GAMMA, None
            case SetSpace(node, name, space):
                yield _place(node, name, places), "space", space
            case SetInput(node, name, str(value)):
                yield _place(node, name, places), _FILE, value
            case SetInput(node, name, tuple(value)):
                column = "colour" if len(value) == 3 else "value"
                yield _place(node, name, places), column, [float(shortest(each)) for each in value]


def problems(content: bytes) -> list[str]:
    """A list that is read is whole."""
    return []


def space_name(config: ocio.Config, space: str, node: Node) -> str:
    """The config's own name."""
    return str(config.getColorSpace(space).getName())


def space_edits(document: Document, said: str) -> list[Edit]:
    """The space of the whole list."""
    return [SetSetting(SPACE, said)]


register(Format("list as JSON", (".json",), read_json, rewritten_json, problems, space_name, space_edits))
register(Format("list as CSV", (".csv",), read_csv, rewritten_csv, problems, space_name, lambda *_: []))
