"""Palettes: names with sRGB colours, as CSS, JSON or CSV."""

import csv
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from io import StringIO
from typing import Any

import tinycss2
from tinycss2.color4 import parse_color

from saltwort.core.errors import BadInput
from saltwort.core.names import free_name
from saltwort.core.spaces.typed import TypedColour

COLUMNS = ("hex", "colour", "color", "value", "$value")
"""Under which a row of CSV or an object of JSON has its colour."""
IN_SRGB = ("srgb", "hsl", "hwb")
"""Colour spaces of CSS Color 4 that are sRGB in other coordinates."""
DEEPEST = 32


@dataclass(frozen=True)
class PaletteColour:
    """A name with a colour, as code values of an sRGB display."""

    name: str
    colour: TypedColour


def is_palette(file: str, text: str) -> bool:
    """Whether a text file holds a palette, judged by its ending, or by what stands in it under which name."""
    if file.lower().endswith(".css"):
        return True
    if text.lstrip().startswith(("{", "[")):
        rows = _json(text)
        return isinstance(rows, dict) or (
            isinstance(rows, list) and bool(rows) and all(isinstance(row, dict) and _column(row) for row in rows)
        )
    return _column(dict.fromkeys(_lower(next(csv.reader(StringIO(text)), [])))) is not None


def read_palette(file: str, text: str) -> list[PaletteColour]:
    """The colours of a palette: custom properties of CSS, which must be colours of CSS Color 4 in sRGB without
    transparency; JSON, an object of names and colours (objects within it are groups, and `$value` is the colour of a
    design token), or a list of objects; CSV with a column `name` and one of COLUMNS. Of names that stand twice, the
    second gets a number. Raises BadInput, naming the colour, for anything else."""
    if file.lower().endswith(".css"):
        found = list(_of_css(text))
    elif text.lstrip().startswith(("{", "[")):
        found = list(_of_json(file, _json(text)))
    else:
        found = list(_of_csv(text))
    if not found:
        raise BadInput(f"{file} has no colours. Name them as CSS custom properties, JSON, or CSV with name and hex.")
    taken: set[str] = set()
    colours = []
    for name, value in found:
        name = free_name(" ".join(name.replace("-", " ").replace("_", " ").split()), taken)
        taken.add(name)
        colours.append(PaletteColour(name, _colour(file, name, value)))
    return colours


def _colour(file: str, name: str, value: str) -> TypedColour:
    found = parse_color(value)
    if found is None or isinstance(found, str) or found.space not in IN_SRGB:
        raise BadInput(f"{file}: “{value[:40]}” of {name} is not an sRGB colour. Use #c8102e or rgb(200 16 46).")
    if found.alpha != 1:
        raise BadInput(f"{file}: {name} is transparent. Give its colour without alpha.")
    codes = [min(max(float(code), 0.0), 1.0) for code in found.to("srgb").coordinates]
    steps = [round(code * 255) for code in codes]
    if all(abs(code * 255 - step) < 1e-6 for code, step in zip(codes, steps, strict=True)):
        return TypedColour("", "hex", "#" + "".join(f"{step:02x}" for step in steps))
    return TypedColour("", "unit", " ".join(f"{code:.5g}" for code in codes))


def _of_css(text: str) -> Iterator[tuple[str, str]]:
    """Custom properties that are colours; of properties in media queries and the like, which are variants, none."""
    for rule in tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True):
        if rule.type != "qualified-rule":
            continue
        for each in tinycss2.parse_blocks_contents(rule.content, skip_comments=True, skip_whitespace=True):
            if each.type == "declaration" and each.name.startswith("--"):
                value = tinycss2.serialize(each.value).strip()
                if parse_color(value) is not None:  # others are sizes, fonts, references
                    yield each.name.removeprefix("--"), value


def _of_json(file: str, told: Any, group: tuple[str, ...] = ()) -> Iterator[tuple[str, str]]:
    if len(group) > DEEPEST:
        raise BadInput(f"{file} is nested too deeply. Give each colour a name of its own.")
    if isinstance(told, list):
        for number, row in enumerate(told, start=1):
            yield str(row.get("name") or f"colour {number}"), str(row[_column(row)])
        return
    for name, value in told.items():
        if isinstance(value, str) and name.startswith("$"):
            continue  # a description or type of design tokens
        if isinstance(value, str):
            yield " ".join((*group, name)), value
        elif isinstance(value, dict) and (column := _column(value)):
            yield " ".join((*group, name)), str(value[column])
        elif isinstance(value, dict):
            yield from _of_json(file, value, (*group, name))
        else:
            raise BadInput(f'{file}: {name} is not a colour. Write it as "#c8102e".')


def _of_csv(text: str) -> Iterator[tuple[str, str]]:
    for number, row in enumerate(csv.DictReader(StringIO(text)), start=1):
        told = {str(key).strip().lower(): value for key, value in row.items() if isinstance(value, str)}
        column = _column(told)
        yield told.get("name", "").strip() or f"colour {number}", told[column].strip() if column else ""


def _json(text: str) -> Any:
    try:
        return json.loads(text)
    except (ValueError, RecursionError):
        return None


def _column(row: dict[str, Any]) -> str | None:
    return next((name for name in COLUMNS if name in row and isinstance(row[name], str | None)), None)


def _lower(names: Sequence[str]) -> list[str]:
    return [name.strip().lower() for name in names]
