"""The rig's chart: 24 patches of our own, and charts of others from CSV.

Two rows of twelve hues, muted and strong, stand over six greys and six colours of quays and boats.
"""

import csv
from collections.abc import Callable
from dataclasses import dataclass
from io import StringIO

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import D65, xy_to_xyz
from saltwort.core.spaces.typed import Triple

COLUMNS, ROWS = 6, 4
MOST_PATCHES = 1000


@dataclass(frozen=True)
class Patch:
    """A patch of a chart; `xyz` is CIE XYZ under D65, a perfect white at Y = 1."""

    name: str
    xyz: Triple

    @property
    def xyy(self) -> Triple:
        """Chromaticity and luminance; black has that of D65."""
        total = sum(self.xyz)
        x, y = (self.xyz[0] / total, self.xyz[1] / total) if total > 0 else D65
        return x, y, self.xyz[1]


# L*, C*ab and hue in degrees, CIE 1976 under D65.
_LCH: tuple[tuple[str, float, float, float], ...] = (
    *((f"muted {hue}", 58.0, 30.0, float(hue)) for hue in range(15, 375, 60)),
    ("strong red", 44, 68, 32),
    ("strong orange", 62, 70, 62),
    ("strong yellow", 80, 78, 92),
    ("strong green", 52, 58, 142),
    ("strong cyan", 55, 42, 222),
    ("strong blue", 32, 58, 292),
    ("tarred wood", 22, 9, 60),
    ("rope", 64, 22, 84),
    ("verdigris", 60, 24, 178),
    ("buoy", 50, 74, 44),
    ("enamel", 41, 20, 196),
    ("brass", 61, 42, 80),
    *((f"grey {lightness}", float(lightness), 0.0, 0.0) for lightness in (96, 80, 65, 50, 35, 20)),
)


def patches() -> tuple[Patch, ...]:
    """The rig's patches by rows from the top left."""
    return tuple(
        Patch(
            name,
            lab_to_xyz(lightness, chroma * float(np.cos(np.radians(hue))), chroma * float(np.sin(np.radians(hue)))),
        )
        for name, lightness, chroma, hue in _LCH
    )


def lab_to_xyz(lightness: float, a: float, b: float) -> Triple:
    """CIE 1976 L*a*b* under D65 (ISO/CIE 11664-4) to CIE XYZ, white at Y = 1."""
    middle = (lightness + 16) / 116
    x, y, z = (
        white * (part**3 if part > 6 / 29 else 3 * (6 / 29) ** 2 * (part - 4 / 29))
        for part, white in zip((middle + a / 500, middle, middle - b / 200), xy_to_xyz(D65).tolist(), strict=True)
    )
    return x, y, z


def _xyy_to_xyz(x: float, y: float, luminance: float) -> Triple:
    first, second, third = (xy_to_xyz((x, y)) * luminance).tolist()
    return first, second, third


def _xyz(x: float, y: float, z: float) -> Triple:
    return x, y, z


# Columns by which a chart's CSV may give its colours, and how they become XYZ.
_COLUMNS: dict[tuple[str, ...], Callable[[float, float, float], Triple]] = {
    ("L", "a", "b"): lab_to_xyz,
    ("x", "y", "Y"): _xyy_to_xyz,
    ("X", "Y", "Z"): _xyz,
}


def read_chart(text: str) -> list[Patch]:
    """A chart's reference values from CSV (RFC 4180) with a line of names: `name`, and `L, a, b`, `X, Y, Z` with white
    at Y = 1, or `x, y, Y`, all under D65. Raises BadInput, naming the line, for anything else."""
    rows = csv.DictReader(StringIO(text))
    columns = next((columns for columns in _COLUMNS if set(columns) <= set(rows.fieldnames or ())), None)
    if columns is None:
        raise BadInput("The first line of a chart names its columns: name, then L, a, b or X, Y, Z or x, y, Y.")
    found = []
    for line, row in enumerate(rows, start=2):
        try:
            numbers = [float(row[column] or "") for column in columns]
            if not np.isfinite(numbers).all():
                raise ValueError
            xyz = _COLUMNS[columns](*numbers)
        except (ValueError, TypeError, ZeroDivisionError):
            raise BadInput(f"Line {line} of the chart has no three numbers under {', '.join(columns)}.") from None
        found.append(Patch((row.get("name") or f"patch {line - 1}").strip(), xyz))
        if len(found) > MOST_PATCHES:
            raise BadInput(f"A chart has up to {MOST_PATCHES:,} patches.")
    if not found:
        raise BadInput("The chart has no patches: there is no line after the names.")
    return found
