"""Where a picture differs from what a chain gives, beyond what its coding, size and compression can do: every pixel."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.alignment import Placement, flipped
from saltwort.core.explain.made import Made
from saltwort.core.explain.quick import as_lut
from saltwort.core.images.reading import Pixels
from saltwort.core.threads import on_all_cores

Array = NDArray[np.float32]
Mask = NDArray[np.bool_]

PIXEL = 1.7
"""In steps of the coding, how far a pixel may be off, dithered."""
MOSTLY = 4.0
"""In steps of the coding, how far half of the pixels may be off for the picture to lie on whole pixels of the light."""
LINES = 160
"""Rows and columns by which is told on which pixels a picture lies."""
LOBES, LEAST_REACH = 2.5, 2
"""How far a filter reaches that changes the size, in pixels of the smaller picture, and at least in the light."""
OVERSHOOT = 0.2
"""How far filters with lobes go beyond the values around, as a part of their contrast."""
LEAST_LIGHT = 0.01
TILE = 16
"""Pixels of a tile: what JPEG halves the resolution of colour in, and video too."""
LOSSY_PIXEL, LOSSY_RANGE, LOSSY_NOISE = 6.0, 0.5, 7.0
"""How far a pixel of a compressed picture may be off: in steps of the coding, as a part of the contrast around, since
compression blurs edges and rings beside them, and in standard deviations of the noise that it left in this picture."""
TILE_STEPS, TILE_RANGE, TILE_NOISE = 1.1, 0.1, 1.0
"""The same for the mean of a tile, which compression keeps."""
LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Of red, green and blue (ITU-R BT.709)."""
FEWEST = 9
"""Pixels beside each other from which a faint difference is one; a few very different ones are too."""
STARK, LOSSY_STARK = 12.0, 3.0
"""In what a pixel may be off, how far a single one must be, and fewer than a tile of a compressed picture."""
MOST_BOXES = 5
EXPOSURES = np.arange(-6, 6.01, 0.125)
LEAST_STOPS = 0.1
"""Below which nobody exposed anything otherwise."""
LOOKED_AT = 3_000
QUICK = 0.5
"""In steps of the coding, how far a LUT may be off that is looked up instead of computing each pixel."""
ROWS = 256
"""Rows that are computed together."""
EXPLAINS, STILL_OFF = 0.85, 0.15
"""Share of what differs that must be as it looks, and how much of the difference may be left then."""


@dataclass(frozen=True)
class Place:
    """A box in a picture, as parts of its width and height from the upper left."""

    left: float
    top: float
    width: float
    height: float


@dataclass(frozen=True)
class Places:
    """What differs: its share of the picture, 0–1, boxes around the largest of it in the picture as it came, and what
    it looks like: a key of LOOKS, with its numbers. `mask` is (height, width), of the picture as it lies in the
    light."""

    share: float
    boxes: tuple[Place, ...]
    looks: str
    numbers: Mapping[str, float]
    mask: Mask

    @property
    def sentence(self) -> str:
        count = int(self.mask.sum())
        pixels = f"{count:,} pixels" if count > 1 else "1 pixel"
        share = f"{self.share:.1%} of its area" if self.share >= 0.001 else pixels
        return f"The image differs in {share}: {LOOKS[self.looks].format(**self.numbers)}."


CUT, COMPRESSED, BLACK, EXPOSED, SINGLE, COVERED, SCATTERED = (
    "cut", "compressed", "black", "exposed", "single", "covered", "scattered",
)  # fmt: skip
LOOKS = {
    CUT: "scene-linear values are clipped at {level:.3g}",
    COMPRESSED: "scene-linear values above {level:.3g} are compressed or changed",
    BLACK: "scene-linear values above {level:.3g} are black",
    EXPOSED: "that area is exposed by {stops:+.2f} stops",
    SINGLE: "single pixels have other values",
    COVERED: "other content covers that area, such as an overlay or a retouch",
    SCATTERED: "several areas are off by up to {most:.0%} of white",
}


@dataclass(frozen=True)
class Coding:
    """What a picture's file can do to its numbers: `step` is the error of its coding, of code values or, where it is
    `linear`, of light as a part of it; `clips` says that it holds 0–1, `lossy` that it was compressed with loss."""

    step: float
    clips: bool
    lossy: bool
    linear: bool


