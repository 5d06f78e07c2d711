"""What a file's pixels come to: decoded in a space, as a histogram, and on the chromaticity diagram."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, space_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, linear_to_ap0
from saltwort.core.engine.processors import inverse_view_processor
from saltwort.core.images.reading import Pixels
from saltwort.core.numbers import MIDDLE_GREY

BINS = 64
STOPS = (-12.0, 12.0)
"""Around middle grey, of a histogram of light."""
CELLS = 200
"""Of the chromaticity diagram, along each axis from 0 to 1: colours in one cell are shown as one point."""
DARK = 1e-5
"""Light below this has no colour to speak of."""


@dataclass(frozen=True)
class Reading:
    """A sample of pixels as scene light in the working space: per channel the 1st percentile, median, 99th and peak;
    `above_one` and `below_zero` as shares, 0–1, of the samples."""

    low: tuple[float, ...]
    median: tuple[float, ...]
    high: tuple[float, ...]
    peak: tuple[float, ...]
    above_one: float
    below_zero: float


@dataclass(frozen=True)
class Histogram:
    """Shares of a sample, 0–1, in BINS bins for each channel: of numbers as stored, from `lowest` to `highest`, or
    where `in_stops`, of the stops from middle grey. What lies outside stands in the first and last bin."""

    in_stops: bool
    lowest: float
    highest: float
    channels: tuple[tuple[float, ...], ...]


def read_as(config: ocio.Config, sample: Pixels, space: str) -> Pixels:
    """A sample of RGB, float32 (pixels, 3), as scene light in the working space; data stays as it is."""
    if config.getColorSpace(space) and config.getColorSpace(space).isData():
        return sample
    return _through(space_processor(config, space, ocio.ROLE_SCENE_LINEAR), sample)


def read_through_inverse(config: ocio.Config, sample: Pixels, choice: ViewChoice) -> Pixels:
    """The same for display code values, through the inverse of a view. Raises BadInput where it has none."""
    return _through(inverse_view_processor(config, ocio.ROLE_SCENE_LINEAR, choice), sample)


def _through(processor: ocio.CPUProcessor, sample: Pixels) -> Pixels:
    return np.asarray(apply(processor, sample[np.newaxis])[0])


def reading_of(light: Pixels) -> Reading:
    """Figures of scene light, float32 (pixels, 3); what is not finite is left out."""
    finite = light[np.isfinite(light).all(axis=1)].astype(np.float64)
    if not len(finite):
        nothing = (0.0, 0.0, 0.0)
        return Reading(nothing, nothing, nothing, nothing, 0.0, 0.0)
    low, median, high = np.percentile(finite, (1, 50, 99), axis=0).tolist()
    return Reading(
        low=tuple(low),
        median=tuple(median),
        high=tuple(high),
        peak=tuple(finite.max(axis=0).tolist()),
        above_one=float(np.mean(finite > 1)),
        below_zero=float(np.mean(finite < 0)),
    )


def histogram_of(sample: Pixels, *, in_stops: bool) -> Histogram:
    """How often which numbers occur in a sample, float32 (pixels, channels); of up to four channels."""
    values = sample[:, :4]
    lowest, highest = STOPS if in_stops else (0.0, 1.0)
    if in_stops:
        with np.errstate(divide="ignore", invalid="ignore"):
            values = np.log2(np.maximum(values, 0) / MIDDLE_GREY)
    channels = []
    for channel in values.T:
        known = channel[~np.isnan(channel)]
        inside = np.clip(known, lowest, highest)
        counts, _ = np.histogram(inside, BINS, (lowest, highest))
        channels.append(tuple((counts / max(len(known), 1)).tolist()))
    return Histogram(in_stops, lowest, highest, tuple(channels))


def chromaticities_of(config: ocio.Config, light: Pixels) -> NDArray[np.float64]:
    """CIE 1931 xy, seen under D65, of scene light in the working space, float32 (pixels, 3): each cell of the
    diagram once, float64 (colours, 2). Empty where the working space cannot be told."""
    to_ap0 = linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
    finite = light[np.isfinite(light).all(axis=1)]
    if to_ap0 is None:
        return np.zeros((0, 2))
    xyz = finite.astype(np.float64) @ (AP0_TO_XYZ_D65 @ to_ap0).T
    sums = xyz.sum(axis=1)
    lit = (sums > DARK) & (finite.max(axis=1) > DARK)
    xy = xyz[lit, :2] / sums[lit, np.newaxis]
    inside = xy[((xy > -0.5) & (xy < 1.5)).all(axis=1)]
    return np.asarray(np.unique(np.round(inside * CELLS), axis=0) / CELLS)
