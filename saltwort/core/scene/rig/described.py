"""What light is traced through: bodies with their materials, lamps, and a camera."""

from dataclasses import dataclass

import numpy as np

from saltwort.core.scene.rig.bodies import (
    Array,
    Ball,
    Point,
    Shape,
)
from saltwort.core.scene.rig.environment import Environment


@dataclass(frozen=True)
class Material:
    """What a body is made of. Maps have the shape (components, height, width), and one texel where it is the same all
    over: base colour in bands, roughness and metalness on 0–1, tangent-space normals of length 1."""

    base: Array
    roughness: Array
    metalness: Array
    normals: Array | None = None


@dataclass(frozen=True)
class Body:
    """A shape of a material."""

    name: str
    shape: Shape
    material: Material


@dataclass(frozen=True)
class Lamp:
    """A ball that shines with `emission`, a map in bands, into the light layer `layer`, and reflects nothing."""

    name: str
    shape: Ball
    emission: Array
    layer: int


@dataclass(frozen=True)
class Camera:
    """An eye that looks along z; `width_at_one` is how wide the picture is one metre away, `shift` how far its middle
    lies above the eye there."""

    eye: Point
    width_at_one: float
    shift: float = 0.0


@dataclass(frozen=True)
class Stage:
    """All that is rendered. Light from the environment falls in layer 0. `backplate`, (bands, height, width), stands
    behind all bodies for the camera alone, in the last layer."""

    bands: int
    layers: tuple[str, ...]
    bodies: list[Body | Lamp]
    camera: Camera
    environment: Environment | None = None
    backplate: Array | None = None

    @property
    def shapes(self) -> list[Shape]:
        return [body.shape for body in self.bodies]

    @property
    def lamps(self) -> list[tuple[int, Lamp]]:
        """The lamps with their numbers among the bodies."""
        return [(number, body) for number, body in enumerate(self.bodies) if isinstance(body, Lamp)]


def texels(texture: Array, uv: Array) -> Array:
    """The texels at coordinates, (components, n); the texture repeats, v grows from its lowest row."""
    components, height, width = texture.shape
    if height == width == 1:
        return np.broadcast_to(texture[:, :, 0], (components, uv.shape[1]))
    column = np.minimum(((uv[0] - np.floor(uv[0])) * width).astype(np.intp), width - 1)
    row = np.minimum(((1 - (uv[1] - np.floor(uv[1]))) * height).astype(np.intp), height - 1)
    return np.asarray(texture.reshape(components, -1)[:, row * width + column])
