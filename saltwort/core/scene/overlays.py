"""Where a render holds what it should not, pixel by pixel: flat light, negative light, values that are no numbers."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels

Mask = NDArray[np.bool_]

BRIGHT = 0.9
"""Light from which a flat area is taken for a clipped one: below, walls and skies are flat by nature."""
STEP = 1e-3
"""Relative difference to a neighbour below which there is no detail: two steps of a half float."""
STRIPE = 6
"""Pixels, of the stripes that mark."""
MOST_STOPS_DOWN = 8.0


def flat(pixels: Pixels) -> Mask:
    """Samples, (height, width, 3), that are bright and the same as all their eight neighbours: clipped, or a light of
    one value all over."""
    padded = np.pad(np.nan_to_num(pixels), ((1, 1), (1, 1), (0, 0)), mode="edge")
    height, width = pixels.shape[:2]
    same: Mask = np.asarray(pixels >= BRIGHT)
    for down in range(3):
        for right in range(3):
            neighbour = padded[down : down + height, right : right + width]
            same &= np.abs(neighbour - pixels) <= STEP * np.abs(pixels)
    return same


def negative(pixels: Pixels) -> Mask:
    return np.asarray(pixels < 0)


def not_finite(pixels: Pixels) -> Mask:
    return np.asarray(~np.isfinite(pixels))


MARKS: dict[str, Callable[[Pixels], Mask]] = {"flat": flat, "negative": negative, "not-finite": not_finite}
"""What can be marked, each a function from pixels as stored, (height, width, 3), to samples of the same shape."""


@dataclass(frozen=True)
class Marked:
    """How much of a picture is marked: shares, 0–1, of the pixels, for red, green and blue and for all three at once,
    and among the pixels at or above BRIGHT the share that still has detail (None where nothing is bright)."""

    channels: tuple[float, float, float]
    all_channels: float
    bright_with_detail: float | None


def mark(name: str, pixels: Pixels) -> Mask:
    """The marked samples of a picture. Raises BadInput for a mark that there is not."""
    if name not in MARKS:
        raise BadInput(f"There is no mark “{name}”. Choose one of {', '.join(MARKS)}.")
    with np.errstate(invalid="ignore"):
        mask: Mask = MARKS[name](pixels)
    return mask


def marked_share(mask: Mask, pixels: Pixels) -> Marked:
    """How much of a picture a mask marks."""
    red, green, blue = mask.mean(axis=(0, 1)).tolist()
    with np.errstate(invalid="ignore"):
        bright = (pixels >= BRIGHT).any(axis=2)
    marked: Mask = np.asarray(mask.any(axis=2))
    detail = float(np.mean(~marked[bright])) if bright.any() else None
    return Marked((red, green, blue), float(mask.all(axis=2).mean()), detail)


def striped(shown: Pixels, mask: Mask) -> Pixels:
    """A picture of display code values with black and white stripes where any channel is marked. The mask may be larger
    than the picture: then a pixel is marked if any of those it stands for is."""
    height, width = shown.shape[:2]
    any_channel = _reduced(np.asarray(mask.any(axis=2)), height, width)
    y, x = np.mgrid[:height, :width]
    stripes = ((x + y) // STRIPE % 2).astype(np.float32)
    return np.where(any_channel[:, :, None], stripes[:, :, None], shown)


def _reduced(mask: Mask, height: int, width: int) -> Mask:
    rows = np.linspace(0, mask.shape[0], height + 1).astype(int)[:-1]
    columns = np.linspace(0, mask.shape[1], width + 1).astype(int)[:-1]
    return np.asarray(np.maximum.reduceat(np.maximum.reduceat(mask, rows, axis=0), columns, axis=1))