def places(picture: Pixels, light: Pixels, placement: Placement, made: Made, coding: Coding) -> Places | None:
    """Where a picture, (height, width, 3 or 4), is not what `made` gives of light, (height, width, 4), beyond what its
    coding can do; None where it is so everywhere. Where the picture has another size, each pixel may be anything
    between the values around it in the light."""
    seen = np.nan_to_num(np.ascontiguousarray(flipped(picture, placement.flip)[..., :3], np.float32))
    placement, reach = _lies(seen, light, placement, made, coding)
    height, width = seen.shape[:2]
    differs = np.zeros((height, width), np.float32)
    margin = TILE if coding.lossy else 0
    quick = as_lut(made, light, QUICK * coding.step) if coding.lossy else None

    def off(first: int, made: Made) -> Array:
        top, bottom = max(0, first - margin), min(height, first + ROWS + margin)
        band = seen[top:bottom]
        low, high, inside = _bounds(light, placement, made, coding, (top, bottom, width), reach)
        found = _lossy(band, low, high, coding.step) if coding.lossy else _exact(band, low, high, coding)
        found[~inside] = 0
        return found[first - top : first - top + ROWS]

    def compare(first: int) -> None:
        found = off(first, quick or made)
        if quick and found.max() > 1:  # light beyond the range of the LUT may be all that is off
            found = off(first, made)
        differs[first : first + ROWS] = found

    on_all_cores(compare, range(0, height, ROWS))
    mask = _kept(differs, *((TILE**2, LOSSY_STARK) if coding.lossy else (FEWEST, STARK)))
    if not mask.any():
        return None
    looks, numbers = _Looks(mask, seen, light, placement, made, coding).told()
    return Places(float(mask.mean()), _boxes(flipped(mask, placement.flip)), looks, numbers, mask)


