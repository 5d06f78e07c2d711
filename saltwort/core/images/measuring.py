"""Facts measured in an image's pixels, in one pass over strips."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images.reading import Header, Pixels, read_header, read_strips

SAMPLED = 1 << 16
"""Pixels: enough that the 1st and 99th percentile rest on hundreds."""
PERCENTILES = (1, 50, 99)
VECTORS = 1 << 18
"""Pixels from which the length and direction of vectors are told, from the top; the rest says no more."""
MOSTLY = 0.9
FEWEST_LEVELS = 24
"""Different values from which steps can be told: a flat colour lies on any grid."""
STEP_TOLERANCE = 0.07
"""In steps: half floats below 1 are up to 2⁻¹², 0.062 of an 8-bit step, from it."""
PRACTICALLY_ALL = 0.999


@dataclass(frozen=True)
class Stats:
    """Per channel `min`, `max` and `mean` of the finite samples (None where there is none); `below_zero` and
    `above_one` as shares, 0–1, of all samples; `non_finite` samples as a count. `unit_vectors` is the share of
    pixels that decode (2v − 1) to a vector of length 1 ± 0.1 pointing up, as in a tangent-space normal map; 0 for
    fewer than three channels.

    From an even sample of SAMPLED pixels: `low`, `median` and `high`, the 1st, 50th and 99th percentile of each
    channel; `levels`, how many values there are; `linear_steps` and `encoded_steps`, 8 or 10 where practically all
    values are steps of that many bits, as they stand or once encoded by the sRGB curve, else 0.

    `equal_channels` tells that the first three are the same everywhere. For vectors, `vector_length` and `direction`
    are the mean length and mean vector, and `green` the correlation, −1 to 1, of what red and green say of the same
    surface: positive where green points down the picture, negative where it points up, 0 where neither can be told.
    """

    min: tuple[float | None, ...]
    max: tuple[float | None, ...]
    mean: tuple[float | None, ...]
    below_zero: float
    above_one: float
    non_finite: int
    unit_vectors: float
    low: tuple[float | None, ...]
    median: tuple[float | None, ...]
    high: tuple[float | None, ...]
    levels: int
    linear_steps: int
    encoded_steps: int
    equal_channels: bool
    vector_length: float
    direction: tuple[float, float, float]
    green: float


@dataclass(frozen=True)
class Facts:
    """A file's header and what its pixels hold."""

    header: Header
    stats: Stats


def measure(path: Path) -> Facts:
    """Read a file once, strip by strip, and measure it. Raises BadInput for what cannot be read to its end."""
    header = read_header(path)
    counter = _Counter(header.channels, header.width * header.height)
    for _, strip in read_strips(path):
        counter.add(strip)
    return Facts(header, counter.stats())


