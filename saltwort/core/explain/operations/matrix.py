"""Y′CbCr coded by one matrix and decoded by another, as SD and HD video mix them (ITU-R BT.601, BT.709 and BT.2020)."""

from collections.abc import Iterator
from itertools import permutations

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.spaces.ycbcr import WEIGHTS, recoded


def _between(coded: str, decoded: str) -> Step:
    matrix = recoded(coded, decoded).T.astype(np.float32)
    return on_colour(lambda codes: codes @ matrix)


@operation("matrix", "codes", "It was coded as Y′CbCr by {coded}, and decoded by {decoded}.")
def matrix(scene: Scene) -> Iterator[Way]:
    if scene.expects_light:
        return
    for coded, decoded in permutations(WEIGHTS, 2):
        yield Way(_between(coded, decoded), {"coded": coded, "decoded": decoded}, undo=_between(decoded, coded))
