"""A small picture of a large one, made while that is read in strips."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images.channels import colour_channels
from saltwort.core.images.headers import Header
from saltwort.core.images.reading import Pixels

THUMBNAIL = 128
"""Pixels on the longest side."""
_HALF_TO_FLOAT = 2.0**112
"""Between the exponents of a half, whose bias is 15, and of a float, whose bias is 127 (IEEE 754-2019, 3.4)."""


class Thumbnail:
    """A picture averaged in whole blocks, so that no side is above THUMBNAIL, in the numbers of the file."""

    def __init__(self, header: Header) -> None:
        width, height = header.width, header.height
        block = -(-max(width, height) // THUMBNAIL)
        self.block = max(1, min(block, width, height))
        self.across, self.down = width // self.block, height // self.block
        self.header = header
        self.row = 0
        self.sums: NDArray[np.float64] = np.zeros((-(-height // self.block), width * header.channels))

    def add(self, flat: NDArray[Any], is_positive: bool) -> None:
        """Add rows of finite samples; `is_positive` tells that none has a sign."""
        if self.block == 1:
            self.sums[self.row : self.row + len(flat)] = flat
            self.row += len(flat)
            return
        start = 0
        while start < len(flat):
            line = self.row // self.block
            end = min(len(flat), start + (line + 1) * self.block - self.row)
            self.sums[line] += _column_sums(flat[start:end], is_positive)
            self.row += end - start
            start = end

    def pixels(self, scale: float) -> Pixels:
        colour = colour_channels(self.header.channel_names)
        rows = self.sums[: self.down].reshape(self.down, -1, self.header.channels)
        blocks = rows[:, : self.across * self.block, colour].reshape(self.down, self.across, self.block, 3)
        averaged = blocks.mean(axis=2) if self.block > 1 else blocks[:, :, 0]
        return np.asarray(averaged * (scale / self.block), np.float32)


def _column_sums(rows: NDArray[Any], is_positive: bool) -> NDArray[Any]:
    """Sums of finite samples down each column, each in the way that is fastest for its type."""
    if rows.dtype == np.uint8 and len(rows) <= 256:
        return np.asarray(rows.sum(axis=0, dtype=np.uint16))
    if np.issubdtype(rows.dtype, np.integer):
        return np.asarray(rows.sum(axis=0, dtype=np.float64))
    ones = np.ones(len(rows), np.float32)
    if rows.dtype != np.float16 or not is_positive:
        return np.asarray(ones @ rows.astype(np.float32, copy=False))
    # The bits of a half without a sign, moved to where a float has them, are that number but for its exponent.
    bits = np.left_shift(rows.view(np.uint16), 13, dtype=np.uint32)
    return np.asarray((ones @ bits.view(np.float32)).astype(np.float64) * _HALF_TO_FLOAT)
