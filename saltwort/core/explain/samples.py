"""Pairs of numbers from a picture and the light that it should show: a few thousand, where neither changes much."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.alignment import Placement, flipped
from saltwort.core.images.reading import Pixels

COUNT = 2_400
LOOKED_AT = 40_000
FLAT = 0.4
"""The flattest part of the places looked at, where scaling and compression change least."""


@dataclass(frozen=True, eq=False)
class Samples:
    """Light in the working space, (n, 4) with alpha, and the numbers of the picture there, (n, 3)."""

    light: NDArray[np.float32]
    numbers: NDArray[np.float32]

    def some(self, count: int) -> "Samples":
        """About `count` of them, evenly."""
        step = max(1, len(self.light) // count)
        return Samples(self.light[::step], self.numbers[::step])


def sampled(light: Pixels, picture: Pixels, placement: Placement, looked_at: int = LOOKED_AT) -> Samples:
    """Samples of a picture, (height, width, 3 or 4), that lies in light, (height, width, 3 or 4), as placed: as many of
    the dark, the bright and the saturated as there are, in places where both are flat, of so many `looked_at`."""
    picture = flipped(picture, placement.flip)
    height, width = picture.shape[:2]
    radius = max(1, round(1 / placement.scale[0]))
    chance = np.random.default_rng(5)
    x = chance.integers(radius, max(radius + 1, width - radius), looked_at)
    y = chance.integers(radius, max(radius + 1, height - radius), looked_at)
    at_x, at_y = placement.at(x.astype(float), y.astype(float))
    reach = max(1, int(np.ceil(placement.scale[0])))
    inside = (
        (at_x >= reach) & (at_x < light.shape[1] - reach - 1) & (at_y >= reach) & (at_y < light.shape[0] - reach - 1)
    )
    x, y, at_x, at_y = x[inside], y[inside], at_x[inside], at_y[inside]
    seen, rough = _around(picture[..., :3], x, y, radius)
    lit, uneven = _around(light[..., :4], np.round(at_x).astype(int), np.round(at_y).astype(int), reach)
    if lit.shape[1] == 3:
        lit = np.concatenate([lit, np.ones_like(lit[:, :1])], axis=1)
    rank = np.argsort(np.argsort(rough)) + np.argsort(np.argsort(uneven))
    flat = np.flatnonzero(rank <= np.quantile(rank, FLAT)) if len(rank) else rank
    kept = flat[_spread(lit[flat])]
    return Samples(lit[kept].astype(np.float32), seen[kept].astype(np.float32))


def _around(
    pixels: Pixels, x: NDArray[np.int64], y: NDArray[np.int64], radius: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Means of the squares around places, and how much they differ within, as a part of their brightness."""
    steps = range(-radius, radius + 1, max(1, radius // 2))
    total = np.zeros((len(x), pixels.shape[-1]))
    squares = np.zeros(len(x))
    bright = np.zeros(len(x))
    count = 0
    for down in steps:
        for across in steps:
            found = np.nan_to_num(pixels[y + down, x + across].astype(np.float64), posinf=0, neginf=0)
            value = found[:, :3].sum(axis=1)
            total += found
            bright += value
            squares += value**2
            count += 1
    mean = bright / count
    spread = np.sqrt(np.maximum(squares / count - mean**2, 0)) / (np.abs(mean) + 0.02)
    return total / count, spread


def _spread(light: NDArray[np.float64]) -> NDArray[np.int64]:
    """Which of many to keep so that each brightness and each strength of colour is there about as often."""
    if len(light) <= COUNT:
        return np.arange(len(light))
    peak = np.maximum(light[:, :3].max(axis=1), 1e-5)
    stops = np.clip(np.round(2 * np.log2(peak)), -24, 16).astype(int)
    strength = np.clip(np.round(4 * (1 - light[:, :3].min(axis=1) / peak)), 0, 6).astype(int)
    cell = stops * 10 + strength
    _, inverse, counts = np.unique(cell, return_inverse=True, return_counts=True)
    weight = 1 / np.sqrt(counts[inverse])
    chosen = np.random.default_rng(6).choice(len(light), COUNT, replace=False, p=weight / weight.sum())
    return np.asarray(np.sort(chosen))
