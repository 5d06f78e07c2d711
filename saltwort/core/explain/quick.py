"""What is done to light as a 3D LUT, for a first look at each pixel of a large image."""

from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply
from saltwort.core.explain.made import Made
from saltwort.core.images.reading import Pixels

FEWEST_PIXELS = 2_000_000
"""From which on a LUT is made sooner than each pixel is computed."""
EDGE = 129
LOWEST = 2.0**-9
"""Of light, what is added before the logarithm, so that 0 and a little below has a place."""
SAMPLED = 20_000
"""Pixels of the image by which is told how far the LUT is off."""


def as_lut(made: Made, light: Pixels, most: float) -> Made | None:
    """What is `made`, with its first step as a LUT for the light of an image, (height, width, 3 or 4). None where the
    image is small, or where the LUT is off by more than `most`, of code values, in any of SAMPLED of its pixels."""
    if light.shape[0] * light.shape[1] < FEWEST_PIXELS:
        return None
    pixels = light.reshape(-1, light.shape[2])
    some = np.ascontiguousarray(pixels[:: max(1, len(pixels) // SAMPLED)])[np.newaxis]
    brightest = float(np.nanmax(np.where(np.isfinite(some[..., :3]), some[..., :3], 0.0), initial=1.0))
    least, top = float(np.log2(LOWEST / 2)), float(np.log2(2 * brightest + LOWEST))
    values = (2.0 ** np.linspace(least, top, EDGE) - LOWEST).astype(np.float32)
    grid = np.stack(np.meshgrid(values, values, values, indexing="ij"), axis=-1).reshape(EDGE, -1, 3)
    if light.shape[2] == 4:
        grid = np.concatenate([grid, np.ones_like(grid[..., :1])], axis=-1)
    cube = ocio.Lut3DTransform(EDGE)
    cube.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    cube.setData(np.ascontiguousarray(made.step(grid)[..., :3].reshape(EDGE, EDGE, EDGE, 3), np.float32))
    shaper = ocio.AllocationTransform(ocio.ALLOCATION_LG2, [least, top, LOWEST])
    group = ocio.GroupTransform([shaper, cube])
    processor = ocio.Config.CreateRaw().getProcessor(group).getDefaultCPUProcessor()
    looked_up = replace(made, step=lambda numbers: apply(processor, numbers))
    off = np.abs(looked_up.step(some)[..., :3] - made.step(some)[..., :3])
    return looked_up if np.nanmax(off) <= most else None
