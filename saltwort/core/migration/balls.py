"""The materials of a scene on balls, rendered before and after a migration by the bench renderer."""

from dataclasses import dataclass, replace

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import encode_png
from saltwort.core.migration.graph import LIGHT, Node
from saltwort.core.migration.plan import Draft, Progress
from saltwort.core.migration.readings import Reading, light_of, to_xyz
from saltwort.core.migration.uses import plain_name
from saltwort.core.scene.rig.bands import RgbBands
from saltwort.core.scene.rig.bodies import Ball, Floor
from saltwort.core.scene.rig.described import Body, Camera, Lamp, Material, Stage
from saltwort.core.scene.rig.environment import Environment
from saltwort.core.scene.rig.mixing import mixed
from saltwort.core.scene.rig.tracing import trace
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.spaces.gamuts import D65, solve, xy_to_xyz

Array = NDArray[np.float64]
WHITE = xy_to_xyz(D65)
LARGEST_DIFFERENCE = 20.0
"""ΔE that is white in the picture of differences."""
MOST = 12
SIZE = (480, 216)
ACROSS = 6
DARK = 1e-4
_BASE = (
    "diffusecolor",
    "base_color",
    "basecolor",
    "basecolorfactor",
    "basecolortexture",
    "albedo",
    "diffuse_color",
    "diffuse",
    "color",
    "colour",
    "base",
)


@dataclass(frozen=True)
class BallsBeside:
    """The balls before and after, in CIE XYZ under D65, (height, width, 3), with the ΔE 2000 of each pixel; `names` are
    the materials in the order of the balls, from the left, the lower row first."""

    before: Array
    after: Array
    difference: Array
    names: tuple[str, ...]

    @property
    def mean(self) -> float:
        return float(self.difference[self._seen].mean()) if self._seen.any() else 0.0

    @property
    def worst(self) -> float:
        """Of the 99 % that differ least, so that it is no single pixel."""
        return float(np.percentile(self.difference[self._seen], 99)) if self._seen.any() else 0.0

    @property
    def _seen(self) -> NDArray[np.bool_]:
        return np.maximum(self.before[..., 1], self.after[..., 1]) > DARK


@dataclass(frozen=True)
class _Covering:
    name: str
    before: Array
    after: Array


def balls_beside(
    draft: Draft, size: tuple[int, int] = SIZE, samples: int = 10, progress: Progress | None = None
) -> BallsBeside | None:
    """Up to MOST materials of the scene on balls; None where it has no material with a colour. The picture before is
    rendered in the scene's old working space, that after in the new one: both at once, along the same paths."""
    coverings = _coverings(draft)[:MOST]
    if not coverings:
        return None
    spaces = [(each.before.working, each.reading.working) for each in draft.colours]
    spaces += [(each.before.working, each.reading.working) for each in draft.pictures]
    old, new = (RgbBands(draft.config, space) for space in spaces[0])
    stage = _stage(old, new, coverings)

    def told(share: float) -> None:
        if progress:
            progress(share, "Rendering the materials")

    traced = trace(stage, *size, samples, progress=told)
    light = np.moveaxis(mixed(traced.layers, np.ones((len(stage.layers), stage.bands), np.float32)), 2, 0)
    before, after = old.to_xyz(light[: old.count]), new.to_xyz(light[old.count :])
    off = delta_e_2000(before.reshape(-1, 3), after.reshape(-1, 3)).reshape(before.shape[:2])
    return BallsBeside(before, after, off, tuple(each.name for each in coverings))


def _coverings(draft: Draft) -> list[_Covering]:
    """A base colour for each material, as XYZ maps, (height, width, 3), before and after."""
    found: dict[tuple[str, str], _Covering] = {}
    for picture in draft.pictures:
        for way in picture.use.ways:
            if _is_base(way.input) and way.end.sort != LIGHT:
                files = draft.scene.files_of(picture.use)
                survey = draft.survey(files[0]) if files else None
                if survey is not None:
                    key = (picture.use.document, _material(way.end))
                    # What was converted on disk still means what it meant in its old space.
                    reading = picture.reading
                    if picture.converting:
                        reading = replace(reading, space=picture.converting.source_space)
                    before = _map(draft.config, picture.before, survey.thumbnail)
                    after = _map(draft.config, reading, survey.thumbnail)
                    found.setdefault(key, _Covering(key[1], before, after))
    for colour in draft.colours:
        key = (colour.use.document, _material(colour.use.node))
        if colour.use.role == "surface" and _is_base(colour.use.input) and key not in found:
            width = colour.use.width
            before = _map(draft.config, colour.before, np.array(colour.use.values[:width])[None, None, :3])
            after = _map(draft.config, colour.reading, np.array(colour.values[:width])[None, None, :3])
            found[key] = _Covering(key[1], before, after)
    return list(found.values())


