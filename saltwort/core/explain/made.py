"""What a chain makes of light, and between which values a file of it may lie."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.steps import Step
from saltwort.core.images.reading import Pixels
from saltwort.core.numbers import LARGEST_HALF

HALF_STEP = np.float32(0.6 / 255)
"""By how much code values of 8 bits are off that were rounded before something was done to them."""


@dataclass(frozen=True)
class Made:
    """What is done to light, (height, width, 4), up to code values, and `then` to these; None for nothing."""

    step: Step
    then: Step | None = None

    def numbers(self, light: Pixels, *, clips: bool) -> Pixels:
        """What a file holds, (height, width, 3): 0–1 where it `clips`."""
        codes = self.step(np.ascontiguousarray(light))
        return _held(self.then(codes) if self.then else codes, clips)

    def ends(self, light: Pixels, *, clips: bool) -> tuple[Pixels, Pixels]:
        """The least and the most that a file holds, each (height, width, 3), and one array where these are the same:
        code values may have been rounded before something was done to them."""
        codes = self.step(np.ascontiguousarray(light))
        if self.then is None:
            found = _held(codes, clips)
            return found, found
        low = high = _held(self.then(codes), clips)
        for by in (-HALF_STEP, HALF_STEP):
            moved = codes.copy()
            moved[..., :3] += by
            found = _held(self.then(moved), clips)
            low, high = np.minimum(low, found), np.maximum(high, found)
        return low, high


def _held(numbers: Pixels, clips: bool) -> Pixels:
    least, most = (0.0, 1.0) if clips else (-LARGEST_HALF, LARGEST_HALF)
    found: NDArray[np.float32] = np.nan_to_num(numbers[..., :3], posinf=most, neginf=least)
    return np.clip(found, least, most)
