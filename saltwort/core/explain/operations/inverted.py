"""A negative."""

from collections.abc import Iterator

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

_inverted: Step = on_colour(lambda codes: 1 - codes)


@operation("inverted", "codes", "It is inverted: dark is bright, and colours are their opposites.")
def inverted(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield Way(_inverted, undo=_inverted)
