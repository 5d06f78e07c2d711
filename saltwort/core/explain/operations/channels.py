"""Channels in another order."""

from collections.abc import Iterator
from itertools import permutations

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour

NAMES = "RGB"


def ordered(order: tuple[int, ...]) -> Step:
    """The channels in an order."""
    return on_colour(lambda numbers: numbers[..., list(order)])


@operation("channels", "codes", "Its channels are in the order {order}.")
def channels(scene: Scene) -> Iterator[Way]:
    for order in permutations(range(3)):
        if order != (0, 1, 2):
            back = sorted(range(3), key=order.__getitem__)
            yield Way(ordered(order), {"order": "".join(NAMES[at] for at in order)}, undo=ordered(tuple(back)))
