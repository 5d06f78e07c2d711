"""Alpha multiplied in twice, divided out, or multiplied into code values."""

from collections.abc import Iterator

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import divided, multiplied


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
