"""Y′CbCr coded by one matrix and decoded by another, as SD and HD video mix them (ITU-R BT.601, BT.709 and BT.2020)."""

from collections.abc import Iterator
from itertools import permutations

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

WEIGHTS = {"BT.601": (0.299, 0.114), "BT.709": (0.2126, 0.0722), "BT.2020": (0.2627, 0.0593)}
"""Of red and blue in luma."""


def coded_by(standard: str) -> np.ndarray:
    """R′G′B′ to Y′CbCr by a key of WEIGHTS, a matrix for columns."""
    red, blue = WEIGHTS[standard]
    luma = np.array([red, 1 - red - blue, blue])
    return np.stack([luma, (np.eye(3)[2] - luma) / (2 * (1 - blue)), (np.eye(3)[0] - luma) / (2 * (1 - red))])


def _between(coded: str, decoded: str) -> Step:
    matrix = (np.linalg.inv(coded_by(decoded)) @ coded_by(coded)).T.astype(np.float32)
    return on_colour(lambda codes: codes @ matrix)


@operation("matrix", "codes", "It was coded as Y′CbCr by {coded}, and decoded by {decoded}.")
def matrix(scene: Scene) -> Iterator[Way]:
    if scene.expects_light:
        return
    for coded, decoded in permutations(WEIGHTS, 2):
        yield Way(_between(coded, decoded), {"coded": coded, "decoded": decoded}, undo=_between(decoded, coded))
