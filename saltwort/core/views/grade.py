"""A small grade, before the view on light or after it on code values: ASC CDL, slope, offset, power and saturation.

ASC Color Decision List (v1.2). On light nothing is clamped, and negative values pass the power untouched; on code
values the result is clamped to 0–1, as the standard has it.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.spaces.typed import Triple

Picture = NDArray[np.float32]

NONE, BEFORE, AFTER = "none", "before", "after"
PLACES = (NONE, BEFORE, AFTER)
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""The weights of ASC saturation, whatever the primaries."""
STRONGEST = 100.0


@dataclass(frozen=True)
class Grade:
    """A grade and where it stands: one of PLACES."""

    place: str = NONE
    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0


NO_GRADE = Grade()


def check_grade(grade: Grade) -> None:
    """Raise BadInput, naming it, for a value that no grade has."""
    if grade.place not in PLACES:
        raise BadInput(f"A grade stands {' or '.join(PLACES[1:])} the view.")
    for name, values, lowest in (("slope", grade.slope, 0.0), ("power", grade.power, 1e-3)):
        if not all(lowest <= value <= STRONGEST for value in values):  # not a number is refused as well
            raise BadInput(f"The {name} of a grade lies from {lowest:g} to {STRONGEST:g}.")
    if not all(-STRONGEST <= value <= STRONGEST for value in grade.offset):
        raise BadInput(f"The offset of a grade lies from −{STRONGEST:g} to {STRONGEST:g}.")
    if not 0 <= grade.saturation <= STRONGEST:
        raise BadInput(f"The saturation of a grade lies from 0 to {STRONGEST:g}.")


def graded(values: Picture, grade: Grade, place: str) -> Picture:
    """Values, (…, 3), with the grade if it stands at `place`: light before the view, code values after it."""
    if grade.place != place:
        return values
    slope, offset, power = (np.array(part, np.float32) for part in (grade.slope, grade.offset, grade.power))
    changed = values * slope + offset
    if place == AFTER:
        changed = np.clip(changed, 0, 1)
    changed = np.where(changed > 0, np.maximum(changed, 1e-10) ** power, changed)
    luma = (changed @ LUMA)[..., None]
    changed = luma + np.float32(grade.saturation) * (changed - luma)
    return np.asarray(np.clip(changed, 0, 1) if place == AFTER else changed, np.float32)
