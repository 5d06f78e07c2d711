"""Where one picture lies in another, whatever was done to its colours: scale, shift, and whether it is flipped.

Brightness is compared by its rank within a picture, which no tone curve changes, with slow changes taken out; a peak of
the cross-correlation over a few scales is refined on points of the full pictures.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images.reading import Pixels

Array = NDArray[np.float64]
LONGEST = 256
"""Pixels of the longer side of what is correlated."""
ALIKE, CERTAIN = 0.35, 0.92
"""Correlation below which two are different pictures, and above which no other placement is looked for."""
SCALES = np.geomspace(1.0, 0.7, 19)
"""How much of the larger picture's scale a cropped one may have left."""
WINDOWS = tuple(np.geomspace(1.0, 0.25, 48))
"""The same for a picture in a window of a screen."""
NOMINAL = (1.0, 2.0, 4.0, 0.5)
POINTS = 8_000
HOPELESS = 0.2
"""Correlation of what is reduced, below which moving it about does not help."""
LIKELY = 0.6
"""Correlation above which no flipped one is looked for."""
COARSE, FINE = 640, 1024
ENDS_AT = 0.01
"""How far from it, as a part of a side, what fills a reference may end."""
EDGE = 2
"""Pixels of what is correlated by which it may stand out of what it is sought in."""
Bars = tuple[int, int, int, int]
"""Pixels on the left, top, right and bottom."""
NO_BARS: Bars = (0, 0, 0, 0)
LOOKED_AT = 160
"""Pixels of a line by which is told whether it is of one colour."""
EVEN, MOST_BARS = 4 / 255, 0.45
"""How far what is of one colour may differ, as JPEG leaves it, and how much of a side bars may be."""
FLIPS = ("", "horizontal", "vertical", "both")


@dataclass(frozen=True)
class Reduced:
    """Brightness of a picture, averaged over whole blocks as far as it stays finer than anything looks at it: the side
    of a block, and the shape (height, width) of the picture."""

    bright: Array
    block: int
    shape: tuple[int, int]


@dataclass(frozen=True)
class Placement:
    """Where a picture lies in a reference: a pixel at (x, y) of the picture, flipped as `flip` says, lies at
    scale·(x, y) + shift of the reference, in pixels between centres. `likeness` is their correlation, −1 to 1."""

    scale: tuple[float, float]
    shift: tuple[float, float]
    flip: str
    likeness: float

    @property
    def is_same_picture(self) -> bool:
        return self.likeness >= ALIKE

    @property
    def is_plain(self) -> bool:
        """Whether it is the reference as it is, but for its size."""
        return not self.flip and max(abs(part) for part in self.shift) <= max(1.0, max(self.scale))

    def fills(self, reference: Reduced, picture: Reduced) -> bool:
        """Whether the picture is likely so placed that it ends where the reference does."""
        sides = zip(self.scale, picture.shape[::-1], reference.shape[::-1], strict=True)
        ends = all(abs(scale * of - side) <= ENDS_AT * side for scale, of, side in sides)
        return self.likeness > LIKELY and self.is_plain and ends

    def at(self, x: Array, y: Array) -> tuple[Array, Array]:
        """Points of the picture as points of the reference."""
        return self.scale[0] * x + self.shift[0], self.scale[1] * y + self.shift[1]


def flipped(pixels: Any, flip: str) -> Any:
    """A picture, an array of (height, width, channels), flipped as FLIPS say."""
    if flip in ("horizontal", "both"):
        pixels = pixels[:, ::-1]
    return pixels[::-1] if flip in ("vertical", "both") else pixels


