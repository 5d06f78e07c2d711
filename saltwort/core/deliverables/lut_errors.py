"""How far a LUT is from the transform that it stands for: over sorts of colours, and in both ways of reading a cube."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import apply
from saltwort.core.luts.tables import Shaper

Array = NDArray[np.float64]
TETRAHEDRAL, TRILINEAR, LINEAR = "tetrahedral", "trilinear", "linear"
CUBE_READINGS: Mapping[str, ocio.Interpolation] = {
    TETRAHEDRAL: ocio.INTERP_TETRAHEDRAL,
    TRILINEAR: ocio.INTERP_LINEAR,
}
"""How applications read between the nodes of a cube; many offer no choice."""
MIXED, SATURATED, DARK, NEUTRAL = "mixed", "saturated", "dark", "neutral"
MIXED_COLOURS, OTHER_COLOURS = 40_000, 20_000
SPREAD = 3.0
"""Stops that the channels of a mixed colour lie apart at most: lamps and lacquers, not lasers alone."""
DARK_CODES = 0.35
"""Part of the input's codes that holds dark colours: with the usual shaper, up to 4.6 stops below middle grey."""
WORST, ROUNDS, TRIES = 128, 10, 8
"""The largest error is sought from so many of the worst colours, in rounds of tries that come ever closer."""
FURTHER = 1.15
"""How much more than the largest found is told: other searches found up to so many times as much."""

Judge = tuple[str, Callable[[Array, Array], Array]] | None
"""A measure with what computes it of output numbers; None where the output is not display light."""
Readings = Mapping[str, ocio.CPUProcessor]
"""A LUT by the ways in which it is read."""


@dataclass(frozen=True)
class OfSort:
    """The error over one sort of colours, read in one way: as in Error."""

    sort: str
    reading: str
    mean: float | None
    p99: float | None
    largest: float | None
    largest_number: float


@dataclass(frozen=True)
class Error:
    """How far a LUT is from the exact transform over some colours: by `measure` (None where the output is not
    display light), mean, 99th percentile and largest; the largest difference in the output's own numbers; and the share
    of colours that the shaper or the input's 0–1 clips. Of the way of reading it that is further off; `sorts` are all.
    `largest` and `largest_number` are sought, and a little more than what was found, except over a picture."""

    colours: int
    measure: str | None
    mean: float | None
    p99: float | None
    largest: float | None
    largest_number: float
    clipped: float
    sorts: tuple[OfSort, ...] = ()


def error_over(exact: ocio.CPUProcessor, readings: Readings, colours: Array, high: float, judge: Judge) -> Error:
    """The error over colours as the LUT is fed them, (n, 3), of which those above `high` are clipped."""
    clipped = float(((colours < -1e-6) | (colours > high * (1 + 1e-6))).any(axis=1).mean())
    found = [_of_sort("", name, _Off(exact, lut, judge), colours) for name, lut in readings.items()]
    return _worst(found, len(colours), judge, clipped)


def error_of(
    exact: ocio.CPUProcessor, readings: Readings, shaper: Shaper | None, judge: Judge, *, size: int | None = None
) -> Error:
    """The error over colours of all sorts that the LUT holds; with a `size`, the largest is sought, between nodes that
    lie so close."""
    of_all = colours_of(shaper)
    found = [
        _of_sort(sort, name, _Off(exact, lut, judge), colours, _Search(sort, shaper, 1 / size) if size else None)
        for name, lut in readings.items()
        for sort, colours in of_all.items()
    ]
    return _worst(found, sum(map(len, of_all.values())), judge, 0.0)


def p99_of(exact: ocio.CPUProcessor, readings: Readings, colours: Mapping[str, Array], judge: Judge) -> float:
    """The 99th percentile of the sort and the reading where it is largest, over a quarter of the colours."""
    every = [
        _of_sort(sort, name, _Off(exact, lut, judge), values[::4]).p99
        for name, lut in readings.items()
        for sort, values in colours.items()
    ]
    return max(value or 0.0 for value in every)


def colours_of(shaper: Shaper | None) -> dict[str, Array]:
    """Colours over what a LUT holds, by sort, the same each time, (n, 3). Mixed ones are even over 0–1, or, of light,
    even over its stops with channels up to SPREAD stops apart, and a fiftieth of them black in a channel; saturated
    ones have one or two channels that are nearly black; dark ones lie in the first DARK_CODES of the codes."""
    chance = np.random.default_rng(7)
    codes = chance.random((OTHER_COLOURS, 3))
    saturated = codes.copy()
    weak = chance.random((OTHER_COLOURS, 3)) < 0.5
    weak[np.arange(OTHER_COLOURS), chance.integers(0, 3, OTHER_COLOURS)] = True
    weak[np.arange(OTHER_COLOURS), chance.integers(0, 3, OTHER_COLOURS)] = False
    saturated[weak] *= 0.1
    found = {
        SATURATED: saturated,
        DARK: chance.random((OTHER_COLOURS, 3)) * DARK_CODES,
        NEUTRAL: np.repeat(chance.random((OTHER_COLOURS, 1)), 3, axis=1),
    }
    light = {sort: shaper.light(values) if shaper else values for sort, values in found.items()}
    return {MIXED: _mixed(chance, shaper), **light}


