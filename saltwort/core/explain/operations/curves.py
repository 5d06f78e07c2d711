"""The display's curve: decoded where it should not be, or encoded twice."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.spaces.curves import SRGB, Curve, srgb_encoded


@operation("curve-twice", "codes", "The curve of sRGB was applied once more.")
def curve_twice(scene: Scene) -> Iterator[Way]:
    yield Way(encoded, undo=decoded)


@operation("curve-missing", "codes", "The curve of sRGB is missing: code values were decoded, and written so.")
def curve_missing(scene: Scene) -> Iterator[Way]:
    yield Way(decoded, undo=encoded)


decoded: Step = on_colour(
    lambda codes: (np.sign(codes) * Curve(SRGB).decode(np.abs(codes.astype(np.float64)))).astype(np.float32)
)
encoded: Step = on_colour(
    lambda light: (np.sign(light) * srgb_encoded(np.abs(light.astype(np.float64)))).astype(np.float32)
)
