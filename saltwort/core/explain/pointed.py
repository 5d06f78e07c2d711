"""What colours that are known say of a picture without its render: swatches of the project, pointed at in it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.chains import FITTING, Deviation
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.samples import Samples
from saltwort.core.explain.search import Search

DARKEST, BRIGHTEST, STEP = -8.0, 6.0, 0.25
"""Stops of light that may fall on a swatch, of which the picture says nothing, and how finely they are tried first."""
FINER = 25
"""Stops between two of these, once the best is known."""


@dataclass(frozen=True)
class Pointed:
    """One way in which the swatches may have come to look so: the deviation, None for as expected, the light on each
    in stops, and by how many steps of the coding the worst of them is off."""

    deviation: Deviation | None
    stops: tuple[float, ...]
    off: float


def by_swatches(
    scene: Scene, swatches: NDArray[np.float32], seen: NDArray[np.float32], step: float, *, is_clipped: bool
) -> list[Pointed]:
    """The ways that explain how swatches look, the best first: each lit by white light of any brightness. `swatches`
    are surfaces in the working space and `seen` what the picture has there, both (n, 3). One swatch alone leaves much
    open; few ways explain three."""
    samples = Samples(np.concatenate([swatches, np.ones_like(swatches[:, :1])], axis=1), seen)
    search = Search(scene, samples, step, is_clipped=is_clipped)
    ways = [None, *search.plain()]
    found = [_lit(search, samples, way) for way in ways]
    return sorted((each for each in found if each.off <= FITTING), key=lambda each: each.off)


def _lit(search: Search, samples: Samples, way: Deviation | None) -> Pointed:
    """The light on each swatch that comes nearest."""
    count = len(samples.light)
    stops = np.repeat(np.arange(DARKEST, BRIGHTEST, STEP)[np.newaxis], count, axis=0)
    off = _off(search, samples, way, stops)
    best = np.take_along_axis(stops, off.argmin(axis=1)[:, np.newaxis], axis=1)
    stops = best + np.linspace(-STEP, STEP, FINER)[np.newaxis]
    off = _off(search, samples, way, stops)
    best = np.take_along_axis(stops, off.argmin(axis=1)[:, np.newaxis], axis=1)[:, 0]
    return Pointed(way, tuple(float(each) for each in best), float(off.min(axis=1).max()))


def _off(search: Search, samples: Samples, way: Deviation | None, stops: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far each swatch is off at each of some stops, both (n, tried)."""
    count, tried = stops.shape
    light = np.repeat(samples.light[:, np.newaxis], tried, axis=1)
    light[..., :3] *= (2.0**stops)[..., np.newaxis].astype(np.float32)
    numbers = np.repeat(samples.numbers[:, np.newaxis], tried, axis=1)
    lit = Samples(light.reshape(-1, 4), numbers.reshape(-1, 3))
    return search.chain((way,) if way else (), lit).off.reshape(count, tried)