class _Counter:
    def __init__(self, channels: int, pixels: int) -> None:
        self.lowest: NDArray[np.float64] = np.full(channels, np.inf)
        self.highest: NDArray[np.float64] = np.full(channels, -np.inf)
        self.sums: NDArray[np.float64] = np.zeros(channels)
        self.finite: NDArray[np.int64] = np.zeros(channels, np.int64)
        self.samples = self.pixels = self.below = self.above = self.units = 0
        self.equal = channels >= 3
        self.step = max(1, pixels // SAMPLED)
        self.sampled: list[Pixels] = []
        self.vectors = _Vectors()

    def add(self, strip: Pixels) -> None:
        # One plane per channel: a reduction along contiguous memory is several times as fast as across pixels.
        planes = np.ascontiguousarray(strip.reshape(-1, strip.shape[-1]).T)
        self.samples += planes.size
        sums = planes.sum(axis=1, dtype=np.float64)
        if np.isfinite(sums).all():
            lowest, highest = planes.min(axis=1), planes.max(axis=1)
            self.finite += planes.shape[1]
        else:
            finite = np.isfinite(planes)
            sums = np.where(finite, planes, 0).sum(axis=1, dtype=np.float64)
            lowest = np.where(finite, planes, np.inf).min(axis=1)
            highest = np.where(finite, planes, -np.inf).max(axis=1)
            self.finite += finite.sum(axis=1)
        self.sums += sums
        self.lowest = np.minimum(self.lowest, lowest)
        self.highest = np.maximum(self.highest, highest)
        self.below += int(np.count_nonzero(planes < 0))
        self.above += int(np.count_nonzero(planes > 1))
        self.equal = self.equal and bool((planes[0] == planes[1]).all() and (planes[0] == planes[2]).all())
        self.sampled.append(planes[:, -self.pixels % self.step :: self.step].copy())
        self.pixels += planes.shape[1]
        if len(planes) >= 3:
            red, green, blue = planes[:3] * 2 - 1
            length = red * red + green * green + blue * blue
            units = int(np.count_nonzero((np.abs(length - 1) < 0.2) & (blue > 0.2)))
            self.units += units
            if units > MOSTLY * planes.shape[1] and self.vectors.count < VECTORS:
                self.vectors.add(strip[..., :3])

    def stats(self) -> Stats:
        sample = np.concatenate(self.sampled, axis=1)
        low, median, high = _percentiles(sample)
        values = sample[np.isfinite(sample)].astype(np.float64)
        is_vectors = self.units > MOSTLY * self.pixels
        return Stats(
            min=self._per_channel(self.lowest),
            max=self._per_channel(self.highest),
            mean=self._per_channel(self.sums / np.maximum(self.finite, 1)),
            below_zero=self.below / self.samples,
            above_one=self.above / self.samples,
            non_finite=int(self.samples - self.finite.sum()),
            unit_vectors=self.units / self.pixels,
            low=low,
            median=median,
            high=high,
            levels=len(np.unique(values)),
            linear_steps=_steps(values),
            encoded_steps=_steps(_srgb_encoded(values)),
            equal_channels=self.equal,
            vector_length=self.vectors.mean_length() if is_vectors else 0.0,
            direction=self.vectors.mean_direction() if is_vectors else (0.0, 0.0, 0.0),
            green=self.vectors.green() if is_vectors else 0.0,
        )

    def _per_channel(self, values: NDArray[np.float64]) -> tuple[float | None, ...]:
        return tuple(float(value) if count else None for value, count in zip(values, self.finite, strict=True))


class _Vectors:
    """What vectors say, of which most are of length 1."""

    def __init__(self) -> None:
        self.count = 0
        self.lengths = 0.0
        self.sum: NDArray[np.float64] = np.zeros(3)
        self.products: NDArray[np.float64] = np.zeros(3)

    def add(self, strip: Pixels) -> None:
        vectors = np.nan_to_num(strip.astype(np.float64)) * 2 - 1
        self.count += vectors.shape[0] * vectors.shape[1]
        self.lengths += float(np.linalg.norm(vectors, axis=2).sum())
        self.sum += vectors.sum(axis=(0, 1))
        if min(vectors.shape[:2]) < 2:
            return
        # A surface's slope across, changing down the picture, is its slope down, changing across: so red and green
        # agree where green points down, and are opposed where it points up.
        slopes = vectors[..., :2] / np.maximum(vectors[..., 2:], 0.1)
        across_down = np.diff(slopes[..., 0], axis=0)[:, 1:]
        down_across = np.diff(slopes[..., 1], axis=1)[1:]
        pairs = ((across_down, down_across), (across_down, across_down), (down_across, down_across))
        self.products += [float((one * other).sum()) for one, other in pairs]

    def mean_length(self) -> float:
        return self.lengths / max(self.count, 1)

    def mean_direction(self) -> tuple[float, float, float]:
        x, y, z = (self.sum / max(self.count, 1)).tolist()
        return x, y, z

    def green(self) -> float:
        together, first, second = self.products
        scale = float(np.sqrt(first * second))
        return float(together) / scale if scale > 1e-9 else 0.0


def _percentiles(sample: Pixels) -> tuple[tuple[float | None, ...], ...]:
    """For each of PERCENTILES its value in every channel."""
    per_channel = []
    for channel in sample:
        finite = channel[np.isfinite(channel)]
        found = np.percentile(finite, PERCENTILES).tolist() if len(finite) else [None] * len(PERCENTILES)
        per_channel.append(found)
    return tuple(zip(*per_channel, strict=True))


def _steps(values: NDArray[np.float64]) -> int:
    """The bits, 8 or 10, in whose steps practically all values lie; 0 where neither, or too few differ to tell."""
    inside = values[(values > 0) & (values < 1)]
    if len(np.unique(inside)) < FEWEST_LEVELS:
        return 0
    for bits in (8, 10):
        scaled = inside * (2**bits - 1)
        if np.mean(np.abs(scaled - np.round(scaled)) < STEP_TOLERANCE) > PRACTICALLY_ALL:
            return bits
    return 0


def _srgb_encoded(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light as sRGB code values (IEC 61966-2-1), for light in 0–1."""
    curved = 1.055 * np.power(np.maximum(light, 0.0031308), 1 / 2.4) - 0.055
    return np.asarray(np.where(light <= 0.0031308, 12.92 * light, curved), np.float64)