def _lies(seen: Array, light: Pixels, placement: Placement, made: Made, coding: Coding) -> tuple[Placement, int]:
    """The placement, on whole pixels of the light where the picture lies on these; and how many pixels of the light
    around may have gone into one of the picture."""
    shape = seen.shape[:2]
    reach = max(LEAST_REACH, int(np.ceil(LOBES * max(placement.scale))))
    if max(abs(scale - 1) * side for scale, side in zip(placement.scale, shape[::-1], strict=True)) >= 1:
        return placement, reach
    rows, columns = (np.arange(0, side, max(1, side // LINES)) for side in shape)
    some = seen[rows][:, columns]
    right, down = (int(np.round(shift)) for shift in placement.shift)

    def meant(by: tuple[int, ...]) -> Array:
        at = np.ix_(
            np.clip(rows + down + by[1], 0, light.shape[0] - 1), np.clip(columns + right + by[0], 0, light.shape[1] - 1)
        )
        return made.numbers(light[at], clips=coding.clips)

    def off(by: tuple[int, ...]) -> float:
        # What is flat is alike wherever it lies: edges tell.
        return float(np.minimum(np.abs(some - meant(by)), 1).mean())

    best = min(product((0, -1, 1), repeat=2), key=off)
    if _typically_off(some, meant(best)) >= MOSTLY * coding.step:
        return placement, reach
    x, y = best
    return replace(placement, scale=(1.0, 1.0), shift=(float(right + x), float(down + y))), 0


def _bounds(
    light: Pixels, placement: Placement, made: Made, coding: Coding, rows: tuple[int, int, int], reach: int
) -> tuple[Array, Array, Mask]:
    """The least and the most that each pixel in some rows (first, end, width) may be, (height, width, 3), and where
    there is light for it at all."""
    x, y = placement.at(np.arange(rows[2], dtype=float), np.arange(rows[0], rows[1], dtype=float))
    across, down = np.round(x).astype(int), np.round(y).astype(int)
    inside = np.outer(
        (down >= reach) & (down < light.shape[0] - reach), (across >= reach) & (across < light.shape[1] - reach)
    )
    across, down = np.clip(across, 0, light.shape[1] - 1), np.clip(down, 0, light.shape[0] - 1)
    first, end = max(0, int(down.min()) - reach), int(down.max()) + reach + 1
    low, high = made.ends(light[first:end], clips=coding.clips)
    down = down - first
    if reach == 0 and low is high:
        found = low[down][:, across]
        return found, found, inside
    if reach:
        low, high = -_most_around(-low, reach), _most_around(high, reach)
    return low[down][:, across], high[down][:, across], inside


def _exact(seen: Array, low: Array, high: Array, coding: Coding) -> Array:
    """By how much pixels are off that were not compressed, in what they may be, (height, width)."""
    far = _largest(_beyond(seen, low, high)) / np.float32(PIXEL * coding.step)
    if coding.linear:
        far /= np.maximum(_largest(np.abs(high)), LEAST_LIGHT)
    return far


def _beyond(seen: Array, low: Array, high: Array) -> Array:
    """How far pixels are outside what they may be."""
    if low is high:
        apart: Array = np.abs(seen - low)
        return apart
    beyond = OVERSHOOT * (high - low)
    return np.maximum(np.maximum(low - beyond - seen, seen - high - beyond), 0)


def _largest(channels: Array) -> Array:
    """The largest of three channels, (height, width, 3): several times as fast as a maximum over so short an axis."""
    return np.maximum(np.maximum(channels[..., 0], channels[..., 1]), channels[..., 2])


def _most_around(numbers: Array, reach: int) -> Array:
    """The largest of the values around each, (height, width, 3), up to so many pixels away."""
    for axis in (0, 1):
        padded = np.pad(numbers, [(reach, reach) if axis == at else (0, 0) for at in range(3)], mode="edge")
        length, numbers = numbers.shape[axis], padded.take(range(numbers.shape[axis]), axis)
        for by in range(1, 2 * reach + 1):
            np.maximum(numbers, padded[by : by + length] if axis == 0 else padded[:, by : by + length], out=numbers)
    return numbers


def _typically_off(one: Array, other: Array) -> float:
    """The median of how far pixels are apart, as a part of what is brighter than 1."""
    apart = np.abs(one - other).max(axis=-1) / np.maximum(np.abs(other).max(axis=-1), 1)
    return float(np.median(apart)) if apart.size else np.inf


def _at(whole: Array, placement: Placement, shape: tuple[int, ...], reach: int) -> tuple[Array, Mask]:
    """What lies at each pixel of a picture of a shape, (height, width), and whether that is `reach` pixels inside."""
    x, y = placement.at(np.arange(shape[1], dtype=float), np.arange(shape[0], dtype=float))
    columns, rows = np.round(x).astype(int), np.round(y).astype(int)
    inside = np.outer(
        (rows >= reach) & (rows < whole.shape[0] - reach), (columns >= reach) & (columns < whole.shape[1] - reach)
    )
    rows, columns = np.clip(rows, 0, whole.shape[0] - 1), np.clip(columns, 0, whole.shape[1] - 1)
    return whole[rows][:, columns], inside


def _lossy(seen: Array, low: Array, high: Array, step: float) -> Array:
    """By how much pixels of a compressed picture are off, in what they may be, (height, width): each by itself where it
    is far off, and all of a tile where its mean is."""
    bright, dark = (_of_tiles(numbers, np.max) for numbers in (high, -low))
    # Compression blurs over the edge of a tile, and from one channel into the others.
    around = _largest(_most_around(bright, 1) + _most_around(dark, 1))
    off = seen - np.clip(seen, low, high)
    mean = _of_tiles(off, np.mean)
    noise = float(1.4826 * np.median(np.abs(off - _to_pixels(mean, off.shape))))
    tiles = _largest(np.abs(mean)) / (TILE_STEPS * step + TILE_RANGE * around + TILE_NOISE * noise)
    # Colour has half the resolution, so that a thin line may lose all of it, but not its brightness.
    beside = (np.sign(off) * _beyond(seen, low, high)) @ LUMINANCE
    pixels = np.abs(beside) / _to_pixels(LOSSY_PIXEL * step + LOSSY_RANGE * around + LOSSY_NOISE * noise, off.shape)
    most: Array = np.maximum(pixels, _to_pixels(tiles, off.shape)).astype(np.float32)
    return most


def _of_tiles(numbers: Array, what: Callable[..., Array]) -> Array:
    """The mean or the largest of each tile, (height, width, 3) by TILE; those at the edges are filled up."""
    height, width = numbers.shape[:2]
    filled = np.pad(numbers, ((0, -height % TILE), (0, -width % TILE), (0, 0)), mode="edge")
    found: Array = what(filled.reshape(-(-height // TILE), TILE, -(-width // TILE), TILE, 3), axis=(1, 3))
    return found


def _to_pixels(tiles: Array, shape: tuple[int, ...]) -> Array:
    found: Array = np.repeat(np.repeat(tiles, TILE, axis=0), TILE, axis=1)
    return found[: shape[0], : shape[1]]


def _kept(differs: Array, fewest: int, stark: float) -> Mask:
    """The pixels that differ: enough of them beside each other, or very different ones."""
    from scipy import ndimage  # slow to import, seldom needed

    mask = differs > 1
    if not mask.any():
        return mask
    labels, count = ndimage.label(mask, np.ones((3, 3)))
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    peaks = np.asarray(ndimage.maximum(differs, labels, np.arange(count + 1)))
    kept = (sizes >= fewest) | (peaks > stark)
    kept[0] = False
    return np.asarray(kept[labels])


def _boxes(mask: Mask) -> tuple[Place, ...]:
    """Boxes around the largest parts of what differs; parts that nearly touch are one."""
    from scipy import ndimage  # slow to import, seldom needed

    reach = max(1, max(mask.shape) // 60)
    labels, _ = ndimage.label(ndimage.maximum_filter(mask, 2 * reach + 1))
    height, width = mask.shape
    boxes = [
        Place(
            across.start / width,
            down.start / height,
            (across.stop - across.start) / width,
            (down.stop - down.start) / height,
        )
        for down, across in (found for found in ndimage.find_objects(labels * mask) if found is not None)
    ]
    return tuple(sorted(boxes, key=lambda box: -box.width * box.height)[:MOST_BOXES])


class _Looks:
    """What a difference looks like."""

    def __init__(
        self, mask: Mask, seen: Array, light: Pixels, placement: Placement, made: Made, coding: Coding
    ) -> None:
        self._mask, self._made, self._coding = mask, made, coding
        self._tolerance = 3 * coding.step
        lit, _ = _at(light, placement, seen.shape[:2], reach=0)
        self._peaks = lit[..., :3].max(axis=2)
        places = np.flatnonzero(mask)
        some = places[np.linspace(0, len(places) - 1, min(len(places), LOOKED_AT)).astype(int)]
        self._light = lit.reshape(-1, lit.shape[2])[some][np.newaxis]
        self._seen = seen.reshape(-1, 3)[some]

    def told(self) -> tuple[str, dict[str, float]]:
        """A key of LOOKS, with its numbers."""
        mask = self._mask
        bright = self._peaks[mask]
        level = float(np.percentile(bright, 5))
        above = self._peaks >= level
        is_of_the_bright = above.mean() < 0.5 and mask[above].mean() > EXPLAINS
        if is_of_the_bright and (self._seen <= self._tolerance).all(axis=1).mean() > EXPLAINS:
            return BLACK, {"level": level}
        if is_of_the_bright and (cut := self._cut(level)) is not None:
            return CUT, {"level": cut}
        if mask.sum() <= FEWEST:
            return SINGLE, {}
        if (stops := self._stops()) is not None:
            return EXPOSED, {"stops": stops}
        if is_of_the_bright:
            return COMPRESSED, {"level": level}
        rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
        box = (rows[-1] - rows[0] + 1) * (columns[-1] - columns[0] + 1)
        if mask.sum() > 0.4 * box and box < 0.6 * mask.size:
            return COVERED, {}
        return SCATTERED, {"most": float(self._off(self._light).max())}

    def _off(self, light: Pixels) -> Array:
        """How far what differs is from what other light would give, (n,)."""
        numbers = self._made.numbers(light, clips=self._coding.clips)[0]
        apart = np.abs(numbers - self._seen).max(axis=1)
        if self._coding.linear:
            apart = apart / np.maximum(np.abs(numbers).max(axis=1), LEAST_LIGHT)
        return np.asarray(apart)

    def _cut(self, level: float) -> float | None:
        """The level at which light must be cut for what differs to be right; None where none makes it so."""

        def off(stops: float) -> Array:
            cut = np.minimum(self._light[..., :3], np.float32(level * 2.0**stops))
            return self._off(_with_colour(self._light, cut))

        found = self._best(off, np.arange(-4.0, 1.01, 0.1))
        return None if found is None else level * 2.0**found

    def _stops(self) -> float | None:
        """The stops by which light must be brighter for what differs to be right; None where none makes it so."""

        def off(stops: float) -> Array:
            return self._off(_with_colour(self._light, self._light[..., :3] * np.float32(2.0**stops)))

        found = self._best(off, EXPOSURES)
        return None if found is None or abs(found) < LEAST_STOPS else found

    def _best(self, off: Callable[[float], Array], tried: NDArray[np.float64]) -> float | None:
        """The number by which most of what differs is explained."""
        from scipy.optimize import minimize_scalar  # slow to import, seldom needed

        def cost(value: float) -> float:
            return float(np.median(off(value)))

        start, width = min(tried.tolist(), key=cost), float(tried[1] - tried[0])
        found = float(minimize_scalar(cost, bounds=(start - width, start + width), options={"xatol": 1e-3}).x)
        is_right = off(found) < np.maximum(self._tolerance, STILL_OFF * self._off(self._light))
        return found if is_right.mean() > EXPLAINS else None


def _with_colour(light: Pixels, colour: Array) -> Pixels:
    changed = light.copy()
    changed[..., :3] = colour
    return changed
