"""Hold the pixels of a finished file against those that its recipe makes.

What the coding of the file explains is allowed for: rounding and dither for each sample; for a lossy picture, as much
as its codec does to the recipe's own picture there; for videos, what is left in the mean of a block, where noise
cancels, and in all colours together.
"""

from dataclasses import dataclass
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from saltwort.core.deliverables.shown import Doubt
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.ycbcr import WEIGHTS, recoded

BLOCK = 8
LOSSY_TIMES, LOSSY_BY = 2.0, 6 / 255
"""What a codec does near by, so many times, and code values more."""
RECODED = 4 / 255
"""Code values that the mean of a block may be off where two versions of one codec made the same picture."""
LIKELY, VISIBLE = 0.55, 0.3 / 255
"""Part of what a wrong matrix does to colours from which it is told, and how much that must be, code values. Of right
videos at most 0.26 was seen, of wrong ones at least 0.8."""
SHIFT_BLOCKS = 4096
"""Blocks of a frame from which a shift of all colours is told."""


@dataclass(frozen=True)
class CodecNoise:
    """Code values that a codec may take from a video: the mean of a block, and all colours by one matrix."""

    block: float
    colours: float


NOISE = {
    "high": CodecNoise(11 / 255, 2 / 255),
    "review": CodecNoise(18 / 255, 3.5 / 255),
    "review of AV1": CodecNoise(60 / 255, 3.5 / 255),
}
"""By quality. Of pictures made at random, noisy ones among them, 7 and 13 were seen of blocks, 1.3 and 3 of colours.
AV1 for review drops the colour of single lamps: 48 were seen of a block. A wrong matrix is told below that."""


@dataclass
class Differing:
    """Pixels that are not as they should be, as strips or frames are added."""

    pixels: int = 0
    of: int = 0
    largest: float = 0.0
    first: tuple[int, int] | None = None
    _rows: int = 0

    def add(self, error: NDArray[np.float32], allowed: NDArray[np.float32] | float) -> None:
        """Errors of whole rows, (rows, width), the largest of each pixel's channels, with what its coding explains."""
        with np.errstate(invalid="ignore"):
            is_off = ~(error <= allowed)
        self.of += error.size
        if is_off.any():
            row, column = np.unravel_index(int(is_off.argmax()), is_off.shape)
            self.first = self.first or (int(column), self._rows + int(row))
            self.pixels += int(np.count_nonzero(is_off))
            self.largest = max(self.largest, float(np.nan_to_num(error[is_off], nan=1.0, posinf=1.0).max()))
        self._rows += len(error)

    def doubts(self) -> list[Doubt]:
        if self.first is None:
            return []
        share = self.pixels / self.of
        told = "1 pixel differs" if self.pixels == 1 else f"{self.pixels:,} pixels ({share:.2%}) differ"
        return [
            Doubt(
                "other-picture",
                f"{told} from what the recipe makes of this render, by up to {self.largest:.2g}; the first at "
                f"{self.first[0]}, {self.first[1]}.",
            )
        ]


def error_of(found: Pixels, meant: Pixels) -> NDArray[np.float32]:
    """The largest difference of the channels of each pixel, (rows, width); 0 where both are NaN or alike infinite."""
    with np.errstate(invalid="ignore"):
        error = np.abs(found - meant)
    same = (found == meant) | (np.isnan(found) & np.isnan(meant))
    return np.asarray(np.where(same, np.float32(0), error).max(axis=2), np.float32)


def explained_by_codec(error: NDArray[np.float32]) -> NDArray[np.float32]:
    """What a codec may do at each pixel, from the errors it made with the same picture, both (height, width)."""
    from scipy import ndimage  # slow to import, seldom needed

    return np.asarray(ndimage.maximum_filter(error, 2 * BLOCK + 1) * LOSSY_TIMES + LOSSY_BY, np.float32)


def _means(frame: Pixels) -> NDArray[np.float32]:
    """The means of blocks of BLOCK × BLOCK pixels, (n, 3)."""
    rows, columns = (max(1, side // BLOCK) for side in frame.shape[:2])
    whole = frame[: rows * BLOCK, : columns * BLOCK]
    height, width = whole.shape[0] // rows, whole.shape[1] // columns
    blocks = whole[: rows * height, : columns * width].reshape(rows, height, columns, width, 3)
    return np.asarray(blocks.mean(axis=(1, 3), dtype=np.float32).reshape(-1, 3))


class ColourShift:
    """Whether all colours of frames are changed by one matrix, as by the wrong one of Y′CbCr, or a wrong range."""

    def __init__(self) -> None:
        self._meant: list[NDArray[np.float32]] = []
        self._off: list[NDArray[np.float32]] = []

    def add(self, found: Pixels, meant: Pixels) -> None:
        """The means of blocks: a codec takes colour from single pixels, and keeps the mean."""
        found, meant = (_means(frame) for frame in (found, meant))
        step = max(1, len(meant) // SHIFT_BLOCKS)
        self._meant.append(meant[::step])
        self._off.append((found - meant)[::step])

    @property
    def size(self) -> float:
        """Root mean square of what a matrix with an offset explains of the differences, of the channel with most."""
        meant, off = np.concatenate(self._meant), np.concatenate(self._off)
        terms = np.column_stack([meant, np.ones(len(meant), np.float32)])
        explained = terms @ np.linalg.lstsq(terms, off, rcond=None)[0]
        return float(np.sqrt((explained**2).mean(axis=0)).max())

    @property
    def recoded(self) -> tuple[str, str] | None:
        """The matrices of Y′CbCr by which colours were coded and decoded, where these differ by at least LIKELY of what
        that does; None where they do not, or where the colours do not tell. What a codec does to single pixels has
        little to do with it, so that it is found below the noise."""
        meant, off = np.concatenate(self._meant), np.concatenate(self._off)
        best, least = None, np.inf
        for coded, decoded in permutations(WEIGHTS, 2):
            would_be = meant @ (recoded(coded, decoded) - np.eye(3)).T
            left = float(((off - would_be) ** 2).sum())
            if left < least and np.sqrt((would_be**2).mean()) >= VISIBLE:
                share = float((off * would_be).sum() / (would_be**2).sum())
                best, least = ((coded, decoded) if share > LIKELY else None), left
        return best


def blocks_differ(found: Pixels, coded: Pixels) -> list[Doubt]:
    """The doubt where a lossy picture differs in areas from the recipe's own, coded in the same way."""
    largest = largest_of_blocks(found, coded)
    if largest <= RECODED:
        return []
    return [
        Doubt(
            "other-picture",
            f"Areas differ from what the recipe makes of this render, by up to {largest:.2g} in the mean of "
            f"{2 * BLOCK} × {2 * BLOCK} pixels.",
        )
    ]


def of_shifted_colours(size: float) -> Doubt:
    return Doubt(
        "other-picture",
        f"All its colours are changed alike, by about {size * 255:.1f} of 255: by another matrix of Y′CbCr, another "
        "range, or another view.",
    )


def of_recoded_colours(coded: str, decoded: str) -> Doubt:
    return Doubt(
        "other-picture", f"All its colours are changed alike: coded as Y′CbCr by {coded}, decoded by {decoded}."
    )


def largest_of_blocks(found: Pixels, meant: Pixels) -> float:
    """The largest difference of the means of blocks, over all channels of two frames, (height, width, 3)."""
    from scipy import ndimage  # slow to import, seldom needed

    off = ndimage.uniform_filter(found - meant, (2 * BLOCK, 2 * BLOCK, 0), mode="nearest")
    return float(np.abs(off).max())
