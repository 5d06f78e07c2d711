"""LUTs made from transforms, and how far they are from them."""

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import apply
from saltwort.core.engine.processors import build
from saltwort.core.numbers import LARGEST_HALF

BETWEEN = 20_000
"""Colours by which a LUT is measured."""
HALVES = 65_536


def curve_lut(values: NDArray[np.floating]) -> ocio.Lut1DTransform:
    """A 1D LUT of one curve for all channels, evenly spaced over inputs 0–1; `values` has shape (n,)."""
    lut = ocio.Lut1DTransform(len(values), False)
    lut.setInterpolation(ocio.INTERP_LINEAR)
    lut.setData(np.repeat(np.asarray(values, np.float32)[:, None], 3, axis=1))
    return lut


def half_curve_of(processor: ocio.CPUProcessor) -> ocio.Lut1DTransform:
    """A transform of each channel by itself, as a 1D LUT with a value for every half float."""
    lut = ocio.Lut1DTransform(HALVES, True)
    halves = np.arange(HALVES, dtype=np.uint16).view(np.float16).astype(np.float32)
    finite = np.where(np.isfinite(halves), halves, 0)
    values = apply(processor, np.repeat(finite[None, :, None], 3, axis=2))[0]
    lut.setData(np.nan_to_num(values, posinf=LARGEST_HALF, neginf=-LARGEST_HALF).astype(np.float32))
    return lut


def cube_nodes(edge: int) -> NDArray[np.float64]:
    """Colours evenly spaced over 0–1, (edge, edge, edge, 3) by red, green and blue."""
    steps = np.linspace(0, 1, edge)
    return np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)


def cube_of(processor: ocio.CPUProcessor, edge: int) -> ocio.Lut3DTransform:
    """What a processor makes of numbers on 0–1, as a 3D LUT with `edge` nodes a side, read by tetrahedra."""
    nodes = cube_nodes(edge).reshape(1, -1, 3).astype(np.float32)
    cube = ocio.Lut3DTransform(edge)
    cube.setData(apply(processor, nodes).reshape(edge, edge, edge, 3))
    cube.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    return cube


def between_nodes(exact: ocio.CPUProcessor, lut: ocio.Transform) -> NDArray[np.float64]:
    """How far a LUT is from the processor that it was made of, in its own numbers: differences of shape
    (BETWEEN, 3) for colours spread evenly over 0–1, the same each time."""
    colours = np.random.default_rng(1).random((1, BETWEEN, 3), dtype=np.float32)
    sampled = apply(build(ocio.Config.CreateRaw(), lut).getDefaultCPUProcessor(), colours)[0]
    difference: NDArray[np.float64] = (sampled - apply(exact, colours)[0]).astype(np.float64)
    return difference
