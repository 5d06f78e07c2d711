"""Numbers that the trade agrees on."""

MIDDLE_GREY = 0.18
"""Reflectance of a grey card in scene light, around which exposure is counted."""
LARGEST_HALF = 65504.0
"""The largest finite half float (IEEE 754 binary16)."""


def megabytes(size: float) -> str:
    """Bytes as people read them, in powers of 1000."""
    if size < 1e6:
        return f"{max(1, round(size / 1e3)):,} kB"
    return f"{size / 1e6:,.0f} MB" if size < 1e9 else f"{size / 1e9:,.1f} GB"
