"""Facts measured in an image's pixels, with a thumbnail, in one pass over strips."""

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images.channels import colour_channels
from saltwort.core.images.headers import Header
from saltwort.core.images.reading import Pixels, as_floats, read_header, read_stored_strips
from saltwort.core.images.thumbnail import Thumbnail
from saltwort.core.numbers import percentiles
from saltwort.core.spaces.curves import srgb_encoded

SAMPLED = 1 << 14
"""Pixels: enough that the 1st and 99th percentile rest on hundreds."""
KEPT = 1 << 12
"""Pixels kept with a file, from which is told what a conversion would do to it."""
PERCENTILES = (1, 50, 99)
VECTORS = 1 << 18
"""Pixels from which the length and direction of vectors are told, from the top; the rest says no more."""
MOSTLY = 0.9
FEWEST_LEVELS = 24
"""Different values from which steps can be told: a flat colour lies on any grid."""
STEP_TOLERANCE = 0.07
"""In steps: half floats below 1 are up to 2⁻¹², 0.062 of an 8-bit step, from it."""
PRACTICALLY_ALL = 0.999
FIRST_LOOK = 500
"""Values from which is told whether a closer look is worth its time."""


GREEN_TOLD = 0.2
"""Correlation of red and green from which the direction of a normal map's green is told."""


@dataclass(frozen=True)
class Stats:
    """Per channel `min`, `max` and `mean` of the finite samples (None where there is none); `below_zero` and
    `above_one` as shares, 0–1, of all samples; `non_finite` samples as a count.

    From an even sample of SAMPLED pixels: `unit_vectors`, the share that decodes (2v − 1) to a vector of length
    1 ± 0.1 pointing up, as in a tangent-space normal map, 0 for fewer than three channels; `low`, `median` and
    `high`, the 1st, 50th and 99th percentile of each channel; `levels`, how many values there are; `linear_steps` and
    `encoded_steps`, 8 or 10 where practically all values are steps of that many bits, as they stand or once encoded by
    the sRGB curve, else 0.

    `equal_channels` tells that the first three are the same everywhere. For vectors, `vector_length` and `direction`
    are the mean length and mean vector, and `green` the correlation, −1 to 1, of what red and green say of the same
    surface: positive where green points down the picture, negative where it points up, 0 where neither can be told.

    Of the colour channels in the sample: `signed_vectors`, the share that is of length 1 ± 0.1 as it stands;
    `correlation` of red and green, red and blue, green and blue, 0 where one is the same everywhere; `at_ends`, the
    share of each channel within 0.004 of 0 or 1; `skew`, the skewness of the channels' mean, and `encoded_skew` once
    that is encoded by the sRGB curve, 0 where it is flat; `colours`, how many different pixels there are; `saturation`,
    the median of (largest − smallest) / largest channel. Files measured before these were have none of them.
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
    signed_vectors: float = 0.0
    correlation: tuple[float, ...] = ()
    at_ends: tuple[float, ...] = ()
    skew: float = 0.0
    encoded_skew: float = 0.0
    colours: int = 0
    saturation: float = 0.0


@dataclass(frozen=True)
class Facts:
    """A file's header and what its pixels hold."""

    header: Header
    stats: Stats


@dataclass(frozen=True)
class Survey:
    """What one reading of a file gives: its facts, a `thumbnail`, float32 RGB with no side above THUMBNAIL, averaged in
    the numbers as stored, and a `sample` of up to about KEPT evenly spaced pixels, float32 (pixels, channels)."""

    facts: Facts
    thumbnail: Pixels
    sample: Pixels


def measure(path: Path) -> Facts:
    """The facts of a file. Raises BadInput for what cannot be read to its end."""
    return survey(path).facts


def survey(path: Path, layer: str | None = None) -> Survey:
    """Read a file, or a layer of it, once, strip by strip, so that its size does not decide the memory. Raises BadInput
    for what cannot be read to its end."""
    counter = _Counter(read_header(path, layer))
    for strip in read_stored_strips(path, layer):
        counter.add(strip)
    return counter.survey()


