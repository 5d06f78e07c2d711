"""Changes in the text of a USD layer (.usda) that leave all else as it is written: comments, order and layout.

Only the places of statements are found here; what they mean is the library's, and `usd.rewritten` holds the outcome
beside what the library makes of the same changes.
"""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from pxr import Sdf

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.spans import replaced
from saltwort.core.migration.formats.usd_reading import SOURCE_SPACE, uv_texture_space
from saltwort.core.migration.graph import (
    Connect,
    Edit,
    Numbers,
    RemoveNode,
    SetInput,
    SetSetting,
    SetSpace,
    time_of,
    without_time,
)
from saltwort.core.numbers import shortest

Span = tuple[int, int]
# Of a mesh as few as can be: a tuple, or a list of numbers or tuples, is one. Metadata, which stand between parentheses
# too, have a sign or a text in them.
_PLAIN = r"""[^\[\](){}"'@\#<=]"""
_TUPLE = rf"\((?=\s*+[^\s)]){_PLAIN}*+\)"
_TOKENS = re.compile(
    rf"""(?:[ \t\r]+|\#[^\n]*)*+(?:(?P<newline>\n)|(?P<last>\Z)
    |(?P<string>\"\"\".*?\"\"\"|'''.*?'''|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*')
    |(?P<values>{_TUPLE}|\[(?:{_PLAIN}++|{_TUPLE})*+\])
    |(?P<asset>@@@.*?@@@|@[^@\n]*@)|(?P<path><[^>\n]*>)
    |(?P<open>[({{\[])|(?P<close>[)}}\]])|(?P<end>;)|(?P<word>[^\s"'@<>(){{}}\[\];=,]+)|(?P<sign>[=,<>"'@]))""",
    re.VERBOSE | re.DOTALL,
)
_LAST = "last"
_BETWEEN = ("newline", "end")
_STOPS = (*_BETWEEN, "close", _LAST)
_SAMPLES = ".timeSamples"
_SPECIFIERS = ("def", "over", "class")


class _Token(NamedTuple):
    kind: str
    text: str
    start: int
    end: int


@dataclass
class _Statement:
    """A property: `name` with what follows it, as `.connect`; its whole span, that of its value, and that between the
    parentheses of its metadata."""

    name: str
    whole: Span
    value: Span = (0, 0)
    """Empty where it has none."""
    metadata: Span | None = None


@dataclass
class _Prim:
    path: str
    specifier: str
    whole: Span
    metadata: Span | None
    head_end: int
    """Where metadata would stand: after the name."""
    body: Span
    statements: dict[str, _Statement] = field(default_factory=dict)


def edited_text(text: str, edits: Sequence[Edit]) -> str:
    """The text with these changes. Raises BadInput where a place is not found."""
    prims = {prim.path: prim for prim in _Scanner(text).prims()}
    changes: list[tuple[int, int, str]] = []
    for edit in edits:
        changes += _changes(text, prims, edit)
    return replaced(text, changes)


def _changes(text: str, prims: dict[str, _Prim], edit: Edit) -> Iterator[tuple[int, int, str]]:
    match edit:
        case SetInput(node, name, value):
            time = time_of(name)
            if time is None:
                yield _value_change(text, _statement(prims, node, name).value, value)
            else:
                samples = _statement(prims, node, f"{without_time(name)}{_SAMPLES}")
                yield _value_change(text, _sample(text, samples, time), value)
        case SetSpace(node, "", space):
            if node not in prims:
                raise _not_found(node)
            yield from _root_space_changes(text, prims[node], space)
        case SetSpace(node, name, space):
            yield _space_change(text, _declared(prims, node, name), space)
            source = prims[node].statements.get(SOURCE_SPACE)
            is_file = "asset" in _type_words(text, _declared(prims, node, name)).split()
            if is_file and source is not None and text[slice(*source.value)] != "None":
                yield (*source.value, f'"{uv_texture_space(space)}"')
        case Connect(node, name, source_of):
            statement = _statement(prims, node, f"{name}.connect")
            if source_of is None:
                yield (*statement.value, "None")
            else:
                target = Sdf.Path(source_of[0]).StripAllVariantSelections().AppendProperty(source_of[1])
                yield (*statement.value, f"<{target}>")
        case RemoveNode(node):
            if node not in prims:
                raise _not_found(node)
            yield (*_whole_lines(text, prims[node].whole), "")
        case SetSetting(path, value):
            node, _, name = path.rpartition(".")
            yield _value_change(text, _statement(prims, node, name).value, value)


def _sample(text: str, samples: _Statement, time: float) -> Span:
    """The value of one time in a statement of samples."""
    start, end = samples.value
    scanner = _Scanner(text[start + 1 : end - 1])
    for found, (first, last) in scanner.samples():
        if found == time:
            return start + 1 + first, start + 1 + last
    raise _not_found(f"The sample of {samples.name} at {time:g}")


