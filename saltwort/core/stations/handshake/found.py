"""Find a card in a picture that came back, wherever it lies there, and read its patches."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import permutations

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.stations.handshake import card
from saltwort.core.stations.handshake.marks import BITS, CardMark, mark_of

LONGEST = 2000
"""Pixels of the longer side of what marks are looked for in; patches are read from all of them."""
LEAST_MARK = 9
"""Pixels of a mark's side below which patches are too small to be read."""
MOST_MARKS = 40
RING_FILLS = (0.66, 0.93)
"""How much of its square a mark fills; a closed square fills all of it, a ring with a hole of 3/7 0.82."""
NEAR = 0.35
"""How far a mark may lie from its place, as a part of its side."""
INNER = 0.5
"""The part of a patch that is read: its middle, away from scaling and compression at the edges."""
MOST_MISSING = 0.25
"""Share of the patches that may be cut off."""
_NOT_FOUND = (
    "There is no test card in this picture, or less than three of its corners. Save the whole card, at least a quarter "
    "as large as it is, and not covered by menus."
)


@dataclass(frozen=True)
class Found:
    """A card as it was found: its mark, its patches, (COUNT, 1 to 4), in the numbers of the picture, NaN for those that
    lie outside, and where it lies: scale and shift across and down, in pixels of the picture."""

    mark: CardMark
    numbers: NDArray[np.float32]
    scale: tuple[float, float]
    shift: tuple[float, float]


def find_card(pixels: Pixels) -> Found:
    """Find the card in a picture, (height, width, 1 to 4). Raises BadInput where there is none that can be read."""
    from scipy import ndimage  # slow to import, seldom needed

    sharp, factor = _reduced(pixels)
    # In a picture that is nearly black the noise of JPEG is as large as what is looked for.
    for brightness in (sharp, ndimage.uniform_filter(sharp, 5)):
        for ground in _grounds(brightness):
            dark = brightness < _between(brightness, ground)
            for scale, shift in _placements(_rings(dark)):
                mark = mark_of(_cells(dark, scale, shift))
                if mark is not None:
                    scale = scale[0] * factor, scale[1] * factor
                    shift = shift[0] * factor, shift[1] * factor
                    numbers = _patches(pixels, scale, shift)
                    if np.isnan(numbers[:, 0]).mean() > MOST_MISSING:
                        raise BadInput(_NOT_FOUND)
                    return Found(mark, numbers, scale, shift)
    raise BadInput(_NOT_FOUND)


