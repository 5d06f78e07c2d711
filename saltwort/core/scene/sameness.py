"""The classic test: does a swatch give the same picture as a texture with the same values?"""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.engine.processors import is_linear
from saltwort.core.engine.typed import code_values, typed_in
from saltwort.core.scene.rig.bodies import Array, Ids
from saltwort.core.scene.rig.stage import Input, body_names
from saltwort.core.spaces.typed import Triple, TypedColour

SAME = 0.01
"""Relative difference below which two colours are one: a step of 8 bits, encoded, is 0.009 at middle grey."""


@dataclass(frozen=True)
class Sample:
    """One of the three: the numbers it holds with their space, whether they were decoded on the way, and the light in
    the working space that came of it. `rendered` is the base colour that the renderer saw on its ball."""

    name: str
    space: str
    numbers: Triple
    decoded: bool
    light: Triple
    rendered: Triple


@dataclass(frozen=True)
class Sameness:
    """A swatch and a texel beside each other, whether they are the same, and if not, why."""

    samples: tuple[Sample, ...]
    same: bool
    says: str


def same_colour(config: ocio.Config, swatch: TypedColour, ball: Input, albedo: Array, bodies: Ids) -> Sameness:
    """Compare the swatch ball with the texture ball. `albedo`, (3, height, width), and `bodies` are those of a picture
    of the rig; the texel is the mean of the texture."""
    red, green, blue = ball.pixels.reshape(-1, 3).mean(axis=0, dtype=np.float64).tolist()
    texel = (red, green, blue)
    typed_space = swatch.space if not swatch.is_colorimetric else f"{swatch.unit}, no space"
    samples = (
        Sample(
            "swatch",
            typed_space,
            code_values(config, swatch),
            _is_decoded(config, swatch.space) and not swatch.is_colorimetric,
            typed_in(config, swatch, ocio.ROLE_SCENE_LINEAR),
            _on("swatch ball", albedo, bodies),
        ),
        Sample(
            "texture",
            ball.space,
            texel,
            _is_decoded(config, ball.space),
            apply_to_colour(space_processor(config, ball.space, ocio.ROLE_SCENE_LINEAR), texel),
            _on("texture ball", albedo, bodies),
        ),
    )
    first, second = (np.array(sample.rendered) for sample in samples)
    same = bool(np.all(np.abs(first - second) <= SAME * np.maximum(np.abs(first), np.abs(second)) + 1e-4))
    return Sameness(samples, same, _reason(*samples, same=same))


def _is_decoded(config: ocio.Config, space: str) -> bool:
    found = config.getColorSpace(space)
    return found is not None and not found.isData() and not is_linear(config, space)


def _on(body: str, albedo: Array, bodies: Ids) -> Triple:
    """The base colour of a body in a picture, the median so that its edges do not count; zero where it is not seen."""
    here = bodies == body_names().index(body)
    if not here.any():
        return 0.0, 0.0, 0.0
    red, green, blue = np.median(albedo[:, here], axis=1).tolist()
    return red, green, blue


def _reason(swatch: Sample, texture: Sample, *, same: bool) -> str:
    if same:
        return "Swatch and texture give the same surface."
    alike = np.allclose(swatch.numbers, texture.numbers, atol=2 / 255)
    if not alike:
        return "They hold different numbers, so they are different colours, whatever space they are read in."
    if swatch.decoded and not texture.decoded:
        return f"The swatch was decoded, the texture was not: {texture.space} takes its numbers for light."
    if texture.decoded and not swatch.decoded:
        return f"The texture was decoded, the swatch was not: {swatch.space} takes its numbers for light."
    return f"Both hold the same numbers, but {swatch.space} and {texture.space} mean different colours by them."
