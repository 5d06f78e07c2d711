"""Light that lamps give, and rays drawn towards them."""

import numpy as np
from numpy.typing import NDArray

from saltwort.core.scene.rig.bodies import (
    Array,
    Ball,
    dot,
    normalised,
    surface_of,
)
from saltwort.core.scene.rig.described import Lamp, texels


def emitted_by(lamp: Lamp, origins: Array, ways: Array, distance: Array, hits: NDArray[np.intp]) -> Array:
    """What a lamp sends back along rays that hit it, (bands, hits)."""
    if lamp.emission.shape[1:] == (1, 1):
        return lamp.emission[:, :, 0]
    points = origins[:, hits] + ways[:, hits] * distance[hits]
    return texels(lamp.emission, surface_of(lamp.shape, points).uv)


def draw_ball(ball: Ball, origins: Array, chances: Array) -> tuple[Array, Array, Array]:
    """Ways to a ball from points outside, evenly over the cone it fills; their probability by solid angle, and the
    distance to the ball along each. Probability 0 for points inside."""
    toward = np.array(ball.centre, np.float32)[:, None] - origins
    squared = dot(toward, toward)
    span = _cone(ball, squared)
    cosine = 1 - chances[0] * span
    sine = np.sqrt(np.maximum(1 - cosine * cosine, 0))
    turn = np.float32(2 * np.pi) * chances[1]
    axis = toward / np.sqrt(squared)
    flat = np.abs(axis[1]) < np.float32(0.9)
    helper = np.where(flat, np.array([[0], [1], [0]], np.float32), np.array([[1], [0], [0]], np.float32))
    first = normalised(np.cross(helper, axis, axis=0))
    second = np.cross(axis, first, axis=0)
    ways = sine * np.cos(turn) * first + sine * np.sin(turn) * second + cosine * axis
    half = np.sqrt(squared) * cosine
    reach = half - np.sqrt(np.maximum(np.float32(ball.radius**2) - (squared - half * half), 0))
    outside = squared > ball.radius**2
    density = np.where(outside, 1 / (np.float32(2 * np.pi) * span), 0).astype(np.float32)
    return ways.astype(np.float32), density, reach * np.float32(0.999)


def ball_density(ball: Ball, origins: Array) -> Array:
    """The probability, by solid angle, with which `draw_ball` draws a way that hits."""
    toward = np.array(ball.centre, np.float32)[:, None] - origins
    return np.asarray(1 / (np.float32(2 * np.pi) * _cone(ball, dot(toward, toward))), np.float32)


def _cone(ball: Ball, squared: Array) -> Array:
    """1 − cosine of half the angle that a ball fills, from squared distances to its centre; exact for small balls."""
    sine = np.minimum(np.float32(ball.radius**2) / squared, np.float32(1))
    return np.asarray(np.maximum(sine / (1 + np.sqrt(1 - sine)), np.float32(1e-9)))
