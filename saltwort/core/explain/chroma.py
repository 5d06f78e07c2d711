"""Whether the colour of a picture lies beside its brightness, as where the chroma siting of a video was misread."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.alignment import Placement
from saltwort.core.explain.made import Made
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.ycbcr import coded_by

Array = NDArray[np.float32]
_Y_CB_CR = coded_by("BT.709").astype(np.float32)
BANDS, ROWS, COLUMNS = 4, 128, 1024
"""What is looked at of a large picture."""
SMOOTHED = 5
"""Pixels over which both are averaged, since subsampled chroma has lost what is finer."""
LEAST, MOST = 0.3, 1.2
"""Pixels: one siting for another is half a pixel, a whole one where chroma was also read a pixel off."""
STEADY, ALIKE, EXPLAINED = 0.12, 0.2, 0.06
"""Pixels by which brightness may be off, by how much the two planes of colour may disagree, and the least part of what
differs in each that must be explained so."""


def chroma_offset(picture: Pixels, light: Pixels, placement: Placement, made: Made) -> tuple[float, float] | None:
    """Pixels by which the colour of a picture, (height, width, 3 or 4), lies right of and below its brightness, beside
    what is made of light, (height, width, 4), in which it lies unflipped; None where it does not, or cannot be told. By
    least squares along the slopes of Y′CbCr (B. D. Lucas and T. Kanade, 1981)."""
    if max(abs(scale - 1) for scale in placement.scale) > 1e-3 or min(picture.shape[:2]) < 2 * SMOOTHED:
        return None
    bands = list(_bands(picture[..., :3], light, placement, made))
    (luma, _), (blue, of_blue), (red, of_red) = (
        _moved([(seen[plane], meant[plane]) for seen, meant in bands]) for plane in range(3)
    )
    found = (blue + red) / 2
    is_steady = np.abs(luma).max() < STEADY and np.abs(blue - red).max() < ALIKE
    if not is_steady or min(of_blue, of_red) < EXPLAINED or not LEAST < np.abs(found).max() < MOST:
        return None
    return float(found[0]), float(found[1])


def moved_back(picture: Pixels, offset: tuple[float, float]) -> Pixels:
    """A picture whose colour lies on its brightness again."""
    from scipy import ndimage  # slow to import, seldom needed

    planes = picture[..., :3] @ _Y_CB_CR.T
    for plane in (1, 2):
        planes[..., plane] = ndimage.shift(planes[..., plane], (-offset[1], -offset[0]), order=1, mode="nearest")
    colour = planes @ np.linalg.inv(_Y_CB_CR.astype(np.float64)).T.astype(np.float32)
    return np.concatenate([colour, picture[..., 3:]], axis=2)


def _bands(picture: Array, light: Pixels, placement: Placement, made: Made) -> Iterator[tuple[Array, Array]]:
    """Planes of Y′CbCr, (3, rows, width), as they are and as they should be, of some bands across the picture."""
    height, width = picture.shape[:2]
    right, down = (round(shift) for shift in placement.shift)
    left, edge = max(0, -right), min(width, light.shape[1] - right)
    spare = max(0, edge - left - COLUMNS) // 2
    columns = np.arange(left + spare, edge - spare)
    first, end = max(0, -down), min(height, light.shape[0] - down)
    for top in np.unique(np.linspace(first, max(first, end - ROWS), BANDS).astype(int)):
        rows = np.arange(top, min(top + ROWS, end))
        if len(rows) > SMOOTHED and len(columns) > SMOOTHED:
            meant = made.numbers(light[np.ix_(rows + down, columns + right)], clips=True)
            yield _planes(picture[np.ix_(rows, columns)]), _planes(meant)


def _planes(codes: Array) -> Array:
    from scipy import ndimage  # slow to import, seldom needed

    planes = np.moveaxis(np.clip(np.nan_to_num(codes), 0, 1) @ _Y_CB_CR.T, 2, 0)
    return np.stack([ndimage.uniform_filter(plane, SMOOTHED) for plane in planes])


def _moved(bands: list[tuple[Array, Array]]) -> tuple[NDArray[np.float64], float]:
    """How far a plane is moved, right and down: 0 where it is flat; and the part of what differs that this explains."""
    products, sums, total = np.zeros((2, 2)), np.zeros(2), 0.0
    for seen, meant in bands:
        down, right = np.gradient(meant.astype(np.float64))
        slopes = np.stack([right.ravel(), down.ravel()])
        products += slopes @ slopes.T
        differs = (meant - seen).ravel().astype(np.float64)
        differs -= differs.mean()  # another brightness is no other place
        sums, total = sums + slopes @ differs, total + float(differs @ differs)
    found = np.linalg.lstsq(products, sums, rcond=1e-6)[0]
    return np.asarray(found, np.float64), float(sums @ found) / max(total, 1e-12)
