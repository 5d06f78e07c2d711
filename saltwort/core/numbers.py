"""Numbers that the trade agrees on."""

MIDDLE_GREY = 0.18
"""Reflectance of a grey card in scene light, around which exposure is counted."""
LARGEST_HALF = 65504.0
"""The largest finite half float (IEEE 754 binary16)."""
