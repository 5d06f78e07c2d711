"""The bodies of a rig: where rays hit them, and how their surfaces lie there."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]
"""float32, all over the rig; the type is wider because NumPy's own types widen with every operation."""
Ids = NDArray[np.int16]
Point = tuple[float, float, float]

NEAREST = 1e-4
"""Metres; a hit closer than this is the surface that the ray starts from."""


@dataclass(frozen=True)
class Floor:
    """A level disc around a point, seen from above. Its texture repeats every `repeat` metres."""

    centre: Point
    radius: float
    repeat: float = 2.0


@dataclass(frozen=True)
class Ball:
    """A sphere. Its texture goes round it `turns` times, and half as often from pole to pole."""

    centre: Point
    radius: float
    turns: float = 2.0


@dataclass(frozen=True)
class Box:
    """A box along the axes, by two opposite corners. Each side shows the whole texture."""

    low: Point
    high: Point


Shape = Floor | Ball | Box


@dataclass(frozen=True)
class Surface:
    """A hit surface: points, geometric normals towards the outside, and two tangents along growing u and v, each
    (3, n); texture coordinates (2, n), not wrapped."""

    points: Array
    normals: Array
    along_u: Array
    along_v: Array
    uv: Array


def dot(first: Array, second: Array) -> Array:
    """Products of vectors, (3, n) each, to (n,)."""
    product: Array = first[0] * second[0] + first[1] * second[1] + first[2] * second[2]
    return product


def normalised(vectors: Array) -> Array:
    """Vectors, (3, n), at length 1; zero vectors stay."""
    return vectors / np.sqrt(np.maximum(dot(vectors, vectors), np.float32(1e-30)))


def nearest(shapes: list[Shape], origins: Array, ways: Array) -> tuple[Array, Ids]:
    """Distance to the first body along each ray, infinite where there is none, and its number, −1 for none."""
    count = origins.shape[1]
    distance = np.full(count, np.inf, np.float32)
    body = np.full(count, -1, np.int16)
    inverse = _inverse(ways)
    for number, shape in enumerate(shapes):
        hit = _hit(shape, origins, ways, inverse)
        closer = hit < distance
        np.copyto(distance, hit, where=closer)
        np.copyto(body, np.int16(number), where=closer)
    return distance, body


def is_open(shapes: list[Shape], origins: Array, ways: Array, reach: Array) -> NDArray[np.bool_]:
    """Whether nothing stands within `reach` along each ray."""
    free = np.ones(origins.shape[1], np.bool_)
    inverse = _inverse(ways)
    for shape in shapes:
        free &= _hit(shape, origins, ways, inverse) >= reach
    return free


def _inverse(ways: Array) -> Array:
    return np.float32(1) / np.where(ways == 0, np.float32(1e-12), ways)


def _hit(shape: Shape, origins: Array, ways: Array, inverse: Array) -> Array:
    """Distance to a body along each ray; infinite where it is not hit."""
    if isinstance(shape, Ball):
        return _hit_ball(shape, origins, ways)
    if isinstance(shape, Box):
        return _hit_box(shape, origins, inverse)
    return _hit_floor(shape, origins, ways, inverse)


def _hit_ball(ball: Ball, origins: Array, ways: Array) -> Array:
    x, y, z = (origins[axis] - np.float32(ball.centre[axis]) for axis in range(3))
    half = x * ways[0] + y * ways[1] + z * ways[2]
    # The distance of the centre from the ray, squared: exact also for small balls far away.
    x -= half * ways[0]
    y -= half * ways[1]
    z -= half * ways[2]
    inside = np.float32(ball.radius**2) - (x * x + y * y + z * z)
    depth = np.sqrt(np.maximum(inside, 0))
    enter = -half - depth
    leave = depth - half
    hit = np.where(enter > NEAREST, enter, leave)
    return np.where((inside > 0) & (hit > NEAREST), hit, np.float32(np.inf))


def _hit_box(box: Box, origins: Array, inverse: Array) -> Array:
    enter, leave = np.full(1, -np.inf, np.float32), np.full(1, np.inf, np.float32)
    for axis in range(3):
        first = (np.float32(box.low[axis]) - origins[axis]) * inverse[axis]
        second = (np.float32(box.high[axis]) - origins[axis]) * inverse[axis]
        enter = np.maximum(enter, np.minimum(first, second))
        leave = np.minimum(leave, np.maximum(first, second))
    hit = np.where(enter > NEAREST, enter, leave)
    return np.where((enter <= leave) & (hit > NEAREST), hit, np.float32(np.inf))


def _hit_floor(floor: Floor, origins: Array, ways: Array, inverse: Array) -> Array:
    along = (np.float32(floor.centre[1]) - origins[1]) * inverse[1]
    x = origins[0] + along * ways[0] - np.float32(floor.centre[0])
    z = origins[2] + along * ways[2] - np.float32(floor.centre[2])
    return np.where((along > NEAREST) & (x * x + z * z < floor.radius**2), along, np.float32(np.inf))


def surface_of(shape: Shape, points: Array) -> Surface:
    """How a body's surface lies at points on it."""
    if isinstance(shape, Ball):
        return _ball_surface(shape, points)
    if isinstance(shape, Box):
        return _box_surface(shape, points)
    return _floor_surface(shape, points)


def _ball_surface(ball: Ball, points: Array) -> Surface:
    normals = normalised(points - _column(ball.centre))
    across = np.sqrt(np.maximum(1 - normals[1] ** 2, np.float32(1e-12)))
    along_u = np.stack([-normals[2] / across, np.zeros_like(across), normals[0] / across])
    along_v = np.cross(normals, along_u, axis=0).astype(np.float32)
    turn = np.arctan2(normals[2], normals[0]) / np.float32(2 * np.pi)
    height = np.arcsin(np.clip(normals[1], -1, 1)) / np.float32(np.pi)
    uv = np.stack([(turn + 0.5) * ball.turns, (height + 0.5) * ball.turns / 2]).astype(np.float32)
    return Surface(points, normals, along_u, along_v, uv)


def _floor_surface(floor: Floor, points: Array) -> Surface:
    uv = points[[0, 2]] / np.float32(floor.repeat)
    count = points.shape[1]
    return Surface(points, _same((0, 1, 0), count), _same((1, 0, 0), count), _same((0, 0, 1), count), uv)


def _box_surface(box: Box, points: Array) -> Surface:
    low, high = _column(box.low), _column(box.high)
    local = (points - low) / (high - low)
    side = np.abs(local - np.float32(0.5)).argmax(axis=0)
    sign = np.where(np.take_along_axis(local, side[None], 0)[0] > 0.5, np.float32(1), np.float32(-1))
    frames = np.eye(3, dtype=np.float32)
    normals = frames[:, side] * sign
    across, up = np.where(side == 0, 2, 0), np.where(side == 1, 2, 1)
    columns = np.arange(points.shape[1])
    uv = np.stack([local[across, columns], local[up, columns]])
    return Surface(points, normals, frames[:, across], frames[:, up], uv)


def _column(point: Point) -> Array:
    return np.array(point, np.float32)[:, None]


def _same(vector: Point, count: int) -> Array:
    return np.broadcast_to(_column(vector), (3, count))