def _reduced(pixels: Pixels) -> tuple[NDArray[np.float32], int]:
    """Brightness, averaged over squares so that no side is much above LONGEST, and the side of a square."""
    bright = np.nan_to_num(np.asarray(pixels[..., :3], np.float32), posinf=0.0, neginf=0.0).mean(axis=2)
    factor = max(1, max(bright.shape) // LONGEST)
    height, width = (side // factor for side in bright.shape)
    squares = bright[: height * factor, : width * factor].reshape(height, factor, width, factor)
    return squares.mean(axis=(1, 3)), factor


def _grounds(brightness: NDArray[np.float32]) -> Iterator[float]:
    """What the ground of the card may be in this picture, the likeliest first: it covers most of it, unless much else
    was saved around it."""
    yield float(np.median(brightness))
    sample = brightness[:: max(1, brightness.shape[0] // 400), :: max(1, brightness.shape[1] // 400)].ravel()
    low, high = np.percentile(sample, (1, 95))
    if high > low:
        counts, edges = np.histogram(sample, 64, (low, high))
        for index in np.argsort(counts)[::-1][:4]:
            yield float((edges[index] + edges[index + 1]) / 2)


def _between(brightness: NDArray[np.float32], ground: float) -> float:
    """What is black lies below this."""
    black = float(np.percentile(brightness, 0.2))
    return (min(black, ground) + ground) / 2


def _rings(dark: NDArray[np.bool_]) -> list[tuple[float, float, float, float]]:
    """Squares with a hole: middle across and down, width and height."""
    from scipy import ndimage  # slow to import, seldom needed

    labels, _ = ndimage.label(dark)
    # Noise makes a million spots: what is too small for a mark is dropped before any of it is looked at.
    areas = np.bincount(labels.ravel())
    areas[0] = 0
    large = np.flatnonzero(areas >= RING_FILLS[0] * LEAST_MARK**2)
    kept = np.zeros(len(areas), np.int32)
    kept[large] = np.arange(1, len(large) + 1)
    labels = kept[labels]
    found = []
    for index, place in enumerate(ndimage.find_objects(labels), start=1):
        rows, columns = place
        height, width = rows.stop - rows.start, columns.stop - columns.start
        if min(height, width) < LEAST_MARK or not 0.4 < width / height < 2.5:
            continue
        own = labels[place] == index
        middle = own[height * 5 // 12 : -(-height * 7 // 12), width * 5 // 12 : -(-width * 7 // 12)]
        inset = min(height, width) // 14 + 1  # within the ring, away from edges that scaling has blurred
        corners = own[inset :: height - 1 - 2 * inset, inset :: width - 1 - 2 * inset]
        if RING_FILLS[0] < own.mean() < RING_FILLS[1] and not middle.any() and corners.mean() >= 0.75:
            found.append(((columns.start + columns.stop) / 2, (rows.start + rows.stop) / 2, width, height))
    return found[:MOST_MARKS]


Pair = tuple[float, float]


def _placements(rings: list[tuple[float, float, float, float]]) -> Iterator[tuple[Pair, Pair]]:
    """Scales and shifts under which at least three rings are the card's marks; mirrored ones too."""
    nominal = [(left + card.MARK / 2, top + card.MARK / 2) for left, top in card.mark_corners()]
    for one, other in permutations(rings, 2):
        for first, last in ((0, 3), (1, 2)):
            scale = _ratio(one, other, nominal[first], nominal[last])
            if min(abs(scale[0]), abs(scale[1])) * card.MARK < LEAST_MARK:
                continue
            if not all(0.7 < abs(scale[axis]) * card.MARK / one[2 + axis] < 1.4 for axis in (0, 1)):
                continue
            shift = one[0] - scale[0] * nominal[first][0], one[1] - scale[1] * nominal[first][1]
            near = [NEAR * card.MARK * abs(part) for part in scale]
            matched = [
                (place, ring)
                for place in nominal
                for ring in rings
                if all(abs(ring[axis] - scale[axis] * place[axis] - shift[axis]) < near[axis] for axis in (0, 1))
            ]
            if len(matched) >= 3:
                across, down = (
                    np.polyfit([place[axis] for place, _ in matched], [ring[axis] for _, ring in matched], 1)
                    for axis in (0, 1)
                )
                yield (float(across[0]), float(down[0])), (float(across[1]), float(down[1]))


def _ratio(
    one: tuple[float, ...], other: tuple[float, ...], first: tuple[float, float], last: tuple[float, float]
) -> Pair:
    return (other[0] - one[0]) / (last[0] - first[0]), (other[1] - one[1]) / (last[1] - first[1])


def _cells(dark: NDArray[np.bool_], scale: Pair, shift: Pair) -> list[bool]:
    bits = []
    for index in range(BITS):
        x = scale[0] * (card.STRIP_LEFT + (index + 0.5) * card.CELL_X) + shift[0]
        y = scale[1] * (card.STRIP_TOP + card.CELL_Y / 2) + shift[1]
        around = dark[max(int(y) - 1, 0) : int(y) + 2, max(int(x) - 1, 0) : int(x) + 2] if x >= 0 and y >= 0 else None
        bits.append(bool(around is not None and around.size and around.mean() > 0.5))
    return bits


def _patches(pixels: Pixels, scale: Pair, shift: Pair) -> NDArray[np.float32]:
    height, width, channels = pixels.shape
    numbers = np.full((card.COUNT, channels), np.nan, np.float32)
    for index in range(card.COUNT):
        left, top = card.patch_corner(index)
        across = _span(left, card.PATCH_X, scale[0], shift[0], width)
        down = _span(top, card.PATCH_Y, scale[1], shift[1], height)
        if across.start < across.stop and down.start < down.stop:
            samples = pixels[down, across].reshape(-1, channels)
            numbers[index] = np.median(samples, axis=0) if _is_flat(samples) else samples.mean(axis=0)
    return numbers


def _is_flat(samples: NDArray[np.float32]) -> bool:
    """Whether most samples are one number: then a few others are dirt."""
    return bool((samples == np.median(samples, axis=0)).all(axis=1).mean() > 0.5)


def _span(start: float, length: float, scale: float, shift: float, limit: int) -> slice:
    """The middle of a patch along one axis, as far as it lies in the picture."""
    middle, half = scale * (start + length / 2) + shift, abs(scale) * length * INNER / 2
    first, last = int(np.ceil(middle - half)), int(np.floor(middle + half))
    if first < 0 or last > limit:
        return slice(0, 0)
    return slice(first, max(last, first + 1))
