"""Pictures of an answer: as it should be, as it would be after the repair, and what is left between them."""

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.explained import Explained, Question, rescued
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.views.tone import display_xyz


def as_expected(question: Question, found: Explained) -> Pixels:
    """The light through the view, code values 0–1, (height, width, 3) as large as the picture, with each pixel where it
    lies there once the picture is no longer flipped."""
    height, width = question.picture.shape[:2]
    x, y = found.placement.at(np.arange(width, dtype=float), np.arange(height, dtype=float))
    columns = np.clip(np.round(x).astype(int), 0, question.light.shape[1] - 1)
    rows = np.clip(np.round(y).astype(int), 0, question.light.shape[0] - 1)
    light = np.ascontiguousarray(question.light[rows][:, columns][..., :3])
    return np.asarray(np.clip(question.scene.view()(light), 0, 1))


def as_repaired(question: Question, found: Explained) -> Pixels:
    """The picture undone into light, flips too, through the view: code values 0–1, (height, width, 3). Raises BadInput
    where it cannot be undone."""
    return np.asarray(np.clip(question.scene.view()(rescued(question, found)), 0, 1))


def apart(question: Question, one: Pixels, other: Pixels) -> NDArray[np.float64]:
    """ΔE 2000 between two pictures in code values of the view, (height, width)."""
    codes = (each.reshape(-1, 3).astype(np.float64) for each in (one, other))
    found = delta_e_2000(*(display_xyz(question.config, question.choice, each) for each in codes))
    return np.asarray(found).reshape(one.shape[:2])