class _Counter:
    """Goes through strips in the sample type of the file: making floats of integers and halves takes as long as
    reading them."""

    def __init__(self, header: Header) -> None:
        self.header = header
        # Of every column, in the type of the file: over rows, one step of a loop takes a whole row.
        self.lowest: NDArray[Any] | None = None
        self.highest: NDArray[Any] | None = None
        self.finite: NDArray[np.int64] = np.zeros(header.channels, np.int64)
        self.pixels = self.below = self.above = 0
        self.scale = 1.0
        self.equal = header.channels >= 3
        self.step = max(1, header.width * header.height // SAMPLED)
        self.sampled: list[Pixels] = []
        self.thumbnail = Thumbnail(header)
        self.vectors = _Vectors()

    def add(self, strip: NDArray[Any]) -> None:
        pixels = strip.reshape(-1, strip.shape[-1])
        self.equal = self.equal and bool((pixels[:, 0] == pixels[:, 1]).all() and (pixels[:, 0] == pixels[:, 2]).all())
        if np.issubdtype(strip.dtype, np.integer):
            self.scale = 1 / np.iinfo(strip.dtype).max
        sample = as_floats(pixels[-self.pixels % self.step :: self.step])
        self.sampled.append(sample)
        self.pixels += len(pixels)
        self._add_range(strip)
        if len(sample) and self.vectors.count < VECTORS and _unit_share(sample) > MOSTLY:
            self.vectors.add(as_floats(strip[..., :3]))

    def _add_range(self, strip: NDArray[Any]) -> None:
        rows, width, channels = strip.shape
        flat = strip.reshape(rows, width * channels)
        low, high = _extremes(flat)
        if not np.issubdtype(flat.dtype, np.integer):
            self.below += 0 if low.min() >= 0 else int(np.count_nonzero(flat < 0))
            self.above += 0 if high.max() <= 1 else _above_one(flat)
        if np.isfinite(low).all() and np.isfinite(high).all():
            self.finite += rows * width
        else:
            flat = as_floats(flat)
            is_finite = np.isfinite(flat)
            self.finite += is_finite.reshape(-1, channels).sum(axis=0)
            low, high = np.where(is_finite, flat, np.inf).min(axis=0), np.where(is_finite, flat, -np.inf).max(axis=0)
            flat = np.where(is_finite, flat, 0)
        self.thumbnail.add(flat, is_positive=not np.signbit(low).any())
        self.lowest = low if self.lowest is None else np.minimum(self.lowest, low)
        self.highest = high if self.highest is None else np.maximum(self.highest, high)

    def survey(self) -> Survey:
        sample = np.concatenate(self.sampled)
        facts = Facts(self.header, self._stats(sample))
        return Survey(facts, self.thumbnail.pixels(self.scale), sample[:: SAMPLED // KEPT])

    def _stats(self, sample: Pixels) -> Stats:
        low, median, high = _percentiles(sample)
        values, times = np.unique(_finite(sample).astype(np.float64), return_counts=True)
        samples = self.pixels * self.header.channels
        units = _unit_share(sample)
        is_vectors = units > MOSTLY and self.vectors.count > 0
        return Stats(
            min=self._per_channel(self._columns(self.lowest).min(axis=0) * self.scale),
            max=self._per_channel(self._columns(self.highest).max(axis=0) * self.scale),
            mean=self._per_channel(self._sums() * self.scale / np.maximum(self.finite, 1)),
            below_zero=self.below / samples,
            above_one=self.above / samples,
            non_finite=int(samples - self.finite.sum()),
            unit_vectors=units,
            low=low,
            median=median,
            high=high,
            levels=len(values),
            linear_steps=_steps(values, times),
            encoded_steps=_steps(srgb_encoded(values), times),
            equal_channels=self.equal,
            vector_length=self.vectors.mean_length() if is_vectors else 0.0,
            direction=self.vectors.mean_direction() if is_vectors else (0.0, 0.0, 0.0),
            green=self.vectors.green() if is_vectors else 0.0,
            **_colour_stats(sample[:, colour_channels(self.header.channel_names)], self.header.channels),
        )

    def _columns(self, values: NDArray[Any] | None) -> NDArray[np.float64]:
        """What was found for each column, by its channels."""
        assert values is not None, "a picture has rows"
        return values.astype(np.float64).reshape(-1, self.header.channels)

    def _sums(self) -> NDArray[np.float64]:
        return np.asarray(self._columns(self.thumbnail.sums.sum(axis=0)).sum(axis=0))

    def _per_channel(self, values: NDArray[np.float64]) -> tuple[float | None, ...]:
        return tuple(float(value) if count else None for value, count in zip(values, self.finite, strict=True))


def _extremes(flat: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Smallest and largest of each column; for integers as they stand, for others with what is not finite."""
    if flat.dtype != np.float16:
        with np.errstate(invalid="ignore"):
            return flat.min(axis=0), flat.max(axis=0)
    # Halves are ordered as their bits are, negative ones backwards; numbers of 16 bits compare far faster.
    signed, unsigned = flat.view(np.int16), flat.view(np.uint16)
    lowest_bits, highest_bits = signed.min(axis=0), signed.max(axis=0)
    deepest = unsigned.max(axis=0)
    low = np.where(deepest >= _HALF_SIGN, deepest, lowest_bits.view(np.uint16)).view(np.float16)
    high = np.where(highest_bits < 0, lowest_bits, highest_bits).view(np.float16)
    return low.astype(np.float32), high.astype(np.float32)


_HALF_SIGN, _HALF_ONE, _HALF_INFINITY = 0x8000, 0x3C00, 0x7C00


def _above_one(flat: NDArray[Any]) -> int:
    """Samples above 1, infinity among them."""
    if flat.dtype != np.float16:
        return int(np.count_nonzero(flat > 1))
    bits = flat.view(np.int16)
    return int(np.count_nonzero((bits > _HALF_ONE) & (bits <= _HALF_INFINITY)))


def _unit_share(sample: Pixels) -> float:
    """Share of pixels, of shape (pixels, channels), that decode to a vector of length 1 pointing up."""
    if sample.shape[1] < 3:
        return 0.0
    red, green, blue = sample.T[:3] * 2 - 1
    length = red * red + green * green + blue * blue
    return float(np.mean((np.abs(length - 1) < 0.2) & (blue > 0.2)))


ENDS = 0.004
"""One step of 8 bits."""
MOST_COLOURS = 1 << 12
"""Pixels from which colours are told."""


def _colour_stats(colour: Pixels, channels: int) -> dict[str, Any]:
    """The last facts of Stats, from RGB of the sample, (pixels, 3)."""
    few = colour[:: max(1, len(colour) // MOST_COLOURS)]
    if not np.isfinite(few).all():
        few = few[np.isfinite(few).all(axis=1)]
    if len(few) < 2:
        return {}
    rgb = few.T.astype(np.float64)
    red, green, blue = rgb
    mean = (red + green + blue) / 3
    most = np.maximum(np.maximum(red, green), blue)
    least = np.minimum(np.minimum(red, green), blue)
    found: dict[str, Any] = {
        "at_ends": tuple((((few <= ENDS) | (few >= 1 - ENDS)).sum(axis=0) / len(few)).tolist()),
        "skew": _skewness(mean),
        "encoded_skew": _skewness(srgb_encoded(np.clip(mean, 0, 1))),
        # Told apart by one number, which is far faster; that two of so few have the same is next to impossible.
        "colours": len(np.unique(red + green * np.e + blue * np.pi**2)),
        "saturation": percentiles(((most - least) / np.maximum(most, 1e-3))[None], (50,))[0][0],
    }
    if channels >= 3:
        length = np.sqrt(red * red + green * green + blue * blue)
        found["signed_vectors"] = np.count_nonzero(np.abs(length - 1) < 0.1) / len(few)
        found["correlation"] = _correlations(rgb)
    return found


def _correlations(rgb: NDArray[np.float64]) -> tuple[float, float, float]:
    """Pearson's, of red and green, red and blue, green and blue; 0 where one of the two is the same everywhere."""
    away = rgb - rgb.mean(axis=1, keepdims=True)
    products = (away @ away.T).tolist()

    def of(one: int, other: int) -> float:
        scale = math.sqrt(products[one][one] * products[other][other])
        return max(-1.0, min(1.0, products[one][other] / scale)) if scale > 1e-12 else 0.0

    return of(0, 1), of(0, 2), of(1, 2)


def _skewness(values: NDArray[np.float64]) -> float:
    """Third standardised moment."""
    away = values - values.mean()
    squares = away * away
    spread = math.sqrt(squares.sum() / len(away))
    return float(squares @ away) / len(away) / spread**3 if spread > 1e-6 else 0.0


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
    if np.isfinite(sample).all():
        return tuple(zip(*percentiles(sample.T, PERCENTILES), strict=True))
    finite = [_finite(channel) for channel in sample.T]
    nothing = [None] * len(PERCENTILES)
    return tuple(
        zip(*(percentiles(each[None], PERCENTILES)[0] if each.size else nothing for each in finite), strict=True)
    )


def _finite(values: Pixels) -> Pixels:
    """The finite ones of all values, in a row."""
    is_finite = np.isfinite(values)
    return values.ravel() if is_finite.all() else values[is_finite]


def _steps(values: NDArray[np.float64], times: NDArray[np.int64]) -> int:
    """The bits, 8 or 10, in whose steps practically all values lie; 0 where neither, or too few differ to tell. Each
    value is there so many times."""
    inside = (values > 0) & (values < 1)
    values, times = values[inside], times[inside]
    if len(values) < FEWEST_LEVELS:
        return 0
    few = slice(None, None, max(1, len(values) // FIRST_LOOK))
    for bits in (8, 10):
        # A few tell at once of most files that they do not.
        if _on_steps(values[few], times[few], bits) < MOSTLY:
            continue
        if _on_steps(values, times, bits) > PRACTICALLY_ALL:
            return bits
    return 0


def _on_steps(values: NDArray[np.float64], times: NDArray[np.int64], bits: int) -> float:
    """Share of values that are steps of so many bits."""
    scaled = values * (2**bits - 1)
    return float((np.abs(scaled - np.round(scaled)) < STEP_TOLERANCE) @ times / times.sum())
