"""Numbers that the trade agrees on, and how numbers are written."""

import numpy as np

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
