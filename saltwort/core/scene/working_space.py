"""A working space as it can be seen: its gamut beside those of displays and surfaces, and its matrices."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.describe import working_spaces
from saltwort.core.configs.explain import Primaries, primaries_of
from saltwort.core.engine.measured import linear_to_ap0
from saltwort.core.errors import BadInput
from saltwort.core.spaces.diagram import POINTER_GAMUT
from saltwort.core.spaces.gamuts import Chromaticity, Gamut, Matrix, solve
from saltwort.core.spaces.observer import spectral_locus
from saltwort.core.views.screens import display_space

Polygon = NDArray[np.float64]


@dataclass(frozen=True)
class DisplayCovered:
    """A display's gamut, and the share, 0–1, of its area on the xy diagram that the working space holds."""

    display: str
    primaries: Primaries
    covered: float


@dataclass(frozen=True)
class WorkingSpace:
    """A working space: its primaries, which of them are no real colours, the share of Pointer's gamut of surface
    colours that it holds, how much of each display, and 3×3 matrices to and from the other working spaces."""

    name: str
    primaries: Primaries
    imaginary: tuple[str, ...]
    pointer_covered: float
    displays: tuple[DisplayCovered, ...]
    matrices: tuple[tuple[str, Matrix, Matrix], ...]


def describe_working_space(config: ocio.Config, space: str) -> WorkingSpace:
    """What there is to see of a scene-linear space. Raises BadInput when its primaries cannot be told."""
    primaries, to_ap0 = primaries_of(config, space), linear_to_ap0(config, space)
    if primaries is None or to_ap0 is None:
        raise BadInput(f"The config does not tell the primaries of “{space}”.")
    gamut = _triangle(primaries)
    locus = spectral_locus()
    return WorkingSpace(
        name=space,
        primaries=primaries,
        imaginary=tuple(
            name for name, corner in zip(("red", "green", "blue"), gamut, strict=True) if not _is_inside(corner, locus)
        ),
        pointer_covered=_covered(np.array(POINTER_GAMUT), gamut),
        displays=tuple(_displays(config, gamut)),
        matrices=tuple(
            (other, solve(other_to_ap0, to_ap0), solve(to_ap0, other_to_ap0))
            for other in working_spaces(config)
            if other != space and (other_to_ap0 := linear_to_ap0(config, other)) is not None
        ),
    )


def _displays(config: ocio.Config, gamut: Polygon) -> list[DisplayCovered]:
    found = []
    for display in config.getDisplays():
        try:
            primaries = primaries_of(config, display_space(config, display))
        except BadInput:
            continue  # a display whose space nobody can tell
        if primaries is not None:
            found.append(DisplayCovered(display, primaries, _covered(_triangle(primaries), gamut)))
    return found


def _triangle(primaries: Primaries) -> Polygon:
    return np.array([primaries.red, primaries.green, primaries.blue])


def share_held(wanted: Gamut, held_by: Primaries) -> float:
    """The share, 0–1, of a gamut's area on the xy diagram that other primaries hold."""
    return _covered(np.array([wanted.red, wanted.green, wanted.blue]), _triangle(held_by))


def _covered(wanted: Polygon, gamut: Polygon) -> float:
    """The share of one polygon's area that lies within a convex one."""
    return _area(_cut(wanted, gamut)) / _area(wanted)


def _area(polygon: Polygon) -> float:
    if len(polygon) < 3:
        return 0.0
    x, y = polygon.T
    return float(abs(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2)


def _cut(polygon: Polygon, convex: Polygon) -> Polygon:
    """What of a polygon lies within a convex one (Sutherland and Hodgman, 1974)."""
    x, y = convex.T
    if np.dot(x, np.roll(y, -1)) < np.dot(y, np.roll(x, -1)):
        convex = convex[::-1]
    points = list(polygon)
    for start, end in zip(convex, np.roll(convex, -1, axis=0), strict=True):
        kept = []
        for point, following in zip(points, points[1:] + points[:1], strict=True):
            here, there = _side(start, end, point), _side(start, end, following)
            if here >= 0:
                kept.append(point)
            if (here >= 0) != (there >= 0):
                kept.append(point + (following - point) * here / (here - there))
        points = kept
        if not points:
            break
    return np.array(points)


def _side(start: Polygon, end: Polygon, point: Polygon) -> float:
    along, toward = end - start, point - start
    return float(along[0] * toward[1] - along[1] * toward[0])


def _is_inside(point: Chromaticity | Polygon, polygon: Polygon) -> bool:
    """Whether a point lies in a polygon: a ray to the right crosses its sides an odd number of times."""
    x, y = point
    crossings = 0
    for (x0, y0), (x1, y1) in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        if (y0 > y) != (y1 > y) and x < x0 + (y - y0) * (x1 - x0) / (y1 - y0):
            crossings += 1
    return crossings % 2 == 1
