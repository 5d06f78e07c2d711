"""How typed colours were meant: as light, as display numbers, or as display numbers that somebody decoded by hand."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from saltwort.core.migration.graph import Numbers
from saltwort.core.spaces.curves import srgb_encoded

Array = NDArray[np.float64]
STEP = 255
LEAST_PLACES = 3
"""Decimals without which a number says nothing: 0.2 and 0.5 are typed by hand in every sense."""
MOST_CERTAIN = 0.99
"""Somebody may type such numbers by hand."""
PRIOR = 0.3
"""How many typed colours of unmanaged scenes are display numbers, before one is looked at."""


def display_likelihood(values: Numbers) -> float:
    """The probability, 0–1, that a colour was picked as 8-bit display numbers: all of its numbers are steps of 8 bits
    as far as they are written, and too precise to be typed by hand. 0 where the numbers cannot tell."""
    return _likelihood(values, lambda numbers: numbers)


def corrected_likelihood(values: Numbers) -> float:
    """The probability, 0–1, that a colour is display numbers that somebody decoded by hand: by a power of 2.2, or by
    the sRGB curve, it becomes steps of 8 bits."""
    by_power = _likelihood(values, lambda numbers: np.clip(numbers, 0, None) ** (1 / 2.2))
    by_curve = _likelihood(values, lambda numbers: srgb_encoded(np.clip(numbers, 0, None)))
    return max(by_power, by_curve)


def _likelihood(values: Numbers, encode: Callable[[Array], Array]) -> float:
    numbers = np.array(values[:3], np.float64)
    places = [_places(number) for number in numbers]
    telling = [
        number for number, count in zip(numbers, places, strict=True) if count >= LEAST_PLACES and 0 < number < 1
    ]
    if len(telling) < 2 or (numbers < 0).any() or (numbers > 1).any():
        return 0.0
    odds = PRIOR / (1 - PRIOR)
    for number in telling:
        written = 0.5 * 10.0 ** -min(_places(number), 6)
        ends = encode(np.array([max(number - written, 0.0), number + written])) * STEP
        width = float(ends[1] - ends[0])
        is_step = np.floor(ends[1] + 1e-4) > np.floor(ends[0] - 1e-4) or abs(ends[0] - round(ends[0])) < 1e-3
        # A number that is no step of 8 bits falls on one by chance as often as its rounding is wide.
        chance = min(max(width, 2e-3), 1.0)
        odds *= 1 / chance if is_step else 1e-3
    return min(float(odds / (1 + odds)), MOST_CERTAIN)


def _places(number: float) -> int:
    """The decimals that a number is written with, up to seven: what is read from 32 bits has no more."""
    text = f"{float(np.float32(number)):.7g}"
    return len(text.partition(".")[2]) if "e" not in text else 7
