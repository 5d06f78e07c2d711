"""Values of a JSON text changed where they stand, so that order, layout and what is unknown stay as written."""

import json
import re
from collections.abc import Iterable, Sequence
from typing import Any

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.spans import replaced

Path = tuple[str | int, ...]
MAX_DEPTH = 100
_TOKEN = re.compile(r'"(?:[^"\\]|\\.)*"|[{}\[\]:,]|[^\s{}\[\]:,"]+', re.DOTALL)


def loaded(content: bytes, name: str) -> Any:
    """The value of a JSON text. Raises BadInput, calling it `name`."""
    try:
        return json.loads(content.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise BadInput(f"{name} is no JSON: {str(error)[:120]}.") from error


def with_values(text: str, values: Iterable[tuple[Path, Any]]) -> str:
    """The text with other values at some paths. A value that is not there is added as the last of its object; None
    for one that is there removes nothing and writes null. Raises BadInput for a path whose object is not there."""
    spans = _spans(text)
    changes = []
    for path, value in values:
        written = json.dumps(value, ensure_ascii=False)
        if path in spans:
            changes.append((*spans[path], written))
            continue
        if path[:-1] not in spans:
            raise BadInput(f"{'.'.join(map(str, path))} is not found in the document.")
        start, end = spans[path[:-1]]
        inside = text[start + 1 : end - 1]
        at = start + 1 + len(inside.rstrip())
        comma = ", " if inside.strip() else ""
        changes.append((at, at, f"{comma}{json.dumps(path[-1])}: {written}"))
    return replaced(text, changes)


def _spans(text: str) -> dict[Path, tuple[int, int]]:
    """Where each value of a text stands, by its path."""
    found: dict[Path, tuple[int, int]] = {}
    tokens = list(_TOKEN.finditer(text))
    at = 0

    def value(path: Path) -> None:
        nonlocal at
        token = tokens[at]
        start = token.start()
        at += 1
        if token[0] in "{[":
            is_object, number = token[0] == "{", 0
            while tokens[at][0] not in "}]":
                if tokens[at][0] == ",":
                    at += 1
                    continue
                key: str | int = number
                if is_object:
                    key = json.loads(tokens[at][0])
                    at += 2
                value((*path, key))
                number += 1
            token = tokens[at]
            at += 1
        found[path] = (start, token.end())

    value(())
    return found


def numbers(value: Any) -> tuple[float, ...] | None:
    """A list of finite numbers, or a number, as a tuple; None for what is neither."""
    listed: Sequence[Any] = value if isinstance(value, list) else [value]
    if not listed or any(isinstance(each, bool) or not isinstance(each, int | float) for each in listed):
        return None
    return tuple(map(float, listed))
