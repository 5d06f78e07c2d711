"""Swatches as files: CSV and JSON, out and in, and a chart's reference values as swatches."""

import csv
import json
from collections.abc import Callable, Sequence
from io import StringIO
from typing import Any

from saltwort.core.errors import BadInput
from saltwort.core.scene.decisions import MOST_SWATCHES, Appearance, Swatch
from saltwort.core.scene.palettes import is_palette, read_palette
from saltwort.core.scene.reflectances import SURFACE
from saltwort.core.scene.rig.chart import Patch, read_chart
from saltwort.core.spaces.typed import TypedColour

FIELDS = ("name", "use", "space", "unit", "text")
OF_APPEARANCE = ("display", "view", "look", "stops")
"""Fields of a swatch that must appear as given; empty for all others."""


def swatch_rows(swatches: Sequence[Swatch]) -> list[dict[str, str]]:
    """Swatches as rows of FIELDS and OF_APPEARANCE: what was typed, from which all else follows."""
    return [
        {
            **dict(zip(FIELDS, (swatch.name, swatch.use, *vars(swatch.colour).values()), strict=True)),
            **{field: str(getattr(swatch.appears, field)) if swatch.appears else "" for field in OF_APPEARANCE},
        }
        for swatch in swatches
    ]


def chart_rows(patches: Sequence[Patch]) -> list[dict[str, Any]]:
    """Patches as rows of name, x, y and Y, which `read_chart` reads."""
    return [
        dict(zip(("name", "x", "y", "Y"), (patch.name, *(round(value, 6) for value in patch.xyy)), strict=True))
        for patch in patches
    ]


def read_swatches(name: str, content: bytes, appears: Callable[[Swatch], Swatch]) -> list[Swatch]:
    """The swatches of a file: JSON, a list of objects with FIELDS; CSV with the same names in its first line; CSV of a
    chart; or a palette. Colours of a palette are those of an sRGB display, of which `appears` makes swatches with an
    appearance. Raises BadInput, naming what is wrong where, for anything else."""
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadInput(f"{name} is no text in UTF-8. Save it so, as CSV or JSON.") from None
    if is_palette(name, text):
        found = [appears(Swatch(each.name, each.colour)) for each in read_palette(name, text)]
        _check_count(name, found)
        return found
    if text.lstrip().startswith(("[", "{")):
        rows = _json_rows(name, text)
    else:
        first = next(csv.reader(StringIO(text)), [])
        if "text" not in first:
            return [_of_patch(patch) for patch in read_chart(text)]
        rows = list(csv.DictReader(StringIO(text)))
    _check_count(name, rows)
    if not rows:
        raise BadInput(f"{name} has no swatches.")
    return [_swatch(name, number, row) for number, row in enumerate(rows, start=1)]


def _check_count(name: str, found: Sequence[object]) -> None:
    if len(found) > MOST_SWATCHES:
        raise BadInput(f"{name} has {len(found):,} swatches; a project holds up to {MOST_SWATCHES:,}.")


def _json_rows(name: str, text: str) -> list[dict[str, Any]]:
    try:
        rows = json.loads(text)
    except (ValueError, RecursionError):
        raise BadInput(f"{name} is no valid JSON.") from None
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise BadInput(f"{name} should hold a list of swatches, each with {', '.join(FIELDS)}.")
    return rows


def _swatch(file: str, number: int, row: dict[str, Any]) -> Swatch:
    values = {field: row.get(field) for field in FIELDS}
    if not all(isinstance(value, str) for field, value in values.items() if field != "use"):
        raise BadInput(f"Swatch {number} of {file} lacks one of {', '.join(FIELDS)}.")
    return Swatch(
        str(values["name"]).strip(),
        TypedColour(str(values["space"]), str(values["unit"]), str(values["text"])),
        str(values["use"] or SURFACE),
        _appearance(file, number, row),
    )


def _appearance(file: str, number: int, row: dict[str, Any]) -> Appearance | None:
    told = {field: str(row.get(field) or "").strip() for field in OF_APPEARANCE}
    if not told["display"] and not told["view"]:
        return None
    try:
        stops = float(told["stops"] or 0)
    except ValueError:
        raise BadInput(f"The stops of swatch {number} of {file} must be a number, such as 0 or 1.5.") from None
    return Appearance(told["display"], told["view"], told["look"], stops)


def _of_patch(patch: Patch) -> Swatch:
    numbers = " ".join(f"{value:.6g}" for value in patch.xyy)
    return Swatch(patch.name, TypedColour("", "xyY", numbers))
