"""Something smooth that is none of what is known: the matrix and three curves that come nearest to it, to be looked at
and loaded, and called unknown all the same."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.luts.writing import as_clf

Array = NDArray[np.float64]
KNOTS = 33
"""Of a curve, evenly over 0–1."""
ROUNDS = 8
OUTLIERS = 90
"""Percentile of what is off up to which samples count: a watermark does not bend the fit."""
LEAST = 1e-6


@dataclass(frozen=True)
class Fitted:
    """From the numbers that are expected, 0–1, to those of the picture: times `matrix`, (3, 3) for columns of red,
    green and blue, then through `curves`, (3, KNOTS). `off` is what is left, root mean square of 0–1."""

    matrix: Array
    curves: Array
    off: float

    def of(self, numbers: Array) -> Array:
        """What is done to numbers, (n, 3)."""
        mixed = np.clip(numbers @ self.matrix.T, 0, 1)
        knots = np.linspace(0, 1, KNOTS)
        return np.stack([np.interp(mixed[:, at], knots, self.curves[at]) for at in range(3)], axis=1)

    def as_clf(self) -> bytes:
        """The same as a Common LUT Format document."""
        matrix = np.eye(4)
        matrix[:3, :3] = self.matrix
        lut = ocio.Lut1DTransform(KNOTS, False)
        lut.setInterpolation(ocio.INTERP_LINEAR)
        lut.setData(np.ascontiguousarray(self.curves.T, np.float32))
        clamp = ocio.RangeTransform(0.0, 1.0, 0.0, 1.0)
        group = ocio.GroupTransform([ocio.MatrixTransform(matrix.ravel().tolist()), clamp, lut])
        return as_clf(group, ocio.Config.CreateRaw())


def fitted(expected: NDArray[np.floating], seen: NDArray[np.floating]) -> Fitted:
    """The matrix and rising curves that come nearest to what was done to numbers, both (n, 3), 0–1: curves by isotonic
    regression (Barlow et al., 1972) and the matrix by least squares in turn."""
    wanted, found = np.clip(expected, 0, 1).astype(np.float64), np.clip(seen, 0, 1).astype(np.float64)
    matrix, weight = np.eye(3), np.ones(len(wanted), bool)
    best: Fitted | None = None
    for _ in range(ROUNDS):
        mixed = wanted @ matrix.T
        curves = np.stack([_curve(mixed[weight, at], found[weight, at]) for at in range(3)])
        made = Fitted(matrix, curves, 0.0)
        away = np.abs(made.of(wanted) - found).max(axis=1)
        off = float(np.sqrt(np.mean(away[weight] ** 2)))
        if best is None or off < best.off:
            best = Fitted(matrix, curves, off)
        weight = away <= max(np.percentile(away, OUTLIERS), LEAST)
        matrix = _matrix(wanted[weight], _through_inverse(curves, found[weight]))
    assert best is not None
    return best


def _curve(mixed: Array, found: Array) -> Array:
    """A rising curve through points, at KNOTS."""
    from scipy.optimize import isotonic_regression  # slow to import, seldom needed

    order = np.argsort(mixed)
    at, rising = mixed[order], isotonic_regression(found[order]).x
    # A point for each of some bins, so that the curve does not climb in the steps of single samples.
    bins = np.array_split(np.arange(len(at)), min(KNOTS * 2, len(at)))
    centres = np.array([at[each].mean() for each in bins])
    heights = np.array([rising[each].mean() for each in bins])
    return np.asarray(np.interp(np.linspace(0, 1, KNOTS), centres, heights))


def _through_inverse(curves: Array, found: Array) -> Array:
    knots = np.linspace(0, 1, KNOTS)
    rising = curves + np.arange(KNOTS) * LEAST  # where it is flat, any place will do
    return np.stack([np.interp(found[:, at], rising[at], knots) for at in range(3)], axis=1)


def _matrix(wanted: Array, mixed: Array) -> Array:
    """The matrix that leaves white where it is."""
    solved = np.linalg.lstsq(wanted, mixed, rcond=None)[0].T
    sums = solved.sum(axis=1, keepdims=True)
    return np.asarray(solved / np.where(np.abs(sums) > 0.1, sums, 1.0))
