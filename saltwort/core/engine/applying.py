"""Apply a processor to pixels, on all cores."""

from collections.abc import Callable

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.threads import on_all_cores

Pixels = NDArray[np.float32]

BAND_PIXELS = 1 << 16
"""Pixels a thread takes at a time: few enough to share evenly, enough that handing out costs nothing."""


def apply(processor: ocio.CPUProcessor, pixels: Pixels, progress: Callable[[float], None] | None = None) -> Pixels:
    """A copy of `pixels`, float32 of shape (height, width, 3 or 4), through the processor.

    The engine releases Python's lock while it works, and treats each pixel by itself, so bands of rows on several
    threads give the same bits as one call. `progress` is told the share done, 0–1, from the calling thread, and may
    raise to stop. Alpha, where there is one, passes unchanged.
    """
    result = np.array(pixels, dtype=np.float32, order="C")
    height, width, channels = result.shape
    run = processor.applyRGB if channels == 3 else processor.applyRGBA
    rows = max(1, BAND_PIXELS // max(1, width))
    on_all_cores(run, [result[start : start + rows] for start in range(0, height, rows)], progress)
    return result


def apply_to_colour(processor: ocio.CPUProcessor, colour: tuple[float, float, float]) -> tuple[float, float, float]:
    """One RGB colour through the processor, as Python floats of float32 precision."""
    red, green, blue = processor.applyRGB([float(value) for value in colour])
    return red, green, blue
