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


def lut_names(config: ocio.Config) -> list[str]:
    """Files that the config's spaces, view transforms, looks and named transforms refer to, as they are written."""
    chains = [
        *(space.getTransform(way) for space in _spaces(config) for way in _SPACE_WAYS),
        *(view.getTransform(way) for view in config.getViewTransforms() for way in _VIEW_WAYS),
        *(transform for look in config.getLooks() for transform in (look.getTransform(), look.getInverseTransform())),
        *(named.getTransform(way) for named in config.getNamedTransforms() for way in _WAYS),
    ]
    parts = (part for chain in chains for part in transforms_within(chain))
    return list(dict.fromkeys(part.getSrc() for part in parts if isinstance(part, ocio.FileTransform)))


_SPACE_WAYS = (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE)
_VIEW_WAYS = (ocio.VIEWTRANSFORM_DIR_TO_REFERENCE, ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
_WAYS = (ocio.TRANSFORM_DIR_FORWARD, ocio.TRANSFORM_DIR_INVERSE)


def _spaces(config: ocio.Config) -> Iterator[ocio.ColorSpace]:
    yield from config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
