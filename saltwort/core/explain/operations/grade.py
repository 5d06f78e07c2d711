"""A grade besides what was agreed: an ASC CDL, on light before the view or on code values after it."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.operation import FitMany, Parameter, Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.images.reading import Pixels
from saltwort.core.views.grade import AFTER, BEFORE, LUMA, Grade, on_its_numbers

Numbers = NDArray[np.float64]
NOTHING = (1.0, 1.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0, 1.0, 1.0)
"""Slope, offset and power of red, green and blue, and saturation."""
LOWEST = (0.05,) * 3 + (-0.5,) * 3 + (0.2,) * 3 + (0.0,)
LEAST_SATURATION = 0.05
HIGHEST = (8.0,) * 3 + (0.5,) * 3 + (4.0,) * 3 + (3.0,)


def _grade(place: str, numbers: Numbers) -> Grade:
    slope, offset, power = (tuple(float(number) for number in numbers[at : at + 3]) for at in (0, 3, 6))
    return Grade(place, slope, offset, power, float(numbers[9]))  # type: ignore[arg-type]


def _told(numbers: Numbers) -> dict[str, Parameter]:
    made = _grade(AFTER, numbers)
    return {"slope": made.slope, "offset": made.offset, "power": made.power, "saturation": made.saturation}


def _step(place: str, numbers: Numbers) -> Step:
    made = _grade(place, numbers)
    return on_colour(lambda values: on_its_numbers(made, np.ascontiguousarray(values)))


def _undone(numbers: Numbers) -> Step:
    """The same taken back, of what was not clamped."""
    slope, offset, power = (np.asarray(numbers[at : at + 3], np.float32) for at in (0, 3, 6))
    saturation = np.float32(max(float(numbers[9]), LEAST_SATURATION))

    def back(values: Pixels) -> Pixels:
        luma = (values @ LUMA)[..., np.newaxis]
        coloured = luma + (values - luma) / saturation
        raised = np.sign(coloured) * np.abs(coloured) ** (1 / power)
        return np.asarray((raised - offset) / slope, np.float32)

    return on_colour(back)


def _way(place: str) -> Way:
    many = FitMany(NOTHING, LOWEST, HIGHEST, lambda numbers: _step(place, numbers), _told, _undone)
    return Way(None, _told(np.array(NOTHING)), many=many)


_NUMBERS = "slope {slope}, offset {offset}, power {power}, saturation {saturation}."


@operation("grade", "light", f"It was graded before the view: {_NUMBERS}")
def before(scene: Scene) -> Iterator[Way]:
    yield _way(BEFORE)


@operation("grade", "codes", f"It was graded after the view: {_NUMBERS}")
def after(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield _way(AFTER)
