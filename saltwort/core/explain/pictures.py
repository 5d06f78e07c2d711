"""Pictures of an answer: as it should be, as it would be after the repair, and what is left between them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.explained import Explained, rescued
from saltwort.core.explain.placed import inside
from saltwort.core.explain.question import Question
from saltwort.core.images import reduce_pixels
from saltwort.core.images.reading import Pixels
from saltwort.core.views.tone import display_difference


@dataclass(frozen=True)
class Shown:
    """An answer in small pictures of code values, (height, width, 3), 0–1: as it came, as it should be, as it would be
    after the repair, None where there is none; and ΔE between the last two, (height, width), or of the picture as
    it came where it cannot be repaired."""

    came: Pixels
    expected: Pixels
    repaired: Pixels | None
    left: NDArray[np.float64]


def shown(question: Question, found: Explained, longest: int) -> Shown:
    """An answer in pictures with no side above `longest`."""
    question = question.with_alpha_alike()
    came, expected = (_small(each, longest) for each in (_as_codes(question, found), as_expected(question, found)))
    repaired = _small(as_repaired(question, found), longest) if found.can_be_undone else None
    left = apart(question, came if repaired is None else repaired, expected)
    return Shown(came, expected, repaired, left)


def _as_codes(question: Question, found: Explained) -> Pixels:
    """The picture as it came, through the view where light is expected."""
    picture = np.ascontiguousarray(inside(question, found.bars).picture[..., :3])
    return question.scene.view()(picture) if question.expects_light else picture


def _small(pixels: Pixels, longest: int) -> Pixels:
    return np.clip(reduce_pixels(np.nan_to_num(pixels, posinf=1.0), longest), 0, 1)


SEEN = 1.0
"""ΔE below which a spot is not worth a look."""


def as_expected(question: Question, found: Explained) -> Pixels:
    """The light through the view, code values 0–1, (height, width, 3) as large as the picture, with each pixel where it
    lies there once the picture is no longer flipped."""
    height, width = inside(question, found.bars).picture.shape[:2]
    x, y = found.placement.at(np.arange(width, dtype=float), np.arange(height, dtype=float))
    columns = np.clip(np.round(x).astype(int), 0, question.light.shape[1] - 1)
    rows = np.clip(np.round(y).astype(int), 0, question.light.shape[0] - 1)
    light = np.ascontiguousarray(question.light[rows][:, columns][..., :3])
    return np.asarray(np.clip(question.scene.view()(light), 0, 1))


def as_repaired(question: Question, found: Explained) -> Pixels:
    """The picture undone into light, flips too, through the view: code values 0–1, (height, width, 3). Raises BadInput
    where it cannot be undone."""
    return np.asarray(np.clip(question.scene.view()(rescued(question, found)), 0, 1))


def worst_spots(left: NDArray[np.float64], count: int = 3) -> list[tuple[float, float, float]]:
    """Where a map of ΔE, (height, width), is worst: places as parts of width and height, and the ΔE there, each apart
    from the others by a tenth of the picture."""
    from scipy import ndimage  # slow to import, seldom needed

    smooth = ndimage.uniform_filter(left, max(1, min(left.shape) // 60))
    spots = []
    for _ in range(count):
        row, column = np.unravel_index(int(smooth.argmax()), smooth.shape)
        value = float(smooth[row, column])
        if value < SEEN:
            break
        spots.append(((column + 0.5) / left.shape[1], (row + 0.5) / left.shape[0], value))
        reach = max(1, max(left.shape) // 10)
        smooth[max(0, row - reach) : row + reach, max(0, column - reach) : column + reach] = 0
    return spots


def apart(question: Question, one: Pixels, other: Pixels) -> NDArray[np.float64]:
    """ΔE as `display_difference` measures it between two pictures in code values of the view, (height, width)."""
    first, second = (each.reshape(-1, 3).astype(np.float64) for each in (one, other))
    _, measure = display_difference(question.config, question.choice)
    return measure(first, second).reshape(one.shape[:2])