def _statement(prims: dict[str, _Prim], node: str, name: str) -> _Statement:
    prim = prims.get(node)
    found = prim.statements.get(name) if prim else None
    if found is None or found.value == (0, 0):
        raise _not_found(f"{node}.{name}")
    return found


def _declared(prims: dict[str, _Prim], node: str, name: str) -> _Statement:
    """The statement that metadata of a property stands at: of its samples alone where it has no other."""
    statements = prims[node].statements if node in prims else {}
    found = statements.get(name) or statements.get(f"{name}{_SAMPLES}")
    if found is None:
        raise _not_found(f"{node}.{name}")
    return found


def _type_words(text: str, statement: _Statement) -> str:
    """What a statement says before the name of its property."""
    return text[slice(*statement.whole)].partition(statement.name)[0]


def _not_found(place: str) -> BadInput:
    return BadInput(f"{place} is not found in the text of the layer.")


def _value_change(text: str, span: Span, value: Numbers | str | bool) -> tuple[int, int, str]:
    start, end = span
    before = text[start:end]
    if isinstance(value, bool):
        return start, end, ("1" if value else "0") if before in ("0", "1") else str(value).lower()
    if isinstance(value, str):
        if before.startswith("@"):
            mark = "@@@" if "@" in value else "@"
            return start, end, f"{mark}{value}{mark}"
        return start, end, '"' + value.replace("\\", "\\\\").replace('"', '\\"') + '"'
    numbers = iter(value)
    # Number by number, so that arrays and their layout stay.
    new = _NUMBER.sub(lambda _: shortest(next(numbers)), before)
    if next(numbers, None) is not None:
        raise BadInput(f"The value {before[:60]} holds fewer numbers than are to be written.")
    return start, end, new


_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*(?:[eE][-+]?\d+)?|\.\d+(?:[eE][-+]?\d+)?|inf|nan)")


def _space_change(text: str, statement: _Statement, space: str) -> tuple[int, int, str]:
    indent = _indent(text, statement.whole[0])
    if statement.name.endswith(_SAMPLES):  # no metadata can stand behind samples
        at = statement.whole[0]
        declared = _type_words(text, statement) + statement.name.removesuffix(_SAMPLES)
        return at, at, f'{declared} (\n{indent}    colorSpace = "{space}"\n{indent})\n{indent}'
    if statement.metadata is None:
        at = statement.whole[1]
        return at, at, f' (\n{indent}    colorSpace = "{space}"\n{indent})'
    start, end = statement.metadata
    found = re.search(r'(?<![\w:])colorSpace\s*=\s*("[^"\n]*"|\'[^\'\n]*\')', text[start:end])
    if found:
        return start + found.start(1), start + found.end(1), f'"{space}"'
    is_one_line = "\n" not in text[start:end]
    return (
        (start, start, f'colorSpace = "{space}"; ')
        if is_one_line
        else (
            start,
            start,
            f'\n{indent}    colorSpace = "{space}"',
        )
    )


def _root_space_changes(text: str, prim: _Prim, space: str) -> Iterator[tuple[int, int, str]]:
    """The colour space of all that stands below a prim, as `ColorSpaceAPI` says it."""
    if found := prim.statements.get("colorSpace:name"):
        yield _value_change(text, found.value, space)
        return
    indent = _indent(text, prim.whole[0])
    yield prim.body[0], prim.body[0], f'\n{indent}    uniform token colorSpace:name = "{space}"'
    if prim.metadata is None:
        told = f' (\n{indent}    prepend apiSchemas = ["ColorSpaceAPI"]\n{indent})'
        yield prim.head_end, prim.head_end, told
        return
    start, end = prim.metadata
    listed = re.search(r"apiSchemas\s*=\s*\[", text[start:end])
    if listed:
        at = start + listed.end()
        is_empty = text[at:end].lstrip().startswith("]")
        yield at, at, '"ColorSpaceAPI"' if is_empty else '"ColorSpaceAPI", '
    else:
        yield start, start, f'\n{indent}    prepend apiSchemas = ["ColorSpaceAPI"]'


def _indent(text: str, at: int) -> str:
    line = text.rfind("\n", 0, at) + 1
    return text[line:at] if not text[line:at].strip() else ""


def _whole_lines(text: str, span: Span) -> Span:
    """A span with its line, where nothing else stands in it, and with one empty line before."""
    start, end = span
    line = text.rfind("\n", 0, start) + 1
    after = text.find("\n", end)
    after = len(text) if after < 0 else after + 1
    if text[line:start].strip() or text[end:after].strip():
        return span
    empty = text.rfind("\n", 0, max(0, line - 1)) + 1
    if line > 0 and not text[empty : line - 1].strip() and empty < line:
        line = empty
    return line, after