def _is_base(name: str) -> bool:
    return plain_name(name).lower() in _BASE


def _material(node: Node) -> str:
    parts = node.path.strip("/").split("/")
    return parts[-2] if len(parts) > 1 and not node.path.startswith("materials/") else node.name


def _map(config: ocio.Config, reading: Reading, pixels: NDArray[np.floating]) -> Array:
    height, width = pixels.shape[:2]
    numbers = np.nan_to_num(pixels.reshape(-1, pixels.shape[2]).astype(np.float64))[:, :3]
    return light_of(config, reading, numbers).reshape(height, width, 3)


def _stage(old: RgbBands, new: RgbBands, coverings: list[_Covering]) -> Stage:
    """Balls in two rows on a floor, under a dome and a key light of the daylight that is white here: in the bands of
    the old working space, then in those of the new one."""

    def in_bands(before: Array, after: Array) -> NDArray[np.float32]:
        parts = [solve(bands.matrix, xyz.reshape(-1, 3).T) for bands, xyz in ((old, before), (new, after))]
        return np.concatenate(parts, dtype=np.float32).reshape(-1, *before.shape[:2])

    def material(covering: _Covering) -> Material:
        base = in_bands(covering.before, covering.after)
        return Material(np.clip(base, 0, np.float32(0.98)), _level(0.5), _level(0))

    white = in_bands(WHITE.reshape(1, 1, 3), WHITE.reshape(1, 1, 3))
    grey = Material(white * np.float32(0.18), _level(0.9), _level(0))
    bodies: list[Body | Lamp] = [Body("floor", Floor((0, 0, 6), 16, 3.0), grey)]
    for number, covering in enumerate(coverings):
        column, row = number % ACROSS, number // ACROSS
        in_row = min(ACROSS, len(coverings) - row * ACROSS)
        x = (column - (in_row - 1) / 2) * 0.95
        bodies.append(Body(str(number), Ball((x, 0.42 + row * 0.15, 5.0 + row * 1.1), 0.42), material(covering)))
    key = Ball((-3.0, 4.0, 1.5), 0.55)
    bodies.append(Lamp("key", key, emission=white * np.float32(60), layer=1))
    height = (np.arange(64, dtype=np.float32) + 0.5) / 64 * np.float32(np.pi)
    fall = np.repeat((0.25 + 0.25 * np.cos(height))[:, None], 128, axis=1)
    dome = Environment(white * fall, fall)
    return Stage(old.count + new.count, ("environment", "key"), bodies, Camera((0, 1.5, -1.2), 1.0, -0.16), dome)


def _level(value: float) -> NDArray[np.float32]:
    return np.full((1, 1, 1), value, np.float32)


def pictures_of(config: ocio.Config, working: str, balls: BallsBeside) -> dict[str, bytes]:
    """The balls before and after through the config's first view, and the differences as grey, as PNG."""
    display = config.getDefaultDisplay()
    processor = view_processor(config, working, ViewChoice(display, config.getDefaultView(display)))
    from_xyz = to_xyz(config, working)
    found = {}
    for name, picture in (("before", balls.before), ("after", balls.after)):
        light = solve(from_xyz, picture.reshape(-1, 3).T).T.reshape(picture.shape)
        codes = apply(processor, np.ascontiguousarray(light, np.float32))
        found[name] = encode_png(np.clip(np.nan_to_num(codes), 0, 1))
    found["difference"] = differences_as_grey(balls.difference)
    return found


def differences_as_grey(difference: Array) -> bytes:
    """ΔE of each pixel as a PNG, white at LARGEST_DIFFERENCE."""
    grey = np.clip(difference / LARGEST_DIFFERENCE, 0, 1).astype(np.float32)
    return encode_png(np.repeat(grey[..., None], 3, axis=2))
