"""The engine's operations, made from plain numbers."""

from collections.abc import Iterator

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray


def matrix_transform(matrix: NDArray[np.float64]) -> ocio.MatrixTransform:
    """A 3×3 matrix on RGB columns; alpha passes."""
    padded = np.eye(4)
    padded[:3, :3] = matrix
    return ocio.MatrixTransform(padded.ravel().tolist())


def log2_transform(lowest: float, highest: float, middle: float) -> ocio.LogAffineTransform:
    """Light as its place on a range of stops around `middle`: 0 at `lowest`, 1 at `highest`, not clamped."""
    stops = highest - lowest
    log = ocio.LogAffineTransform(
        logSideSlope=[1 / stops] * 3,
        logSideOffset=[-lowest / stops] * 3,
        linSideSlope=[1 / middle] * 3,
        linSideOffset=[0.0] * 3,
    )
    log.setBase(2.0)
    return log


def clamp_transform() -> ocio.RangeTransform:
    """Clamps to 0–1."""
    return ocio.RangeTransform(minInValue=0.0, maxInValue=1.0, minOutValue=0.0, maxOutValue=1.0)


def power_transform(power: float) -> ocio.ExponentTransform:
    """Each channel to a power; negative values become 0."""
    return ocio.ExponentTransform([power, power, power, 1.0], ocio.NEGATIVE_CLAMP)


def transforms_within(transform: ocio.Transform | None) -> Iterator[ocio.Transform]:
    """A transform's parts, however its groups are nested; nothing for None."""
    if isinstance(transform, ocio.GroupTransform):
        for part in transform:
            yield from transforms_within(part)
    elif transform is not None:
        yield transform