class _Scanner:
    def __init__(self, text: str) -> None:
        # Of hundreds of thousands of tokens most are only passed by, for which their kind is enough.
        self._matches = list(_TOKENS.finditer(text))
        self._kinds = [match.lastgroup or "" for match in self._matches]
        self._at = 0
        self._found: list[_Prim] = []

    def prims(self) -> list[_Prim]:
        self._skip_lines()
        if self._is("open", "("):
            self._group()
        self._body("", None)
        return self._found

    def samples(self) -> Iterator[tuple[float, Span]]:
        """The times and values of what stands between the braces of samples."""
        self._skip_lines()
        while (token := self._peek()).kind != _LAST:
            self._at += 1
            time = token.text.removesuffix(":")
            if time == token.text:
                self._next()  # a colon by itself
            self._skip_lines()
            yield float(time), self._value()
            while (token := self._peek()).kind == "newline" or token.text == ",":
                self._at += 1

    def _peek(self) -> _Token:
        """The next token; after all others that is _LAST."""
        kind, match = self._kinds[self._at], self._matches[self._at]
        return _Token(kind, match[kind], *match.span(kind))

    def _is(self, kind: str, text: str = "") -> bool:
        return self._kinds[self._at] == kind and (not text or self._matches[self._at][kind] == text)

    def _pass(self) -> str:
        """Past a token; its kind."""
        kind = self._kinds[self._at]
        if kind == _LAST:
            raise BadInput("The text of the layer ends too early.")
        self._at += 1
        return kind

    def _next(self) -> _Token:
        token = self._peek()
        self._pass()
        return token

    def _skip_lines(self) -> None:
        while self._kinds[self._at] in _BETWEEN:
            self._at += 1

    def _group(self) -> Span:
        """Past a bracket and all within it; the span between."""
        start = self._next().end
        depth = 1
        while depth:
            depth += {"open": 1, "close": -1}.get(self._pass(), 0)
        return start, self._matches[self._at - 1].start("close")

    def _body(self, path: str, prim: _Prim | None) -> None:
        """The statements up to the closing brace, or the end of the layer."""
        while True:
            self._skip_lines()
            token = self._peek()
            if token.kind in ("close", _LAST):
                return
            if token.kind == "word" and token.text in _SPECIFIERS:
                self._prim(path)
            elif token.kind == "word" and token.text == "variantSet":
                self._variants(path)
            else:
                statement = self._property()
                if prim is not None and statement.name:
                    prim.statements[statement.name] = statement

    def _prim(self, parent: str) -> None:
        first = self._next()
        start = first.start
        while self._is("word"):
            self._at += 1
        name = self._next()
        path = f"{parent}/{name.text[1:-1]}" if not parent.endswith("}") else f"{parent}{name.text[1:-1]}"
        self._skip_lines()
        metadata = self._group() if self._is("open", "(") else None
        self._skip_lines()
        opened = self._next()
        prim = _Prim(path, first.text, (start, opened.end), metadata, name.end, (opened.end, opened.end))
        self._found.append(prim)
        self._body(path, prim)
        closed = self._next()
        prim.whole, prim.body = (start, closed.end), (opened.end, closed.start)

    def _variants(self, path: str) -> None:
        self._at += 1
        name = self._next().text[1:-1]
        while not self._is("open", "{"):
            self._pass()
        self._at += 1
        while True:
            self._skip_lines()
            if self._is("close"):
                self._at += 1
                return
            first = self._next()
            variant = f"{path}{{{name}={first.text[1:-1]}}}"
            self._skip_lines()
            metadata = self._group() if self._is("open", "(") else None
            self._skip_lines()
            opened = self._next()
            prim = _Prim(variant, "variant", (first.start, opened.end), metadata, first.end, (opened.end, opened.end))
            self._found.append(prim)
            self._body(variant, prim)
            prim.whole = (first.start, self._next().end)

    def _property(self) -> _Statement:
        start = self._next()
        words = [start]
        end = start.end
        if start.kind == "open":
            self._at -= 1
            self._group()
            return _Statement("", (start.start, end))
        while self._kinds[self._at] not in _STOPS and not (self._is("sign", "=") or self._is("open", "(")):
            words.append(self._next())
            end = words[-1].end
            if words[-1].kind == "open":
                self._at -= 1
                self._group()
        statement = _Statement(words[-1].text, (start.start, end))
        if self._is("sign", "="):
            self._at += 1
            self._skip_lines()
            statement.value = self._value()
            end = statement.value[1]
        if self._is("open", "("):
            statement.metadata = self._group()
            end = statement.metadata[1] + 1
        statement.whole = (start.start, end)
        while self._kinds[self._at] not in _STOPS:
            self._at += 1
        return statement

    def _value(self) -> Span:
        if self._is("open"):
            inside = self._group()
            return inside[0] - 1, inside[1] + 1
        token = self._next()
        return token.start, token.end