def _mixed(chance: np.random.Generator, shaper: Shaper | None) -> Array:
    if shaper is None:
        return chance.random((MIXED_COLOURS, 3))
    stops = chance.uniform(np.log2(shaper.low), np.log2(shaper.high), (MIXED_COLOURS, 1))
    light = 2.0 ** (stops - SPREAD * chance.random((MIXED_COLOURS, 3)))
    light[chance.random((MIXED_COLOURS, 3)) < 0.02] = 0.0
    return np.asarray(light)


class _Off:
    """How far a LUT is off for colours, (n, 3): by the measure, or None, and in numbers, each (n,)."""

    def __init__(self, exact: ocio.CPUProcessor, lut: ocio.CPUProcessor, judge: Judge) -> None:
        self._exact, self._lut, self._judge = exact, lut, judge

    def __call__(self, colours: Array) -> tuple[Array | None, Array]:
        fed = np.ascontiguousarray(colours, np.float32)[None]
        meant, ours = (
            np.nan_to_num(apply(processor, fed)[0].astype(np.float64)) for processor in (self._exact, self._lut)
        )
        far = np.abs(ours - meant).max(axis=1)
        if self._judge is None:
            return None, far
        return self._judge[1](np.clip(ours, 0, 1), np.clip(meant, 0, 1)), far


@dataclass(frozen=True)
class _Search:
    """Colours near to others, as a sort has them; `reach` is how far in codes, at first."""

    sort: str
    shaper: Shaper | None
    reach: float

    def near(self, colours: Array, reach: float, chance: np.random.Generator) -> Array:
        codes = self.shaper.code(colours) if self.shaper else colours
        step = chance.uniform(-reach, reach, (len(codes), 1 if self.sort == NEUTRAL else 3))
        moved = np.clip(codes + step, 0, DARK_CODES if self.sort == DARK else 1)
        return self.shaper.light(moved) if self.shaper else np.asarray(moved)


def _of_sort(sort: str, reading: str, off: _Off, colours: Array, search: _Search | None = None) -> OfSort:
    measured, numbers = off(colours)
    largest = None if measured is None else float(measured.max())
    largest_number = float(numbers.max())
    if search:
        largest_number = FURTHER * _sought(lambda values: off(values)[1], colours, numbers, search)
        if measured is not None:
            largest = FURTHER * _sought(lambda values: _measured(off, values), colours, measured, search)
    if measured is None:
        return OfSort(sort, reading, None, None, None, largest_number)
    return OfSort(sort, reading, float(measured.mean()), float(np.percentile(measured, 99)), largest, largest_number)


def _measured(off: _Off, colours: Array) -> Array:
    measured, _ = off(colours)
    assert measured is not None
    return measured


def _sought(error: Callable[[Array], Array], colours: Array, known: Array, search: _Search) -> float:
    """The largest error near the worst of some colours whose errors are known."""
    chance = np.random.default_rng(3)
    worst = np.argsort(known)[-WORST:]
    best, found = colours[worst], known[worst]
    reach = search.reach
    for _ in range(ROUNDS):
        tried = search.near(np.tile(best, (TRIES, 1)), reach, chance)
        errors = error(tried).reshape(TRIES, -1)
        first = errors.argmax(axis=0)
        columns = np.arange(errors.shape[1])
        is_more = errors[first, columns] > found
        best = np.where(is_more[:, None], tried.reshape(TRIES, -1, 3)[first, columns], best)
        found = np.maximum(found, errors[first, columns])
        reach *= 0.7
    return float(found.max())


def _worst(found: list[OfSort], count: int, judge: Judge, clipped: float) -> Error:
    """All sorts together, by the reading that is further off. Means are weighed by how many colours a sort has."""
    largest_number = max(one.largest_number for one in found)
    sorts = tuple(found) if found[0].sort else ()
    if judge is None:
        return Error(count, None, None, None, None, largest_number, clipped, sorts)
    return Error(
        count,
        judge[0],
        max(one.mean or 0.0 for one in found),
        max(one.p99 or 0.0 for one in found),
        max(one.largest or 0.0 for one in found),
        largest_number,
        clipped,
        sorts,
    )
