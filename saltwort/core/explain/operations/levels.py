"""Legal-range levels squeezed or stretched (ITU-R BT.709-6: 16–235 of 255)."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, in_turn, on_colour

LOW, SPAN = np.float32(16 / 255), np.float32(219 / 255)
squeezed: Step = on_colour(lambda codes: codes * SPAN + LOW)
_clipped: Step = on_colour(lambda codes: np.clip(codes, 0, 1))
stretched: Step = on_colour(lambda codes: (codes - LOW) / SPAN)


@operation("levels", "codes", "Its code values are in {levels} range, where the other is expected.")
def levels(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield Way(in_turn(_clipped, squeezed), {"levels": "legal"}, undo=stretched)
        yield Way(stretched, {"levels": "full"}, undo=squeezed)
