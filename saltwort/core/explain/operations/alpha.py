"""Alpha multiplied in twice, divided out, or multiplied into code values."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.operation import FitMany, Scene, Way, operation
from saltwort.core.explain.steps import Step, divided, in_turn, multiplied
from saltwort.core.images.reading import Pixels


@operation("alpha-twice", "light", "Colour was multiplied by alpha twice.")
def alpha_twice(scene: Scene) -> Iterator[Way]:
    yield Way(multiplied, undo=divided)


@operation("alpha-divided", "light", "Colour was divided by alpha.")
def alpha_divided(scene: Scene) -> Iterator[Way]:
    yield Way(divided, undo=multiplied)


@operation("alpha-on-codes", "codes", "Its code values were multiplied by alpha: it was laid over black.")
def alpha_on_codes(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield Way(multiplied, undo=None)


def _over(view: Step, ground: NDArray[np.float64]) -> Step:
    """Straight light through a view, laid over a colour of the display by its alpha."""
    shown, below = in_turn(divided, view), ground.astype(np.float32)

    def step(light: Pixels) -> Pixels:
        codes = shown(light)
        if codes.shape[-1] < 4:
            return codes
        alpha = codes[..., 3:]
        colour = np.clip(codes[..., :3], 0, 1) * alpha + below * (1 - alpha)
        return np.concatenate([colour, np.ones_like(alpha)], axis=-1)

    return step


@operation("laid-over", "view", "It was laid over the colour {colour} by its alpha.")
def laid_over(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        view, start = scene.view(), (0.5,) * 3
        many = FitMany(
            start,
            (0.0,) * 3,
            (1.0,) * 3,
            lambda ground: _over(view, ground),
            lambda ground: {"colour": tuple(map(float, ground))},
            lambda _: None,
        )
        yield Way(None, {"colour": start}, many=many)
