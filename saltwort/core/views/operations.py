"""Operations that several families are written with."""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.transforms import clamp_transform, log2_transform
from saltwort.core.luts import Files, spi1d_file
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.gamuts import Matrix
from saltwort.core.views.design import Design
from saltwort.core.views.log_range import CURVE_POINTS, Array
from saltwort.core.views.screens import Screen

HDR_CURVE_POINTS = 4 * CURVE_POINTS - 3
"""So that the points of an SDR curve are among them, and as near to each other up to a peak of many stops."""
POWER_POINTS = 16_384


def design_label(family: str, design: Design, screen: Screen) -> str:
    """What a view transform is called; on HDR displays with its peak, and where its white lies."""
    return f"{family} {design.peak_nits:g} nits, white at {design.white_nits:g}" if screen.is_hdr else family


def hdr_stops(design: Design) -> Array:
    """The stops from middle grey that an HDR curve is written at, shape (HDR_CURVE_POINTS,)."""
    return np.linspace(design.darkest, design.hdr_brightest, HDR_CURVE_POINTS)


def log_range(design: Design, screen: Screen) -> list[ocio.Transform]:
    """The logarithmic range of `log_range.to_log_range`, or that of HDR displays, clamped."""
    brightest = design.hdr_brightest if screen.is_hdr else design.brightest
    return [log2_transform(design.darkest, brightest, MIDDLE_GREY), clamp_transform()]


def floor() -> ocio.RangeTransform:
    """Nothing below 0."""
    return ocio.RangeTransform(minInValue=0.0, minOutValue=0.0)


def most(matrix: Matrix) -> float:
    """The largest number that a matrix makes of numbers on 0–1."""
    return float(np.maximum(matrix, 0).sum(axis=1).max())


def power_curve(power: float, most: float) -> tuple[ocio.FileTransform, Files]:
    """Numbers from 0 to `most` to a power. As a curve: the engine's own power is a fast one, and where strong channels
    take each other away, its error of some 2e-5 is seen in the shadows."""
    return spi1d_file("power", np.linspace(0, most, POWER_POINTS) ** power, most)
