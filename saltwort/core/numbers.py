"""Numbers that the trade agrees on, and how numbers are written."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

MIDDLE_GREY = 0.18
"""Reflectance of a grey card in scene light, around which exposure is counted."""
LARGEST_HALF = 65504.0
"""The largest finite half float (IEEE 754 binary16)."""


def megabytes(size: float) -> str:
    """Bytes as people read them, in powers of 1000."""
    if size < 1e6:
        return f"{max(1, round(size / 1e3)):,} kB"
    return f"{size / 1e6:,.0f} MB" if size < 1e9 else f"{size / 1e9:,.1f} GB"


def shortest(value: float) -> str:
    """The shortest text from which the same 32-bit float is read back."""
    return np.format_float_positional(np.float32(value), unique=True, trim="-")


def percentiles(rows: NDArray[Any], wanted: Sequence[float]) -> list[list[float]]:
    """Percentiles, 0–100, of finite numbers, for each row of shape (rows, n): linear between the two that are nearest,
    as numpy.percentile has it, of which thousands of calls on a few thousand numbers take several times as long."""
    ordered = np.sort(rows, axis=1)
    at = np.asarray(wanted) / 100 * (ordered.shape[1] - 1)
    below = at.astype(int)
    above = np.minimum(below + 1, ordered.shape[1] - 1)
    low = ordered[:, below].astype(np.float64)
    return (low + (ordered[:, above] - low) * (at - below)).tolist()  # type: ignore[no-any-return]
