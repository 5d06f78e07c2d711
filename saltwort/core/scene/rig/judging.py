"""Pictures of the rig beside each other: two working spaces, and each beside spectra."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.scene.rig.bands import Bands, RgbBands, SideBySide, SpectralBands
from saltwort.core.scene.rig.bodies import Array, Ids
from saltwort.core.scene.rig.mixing import mixed
from saltwort.core.scene.rig.stage import LAYERS, Rig, body_names, build_stage, light_colours
from saltwort.core.scene.rig.tracing import trace
from saltwort.core.spaces.difference import delta_e_2000

Xyz = NDArray[np.float64]

SPOT = 16
"""Pixels along the side of a spot in which the worst difference is looked for."""
SPOTS = 5
DARK = 1e-4
"""Luminance below which nothing is judged: nobody sees it."""


@dataclass(frozen=True)
class Judged:
    """ΔE 2000 of a part of a picture: the mean, and the worst of the 99 % that differ least, so that it is no single
    pixel; `pixels` that were judged."""

    name: str
    mean: float
    worst: float
    pixels: int


@dataclass(frozen=True)
class Spot:
    """A place where two pictures differ most, with the body that is seen there."""

    x: int
    y: int
    difference: float
    body: str


@dataclass(frozen=True)
class Difference:
    """Two pictures: ΔE 2000 for each pixel (height, width), in all, by surface, and the worst spots first."""

    map: NDArray[np.float64]
    whole: Judged
    surfaces: tuple[Judged, ...]
    spots: tuple[Spot, ...]


@dataclass(frozen=True)
class SpaceJudged:
    """A working space beside the spectral picture: in all, by surface, and by light alone."""

    space: str
    whole: Judged
    surfaces: tuple[Judged, ...]
    lights: tuple[Judged, ...]


@dataclass(frozen=True)
class SpectralReference:
    """The spectral picture as CIE XYZ under D65, (height, width, 3), and how far each working space is from it, the
    nearest first."""

    picture: Xyz
    spaces: tuple[SpaceJudged, ...]


def difference_of(first: Xyz, second: Xyz, bodies: Ids) -> Difference:
    """How far two pictures are apart, in CIE XYZ under D65 with diffuse white at Y = 1; `bodies` as of Traced.

    ΔE 2000 is made for surfaces below white; for light above it goes on as the formula does, and grows slowly.
    """
    found = _delta_e(first, second)
    seen = np.maximum(first[..., 1], second[..., 1]) > DARK
    surfaces = tuple(
        _judged(name, found[here])
        for number, name in enumerate(body_names())
        if (here := (bodies == number) & seen).any()
    )
    return Difference(found, _judged("picture", found[seen]), surfaces, _spots(found, bodies))


def spectral_reference(
    config: ocio.Config,
    rig: Rig,
    spaces: Sequence[str],
    size: tuple[int, int],
    samples: int,
    progress: Callable[[float], None] | None = None,
) -> SpectralReference:
    """Render the rig with spectra and in each of `spaces` along the same paths of light, and compare.

    What tells them apart is then colour alone: products of three numbers instead of products of spectra. Raises
    BadInput for a space whose numbers the config does not tell.
    """
    spectral = SpectralBands(config)
    parts: list[Bands] = [spectral, *(RgbBands(config, space) for space in spaces)]
    bands = SideBySide(parts)
    traced = trace(build_stage(bands, rig), *size, samples, progress=progress)
    layers = bands.split(traced.layers)
    gains = [light_colours(part, rig) for part in parts]
    reference = _xyz(spectral, mixed(layers[0], gains[0]))
    reference_lights = [_layer_xyz(spectral, layers[0], gains[0], number) for number in range(len(LAYERS))]
    judged = []
    for space, part, light, gain in zip(spaces, parts[1:], layers[1:], gains[1:], strict=True):
        difference = difference_of(_xyz(part, mixed(light, gain)), reference, traced.bodies)
        lights = tuple(
            _judged(name, _delta_e(_layer_xyz(part, light, gain, number), there)[there[..., 1] > DARK])
            for number, (name, there) in enumerate(zip(LAYERS, reference_lights, strict=True))
            if (there[..., 1] > DARK).any()
        )
        judged.append(SpaceJudged(space, difference.whole, difference.surfaces, lights))
    return SpectralReference(reference, tuple(sorted(judged, key=lambda space: space.whole.mean)))


def _layer_xyz(bands: Bands, layers: Array, gains: Array, number: int) -> Xyz:
    return bands.to_xyz(layers[number] * gains[number][:, None, None])


def _xyz(bands: Bands, picture: Array) -> Xyz:
    return bands.to_xyz(np.moveaxis(picture, 2, 0))


def _delta_e(first: Xyz, second: Xyz) -> NDArray[np.float64]:
    return delta_e_2000(first.reshape(-1, 3), second.reshape(-1, 3)).reshape(first.shape[:2])


def _judged(name: str, values: NDArray[np.float64]) -> Judged:
    if not values.size:
        return Judged(name, 0.0, 0.0, 0)
    return Judged(name, float(values.mean()), float(np.percentile(values, 99)), int(values.size))


def _spots(found: NDArray[np.float64], bodies: Ids) -> tuple[Spot, ...]:
    """The squares of SPOT pixels with the largest mean difference, worst first."""
    height, width = (length // SPOT for length in found.shape)
    squares = found[: height * SPOT, : width * SPOT].reshape(height, SPOT, width, SPOT).mean(axis=(1, 3))
    spots = []
    for place in np.argsort(squares, axis=None)[::-1][:SPOTS]:
        row, column = divmod(int(place), width)
        x, y = column * SPOT + SPOT // 2, row * SPOT + SPOT // 2
        body = int(bodies[y, x])
        name = body_names()[body] if body >= 0 else "background"
        spots.append(Spot(x, y, float(squares[row, column]), name))
    return tuple(spots)
