"""The rig itself: its bodies, what they are made of, and where its lights stand.

Metres, x to the right, y up, z away from the eye. Its middle is where the balls stand.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.processors import is_linear
from saltwort.core.engine.typed import code_values
from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.scene.decisions import LIGHTS, Light
from saltwort.core.scene.rig import chart
from saltwort.core.scene.rig.bands import Carried
from saltwort.core.scene.rig.bodies import Array, Ball, Box, Floor
from saltwort.core.scene.rig.described import Body, Camera, Lamp, Material, Stage
from saltwort.core.scene.rig.environment import Environment
from saltwort.core.spaces.typed import TypedColour

LAYERS = (*LIGHTS, "backplate")
MIDDLE = (-0.3, 0.5, 5.0)
CAMERA = Camera(eye=(0.0, 1.35, -1.6), width_at_one=1.06, shift=-0.075)
MIDDLE_GREY = TypedColour("", "xyY", "0.3127 0.329 0.18")
LARGEST_MAP = 256
LARGEST_ENVIRONMENT = 512
"""Pixels on the longest side of what lies on the rig; larger pictures are reduced."""

COLOUR, LIGHT, DATA = "colour", "light", "data"


@dataclass(frozen=True)
class Slot:
    """A place on the rig for a texture: what it is, the group of map kinds that fits, and for a colour what is there
    without one, as xyY."""

    name: str
    label: str
    group: str
    without: str = ""


SLOTS = {
    slot.name: slot
    for slot in (
        Slot("environment", "Environment", LIGHT),
        Slot("backplate", "Backplate", LIGHT),
        Slot("ball", "Texture ball", COLOUR),
        Slot("stone", "Quay stone", COLOUR, "0.334 0.345 0.13"),
        Slot("stone-roughness", "Quay stone, roughness", DATA),
        Slot("stone-normals", "Quay stone, normals", DATA),
        Slot("brass", "Brass of the lamp", COLOUR, "0.412 0.413 0.37"),
        Slot("brass-roughness", "Brass, roughness", DATA),
        Slot("enamel", "Enamel of the lamp", COLOUR, "0.236 0.319 0.12"),
        Slot("glass", "Amber glass, glow", COLOUR, "0.545 0.42 0.35"),
    )
}


@dataclass(frozen=True)
class Input:
    """A picture on the rig, float32 (height, width, 3) as stored, and the space it is read in."""

    path: str
    space: str
    pixels: Pixels


@dataclass(frozen=True)
class Rig:
    """All that the rig is given: the swatch of the swatch ball, inputs by slot, lights with colours of their own, and
    typed colours by slot, where a material is given one. The texture ball needs an input; other slots may be empty."""

    swatch: TypedColour
    inputs: Mapping[str, Input]
    lights: tuple[Light, ...]
    colours: Mapping[str, TypedColour] = field(default_factory=dict)


def ball_texture(config: ocio.Config, swatch: TypedColour) -> tuple[str, Pixels]:
    """The texture with the same values as a swatch, of one colour, and the path it would be kept under: 8-bit steps in
    a PNG for an encoded space, halves in an EXR for a linear one."""
    values = np.array(code_values(config, swatch), np.float32)
    if is_linear(config, swatch.space):
        return "rig/swatch_ball_basecolor.exr", values.astype(np.float16).astype(np.float32).reshape(1, 1, 3)
    steps = np.round(np.clip(values, 0, 1) * 255) / 255
    return "rig/swatch_ball_basecolor.png", steps.astype(np.float32).reshape(1, 1, 3)


def light_colours(bands: Carried, rig: Rig) -> Array:
    """What each layer of `build_stage` is multiplied by to be lit as the rig says: (layers, bands). The backplate is a
    picture, and stays."""
    gains = [bands.of_typed_light(light.colour) * np.float32(light.gain) for light in rig.lights]
    return np.stack([*gains, np.ones(bands.count, np.float32)])


def build_stage(bands: Carried, rig: Rig) -> Stage:
    """The rig in some bands, with every light white and at its full: layers of LAYERS. Raises BadInput, naming it, for
    an input that cannot be read."""
    materials = {
        "stone": Material(
            _colour(bands, rig, "stone"), _data(rig, "stone-roughness", 0.75), _level(0), _normals(rig, "stone-normals")
        ),
        "brass": Material(_colour(bands, rig, "brass"), _data(rig, "brass-roughness", 0.3), _level(1)),
        "enamel": Material(_colour(bands, rig, "enamel"), _level(0.25), _level(0)),
        "swatch": Material(_same(bands.of_typed_surface(rig.swatch)), _level(0.5), _level(0)),
        "ball": Material(_colour(bands, rig, "ball"), _level(0.5), _level(0)),
        "grey": Material(_same(bands.of_xyz(_xyz(MIDDLE_GREY))), _level(0.5), _level(0)),
        "mirror": Material(
            _same(bands.of_xyz(_xyz(TypedColour("", "xyY", "0.3127 0.329 0.95")))), _level(0), _level(1)
        ),
        "chart": Material(_chart(bands), _level(0.9), _level(0)),
        "dark": Material(
            _same(bands.of_xyz(_xyz(TypedColour("", "xyY", "0.3127 0.329 0.04")))), _level(0.6), _level(0)
        ),
    }
    white = np.ones((bands.count, 1, 1), np.float32)
    key, flame, marker = (_BALLS[name] for name in LIGHTS[1:])
    bodies: list[Body | Lamp] = [
        Body("quay stone", Floor((0, 0, 6), 16, 3.0), materials["stone"]),
        Body("grey ball", Ball((-2.35, 0.5, 5.0), 0.5), materials["grey"]),
        Body("mirror ball", Ball((-1.2, 0.5, 5.0), 0.5), materials["mirror"]),
        Body("swatch ball", Ball((-0.05, 0.5, 5.0), 0.5), materials["swatch"]),
        Body("texture ball", Ball((1.1, 0.5, 5.0), 0.5), materials["ball"]),
        Body("lamp, foot", Box((2.0, 0, 4.75), (2.6, 0.14, 5.35)), materials["brass"]),
        Body("lamp, cap", Box((2.0, 0.78, 4.75), (2.6, 0.9, 5.35)), materials["brass"]),
        Body("lamp, plate", Box((1.92, 0.05, 5.5), (2.68, 1.15, 5.56)), materials["enamel"]),
        Body("chart", Box((-1.02, 0.0, 3.4), (-0.06, 0.64, 3.44)), materials["chart"]),
        Body("marker, post", Box((-2.9, 0, 7.4), (-2.74, 0.84, 7.56)), materials["dark"]),
        Lamp("key", key, emission=white * _full(key), layer=1),
        Lamp("lamp, glass", flame, emission=_glass(bands, rig) * _full(flame), layer=2),
        Lamp("marker, light", marker, emission=white * _full(marker), layer=3),
    ]
    return Stage(bands.count, LAYERS, bodies, CAMERA, _environment(bands, rig), _backplate(bands, rig))


_BALLS = {
    "key": Ball((-3.6, 4.2, 1.2), 0.55),
    "flame": Ball((2.3, 0.46, 5.05), 0.3, turns=1.0),
    "marker": Ball((-2.82, 0.98, 7.48), 0.14),
}


def body_names() -> tuple[str, ...]:
    """The bodies of the rig, by their number in a picture."""
    return _NAMES


_NAMES = (
    "quay stone",
    "grey ball",
    "mirror ball",
    "swatch ball",
    "texture ball",
    "lamp, foot",
    "lamp, cap",
    "lamp, plate",
    "chart",
    "marker, post",
    "key",
    "lamp, glass",
    "marker, light",
)


def _full(ball: Ball) -> np.float32:
    """The radiance at which a light makes a white card in the middle of the rig, facing it, as bright as 1."""
    squared = sum((place - middle) ** 2 for place, middle in zip(ball.centre, MIDDLE, strict=True))
    return np.float32(squared / ball.radius**2)


def _same(colour: Array) -> Array:
    return colour.reshape(-1, 1, 1)


def _level(value: float) -> Array:
    return np.full((1, 1, 1), value, np.float32)


def _xyz(colour: TypedColour) -> tuple[float, float, float]:
    return colour.values


def _colour(bands: Carried, rig: Rig, name: str) -> Array:
    given = rig.inputs.get(name)
    if given is not None:
        return _finite(bands.of_surface(given.pixels, given.space), given)
    return _same(bands.of_typed_surface(_material_colour(rig, name)))


def _material_colour(rig: Rig, name: str) -> TypedColour:
    return rig.colours.get(name) or TypedColour("", "xyY", SLOTS[name].without)


def _glass(bands: Carried, rig: Rig) -> Array:
    """How much of the flame comes through where: the glow of the glass, at most 1."""
    given = rig.inputs.get("glass")
    if given is None:
        return _same(bands.of_typed_surface(_material_colour(rig, "glass")))
    peak = max(float(np.nanmax(given.pixels)), 1e-6)
    scaled = given.pixels / np.float32(peak) if peak > 1 else given.pixels
    return _finite(bands.of_light(scaled, given.space), given)


def _data(rig: Rig, name: str, without: float) -> Array:
    given = rig.inputs.get(name)
    return _level(without) if given is None else np.clip(given.pixels[None, :, :, 0], 0, 1)


def _normals(rig: Rig, name: str) -> Array | None:
    given = rig.inputs.get(name)
    if given is None:
        return None
    vectors = np.moveaxis(given.pixels, 2, 0) * 2 - 1
    length = np.sqrt((vectors**2).sum(axis=0))
    return np.where(length > 1e-3, vectors / np.maximum(length, 1e-3), np.array([0, 0, 1], np.float32)[:, None, None])


def _chart(bands: Carried) -> Array:
    colours = np.stack([bands.of_xyz(patch.xyz) for patch in chart.patches()], axis=1)
    return colours.reshape(bands.count, chart.ROWS, chart.COLUMNS)


def _environment(bands: Carried, rig: Rig) -> Environment:
    given = rig.inputs.get("environment")
    if given is None:
        radiance = bands.of_xyz(_xyz(TypedColour("", "xyY", "0.3127 0.329 1"))).reshape(-1, 1, 1) * _dome()
        return Environment(radiance, _dome())
    return Environment(
        _finite(bands.of_light(given.pixels, given.space), given), np.clip(given.pixels.mean(axis=2), 0, None)
    )


def _dome() -> Array:
    """A neutral sky, brighter overhead and dim below the horizon."""
    fall = (np.arange(64, dtype=np.float32) + 0.5) / 64 * np.float32(np.pi)
    up = np.cos(fall)
    return np.repeat(np.where(up > 0, 0.12 + 0.38 * up, 0.05).astype(np.float32)[:, None], 128, axis=1)


def _backplate(bands: Carried, rig: Rig) -> Array | None:
    given = rig.inputs.get("backplate")
    return None if given is None else _finite(bands.of_light(given.pixels, given.space), given)


def _finite(light: Array, given: Input) -> Array:
    if not np.isfinite(light).all():
        raise BadInput(f"{given.path} holds values that are no numbers. Remove it from the rig, or mend it.")
    return light