def bars_of(picture: Pixels) -> Bars:
    """The bars of one colour on the left, top, right and bottom of a picture, in pixels."""
    across_step, down_step = (max(1, side // LOOKED_AT) for side in (picture.shape[1], picture.shape[0]))
    lines = np.nan_to_num(picture[:, ::across_step, :3], posinf=1.0)
    rows = _even_from_start(lines), _even_from_start(lines[::-1])
    columns = np.swapaxes(np.nan_to_num(picture[::down_step, :, :3], posinf=1.0), 0, 1)
    across = _even_from_start(columns), _even_from_start(columns[::-1])
    return across[0], rows[0], across[1], rows[1]


def _even_from_start(rows: Pixels) -> int:
    """How many rows from the first are all of its one colour; 0 where that is most of them."""
    away = np.abs(rows - np.median(rows[0], axis=0)).max(axis=2)
    uneven = np.flatnonzero(np.percentile(away, 98, axis=1) > EVEN)
    count = int(uneven[0]) if len(uneven) else len(rows)
    return count if 2 <= count < MOST_BARS * len(rows) else 0


def around(reference: Reduced, picture: Reduced) -> Bars:
    """What lies around a reference in a picture, as the window of an application does in one of a screen: pixels on the
    left, top, right and bottom; none where it is not found in it."""
    found = place(picture, reference, parts=WINDOWS, flips=("",))
    if found.likeness < LIKELY:
        return NO_BARS
    (height, width), (rows, columns) = picture.shape, reference.shape
    left, top = (max(0, round(shift)) for shift in found.shift)
    right, bottom = (
        width - round(found.shift[0] + found.scale[0] * columns),
        height - round(found.shift[1] + found.scale[1] * rows),
    )
    is_inside = left + max(0, right) < width and top + max(0, bottom) < height
    return (left, top, max(0, right), max(0, bottom)) if is_inside else NO_BARS


def place(
    reference: Reduced,
    picture: Reduced,
    parts: Iterable[float] = SCALES,
    flips: Sequence[str] = FLIPS,
) -> Placement:
    """Find a picture in a reference, at some parts of the scale at which it would fill that."""
    block, of = reference.block, picture.block
    found = _place(reference.bright, picture.bright, parts, [nominal * of / block for nominal in NOMINAL], flips)
    scale = found.scale[0] * block / of
    # From centres of whole blocks to centres of the pictures' own pixels.
    shift = [block * part + (block - 1) / 2 - scale * (of - 1) / 2 for part in found.shift]
    return replace(found, scale=(scale, scale), shift=(shift[0], shift[1]))


def _place(
    reference: Array, picture: Array, parts: Iterable[float], nominal: Sequence[float], flips: Sequence[str]
) -> Placement:
    """The same for brightness, (height, width), at some scales besides."""
    small = LONGEST / max(reference.shape)
    target = _Target(_ranked(_resized(reference, small)))
    # Once to a size that is still larger than what is correlated, since each scale asks for another one.
    coarse = min(1.0, COARSE / max(picture.shape))
    smaller = _resized(picture, coarse)
    best: tuple[float, float, tuple[float, float], str] = (-1.0, 1.0, (0.0, 0.0), "")
    for flip in flips:
        turned = flipped(smaller, flip)
        for scale in _scales(reference, picture, parts, nominal):
            found, shift = target.correlated(_ranked(_resized(turned, small * scale / coarse)))
            if found > best[0]:
                best = (found, scale, shift, flip)
            if found > CERTAIN:
                break
        if best[0] > LIKELY:
            break
    _, scale, shift, flip = best
    begun = Placement((scale, scale), (shift[0] / small, shift[1] / small), flip, best[0])
    return _refined(reference, flipped(picture, flip), begun) if best[0] > HOPELESS else begun


def reduced(pixels: Pixels) -> Reduced:
    """The brightness of a picture, (height, width, channels) of any numbers, as far as it is looked at."""
    block = max(1, max(pixels.shape[:2]) // FINE)
    high, wide = (side // block for side in pixels.shape[:2])
    # A sum of three is far faster than a mean along so short an axis.
    channels = min(3, pixels.shape[2])
    bright = np.asarray(sum(pixels[..., channel] for channel in range(channels)) / channels, np.float32)
    bright[~np.isfinite(bright)] = 0
    blocks = bright[: high * block, : wide * block].reshape(high, block, wide, block)
    return Reduced(blocks.mean(axis=(1, 3)), block, (pixels.shape[0], pixels.shape[1]))


def _scales(reference: Array, picture: Array, parts: Iterable[float], nominal: Sequence[float]) -> Iterator[float]:
    """Pixels of the reference for one of the picture: all of it first, then as if something was cut off."""
    (height, width), (h, w) = reference.shape, picture.shape
    whole = min(width / w, height / h)
    for part in parts:
        yield float(whole * part)
    yield from (scale for scale in nominal if scale < whole)


def _resized(bright: Array, scale: float) -> Array:
    """Brightness at another size, averaged over the area of each pixel where it gets smaller."""
    from scipy import ndimage  # slow to import, seldom needed

    height, width = (max(4, round(side * scale)) for side in bright.shape)
    rows = (np.arange(height) + 0.5) / height * bright.shape[0] - 0.5
    columns = (np.arange(width) + 0.5) / width * bright.shape[1] - 0.5
    # Whole blocks first, which is quick; what is left of the way is filtered.
    block = max(1, int(1 / scale))
    high, wide = (side // block for side in bright.shape)
    bright = bright[: high * block, : wide * block].reshape(high, block, wide, block).mean(axis=(1, 3))
    left = scale * block
    if left < 1:
        bright = ndimage.uniform_filter(bright, (1 / left, 1 / left))
    places = np.meshgrid(*((at - (block - 1) / 2) / block for at in (rows, columns)), indexing="ij")
    return np.asarray(ndimage.map_coordinates(bright, places, order=1, mode="nearest"), np.float64)


def _ranked(bright: Array) -> Array:
    """Ranks of brightness, even over 0–1, less what changes slowly; mean 0."""
    from scipy import ndimage  # slow to import, seldom needed

    _, inverse, counts = np.unique(bright, return_inverse=True, return_counts=True)
    ranks = np.cumsum(counts) - (counts + 1) / 2  # what is alike has one rank
    even = (ranks / bright.size)[inverse.reshape(bright.shape)]
    around = max(3, max(bright.shape) // 5)
    slow = ndimage.uniform_filter(ndimage.uniform_filter(even, around), around)
    sharp = even - slow
    return np.asarray(sharp - sharp.mean())


class _Target:
    """What pictures are sought in: its spectrum and the sums of its squares, which serve for every size of them."""

    def __init__(self, target: Array) -> None:
        from scipy import fft  # slow to import, seldom needed

        padded = np.pad(target, EDGE)
        self._size = padded.shape
        self._sides = [fft.next_fast_len(side, real=True) for side in padded.shape]
        self._spectrum = fft.rfft2(padded, self._sides)
        self._squares = np.pad(padded**2, ((1, 0), (1, 0))).cumsum(axis=0).cumsum(axis=1)

    def correlated(self, sought: Array) -> tuple[float, tuple[float, float]]:
        """The largest normalised cross-correlation where all but EDGE of what is sought lies within, and its shift
        (Lewis, Fast Normalized Cross-Correlation, 1995)."""
        from scipy import fft  # slow to import, seldom needed

        (height, width), (rows, columns) = sought.shape, self._size
        if height > rows - EDGE or width > columns - EDGE:
            return -1.0, (0.0, 0.0)
        turned = np.conj(fft.rfft2(sought, self._sides))
        product = fft.irfft2(self._spectrum * turned, self._sides)[: rows - height + 1, : columns - width + 1]
        sums = self._squares
        energy = sums[height:, width:] - sums[:-height, width:] - sums[height:, :-width] + sums[:-height, :-width]
        likeness = product / np.sqrt(np.maximum(energy, 1e-9) * max(float((sought**2).sum()), 1e-9))
        row, column = np.unravel_index(int(likeness.argmax()), likeness.shape)
        return float(likeness[row, column]), (float(column) - EDGE, float(row) - EDGE)


def _refined(reference: Array, picture: Array, begun: Placement) -> Placement:
    """The placement moved until points of both pictures are most alike."""
    from scipy import ndimage, optimize  # slow to import, seldom needed

    fine = min(1.0, FINE / max(reference.shape))
    target, sought = _ranked(_resized(reference, fine)), _ranked(_resized(picture, fine * begun.scale[0]))
    to_sought = fine * begun.scale[0]
    chance = np.random.default_rng(1)
    y, x = (chance.uniform(2, side - 3, POINTS) for side in sought.shape)
    seen = ndimage.map_coordinates(sought, [y, x], order=1)

    def unlike(moved: Array) -> float:
        grown, across, down = moved
        found = ndimage.map_coordinates(
            target, [y * (1 + grown / 1000) + down, x * (1 + grown / 1000) + across], order=1, mode="nearest"
        )
        spread = float(found.std() * seen.std())
        return -float(((found - found.mean()) * (seen - seen.mean())).mean()) / max(spread, 1e-9)

    start = np.array([0.0, begun.shift[0] * fine, begun.shift[1] * fine])
    steps = np.array([start, *(start + step for step in np.diag([8.0, 4.0, 4.0]))])
    moved = optimize.minimize(unlike, start, method="Nelder-Mead", options={"initial_simplex": steps, "maxfev": 120})
    grown, across, down = moved.x
    scale = begun.scale[0] * (1 + grown / 1000)
    # From centres of reduced pixels to centres of the pictures' own.
    offset = [part / fine + (0.5 / fine - 0.5) - scale * (0.5 / to_sought - 0.5) for part in (across, down)]
    return Placement((float(scale),) * 2, (float(offset[0]), float(offset[1])), begun.flip, -float(moved.fun))
