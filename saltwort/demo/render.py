"""The demo's render: the quay at dusk, cast with rays in numpy. Scene-linear ACEScg, with light far above 1.

It stands in for the file an outside renderer would bring. Distances are metres, x to the right, y up, z away.
"""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images import write_image
from saltwort.core.images.writing import Attribute
from saltwort.core.spaces.gamuts import AP1
from saltwort.demo.textures import noise

Array = NDArray[np.float32]

WIDTH, HEIGHT, SAMPLES = 960, 540, 2
EYE = np.array([0.0, 1.35, -1.2], np.float32)
FLAME = np.array([1.15, 1.72, 6.0], np.float32)
FLAME_POWER = np.array([34.0, 12.5, 2.6], np.float32)
MARKER = np.array([4.6, 0.75, 15.0], np.float32)
MARKER_POWER = np.array([0.4, 13.0, 2.2], np.float32)
QUAY_EDGE = 9.0

# Reflectances in ACEScg.
STONE = np.array([0.165, 0.150, 0.135], np.float32)
GREY = np.array([0.18, 0.18, 0.18], np.float32)
BRASS = np.array([0.42, 0.27, 0.09], np.float32)
ENAMEL = np.array([0.073, 0.136, 0.137], np.float32)
BLACK = np.array([0.0, 0.0, 0.0], np.float32)

# (centre, radius, reflectance, share of mirror reflection)
SPHERES = (
    ((-1.25, 0.50, 4.2), 0.50, GREY, 0.0),
    ((-0.10, 0.36, 3.4), 0.36, ENAMEL, 0.06),
    ((2.45, 0.50, 4.6), 0.50, BLACK, 0.92),
)
# (low corner, high corner, reflectance, emitted light)
BOXES = (
    ((-7.5, 0.0, 6.8), (-2.6, 1.9, 8.4), STONE, BLACK),
    ((1.10, 0.0, 5.95), (1.20, 1.42, 6.05), BRASS, BLACK),
    ((0.85, 1.36, 5.70), (1.45, 1.44, 6.30), BRASS, BLACK),
    ((0.93, 1.44, 5.78), (1.37, 2.00, 6.22), BLACK, FLAME_POWER * 0.55),
    ((0.83, 2.00, 5.68), (1.47, 2.10, 6.32), BRASS, BLACK),
    ((4.45, -0.4, 14.85), (4.75, 0.55, 15.15), ENAMEL * 0.6, BLACK),
)
MARKER_SPHERE = (MARKER, 0.16)

_GRAIN = noise(5, (512, 512), 16, 5)


def sky(direction: Array) -> Array:
    """Light of the dusk sky from a direction, shape (n, 3)."""
    up = np.clip(direction[:, 1:2], 0, 1)
    horizon, zenith = np.array([0.42, 0.19, 0.12], np.float32), np.array([0.035, 0.055, 0.13], np.float32)
    glow = np.clip(direction @ np.array([-0.62, 0.03, 0.78], np.float32), 0, 1)[:, None]
    return zenith + (horizon - zenith) * np.exp(-up * 6) + glow**14 * np.array([0.75, 0.27, 0.08], np.float32)


def nearest(origin: Array, direction: Array) -> tuple[Array, NDArray[np.int8]]:
    """Distance to the nearest body along each ray, and its number: −1 sky, 0 ground, 1 water, then the marker, the
    spheres and the boxes."""
    distance = np.full(len(origin), np.inf, np.float32)
    body = np.full(len(origin), -1, np.int8)

    def offer(candidate: Array, number: int) -> None:
        closer = (candidate > 1e-3) & (candidate < distance)
        distance[closer], body[closer] = candidate[closer], number

    with np.errstate(divide="ignore", invalid="ignore"):
        for number, level in ((0, 0.0), (1, -0.35)):
            along = (level - origin[:, 1]) / direction[:, 1]
            far = origin[:, 2] + along * direction[:, 2] > QUAY_EDGE
            offer(np.where(far == (number == 1), along, np.inf).astype(np.float32), number)
        spheres = [MARKER_SPHERE, *((centre, radius) for centre, radius, _, _ in SPHERES)]
        for number, (centre, radius) in enumerate(spheres, start=2):
            offer(_hit_sphere(origin, direction, np.asarray(centre, np.float32), radius), number)
        starts, inverse = np.ascontiguousarray(origin.T), np.ascontiguousarray(np.reciprocal(direction).T)
        for number, (low, high, _, _) in enumerate(BOXES, start=2 + len(spheres)):
            offer(_hit_box(starts, inverse, low, high), number)
    return distance, body


def _hit_sphere(origin: Array, direction: Array, centre: Array, radius: float) -> Array:
    offset = origin - centre
    half = np.einsum("ij,ij->i", offset, direction)
    inside = half * half - np.einsum("ij,ij->i", offset, offset) + radius * radius
    return np.where(inside > 0, -half - np.sqrt(np.maximum(inside, 0)), np.inf).astype(np.float32)


def _hit_box(origin: Array, inverse: Array, low: tuple[float, ...], high: tuple[float, ...]) -> Array:
    """Of arrays of shape (3, n), axis by axis: reductions over an axis of three are slow."""
    enter, leave = np.full(origin.shape[1], -np.inf), np.full(origin.shape[1], np.inf)
    for start, way, lowest, highest in zip(origin, inverse, low, high, strict=True):
        first, second = (np.float64(lowest) - start) * way, (np.float64(highest) - start) * way
        enter = np.maximum(enter, np.minimum(first, second))
        leave = np.minimum(leave, np.maximum(first, second))
    return np.where((enter <= leave) & (leave > 0), enter, np.inf).astype(np.float32)


def light_along(origin: Array, direction: Array, bounces: int = 2) -> Array:
    """Light that comes back along each ray, shape (n, 3)."""
    distance, body = nearest(origin, direction)
    result = sky(direction)
    if bounces < 0:
        return result
    for number in np.flatnonzero(np.bincount(body[body >= 0])):
        hit = body == number
        point = origin[hit] + direction[hit] * distance[hit, None]
        result[hit] = _shaded(int(number), point, direction[hit], bounces)
    return result


def _shaded(number: int, point: Array, direction: Array, bounces: int) -> Array:
    first_box = 3 + len(SPHERES)
    if number == 0:
        grain = _GRAIN[(point[:, 2] * 90).astype(int) % 512, (point[:, 0] * 90).astype(int) % 512]
        return _matte(point, np.broadcast_to([0.0, 1.0, 0.0], point.shape), STONE * (0.55 + 0.9 * grain[:, None]))
    if number == 1:
        return _water(point, direction, bounces)
    if number == 2:
        return np.broadcast_to(MARKER_POWER * 3, point.shape)
    if number < first_box:
        centre, radius, reflectance, mirror = SPHERES[number - 3]
        normal = ((point - np.asarray(centre)) / radius).astype(np.float32)
        shaded = _matte(point, normal, reflectance)
        return shaded + mirror * _mirrored(point, normal, direction, bounces) if mirror else shaded
    low, high, reflectance, emitted = BOXES[number - first_box]
    if emitted.any():
        flicker = 1.3 - 1.4 * np.linalg.norm((point - FLAME)[:, :2], axis=1, keepdims=True)
        return emitted * np.clip(flicker, 0.3, None)
    if reflectance is STONE:
        joint = np.minimum((point[:, 1] * 3.2) % 1, (point[:, 0] * 1.6 + np.floor(point[:, 1] * 3.2) * 0.5) % 1)
        reflectance = STONE * np.where(joint < 0.06, 0.45, 1.0)[:, None]
    return _matte(point, _box_normal(point, low, high), reflectance)


def _box_normal(point: Array, low: tuple[float, ...], high: tuple[float, ...]) -> Array:
    centre, half = (np.asarray(high) + low) / 2, (np.asarray(high) - low) / 2
    local = (point - centre) / half
    axis = np.abs(local).argmax(axis=1)
    normal = np.zeros_like(point)
    normal[np.arange(len(point)), axis] = np.sign(local[np.arange(len(point)), axis])
    return normal


def _matte(point: Array, normal: Array, reflectance: Array) -> Array:
    """Diffuse reflection of the flame, the marker and the sky, with shadows."""
    light = sky(normal.astype(np.float32)) * (0.55 + 0.45 * normal[:, 1:2])
    for position, power in ((FLAME, FLAME_POWER), (MARKER, MARKER_POWER)):
        toward = position - point
        squared = np.einsum("ij,ij->i", toward, toward)
        way = (toward / np.sqrt(squared)[:, None]).astype(np.float32)
        facing = np.clip(np.einsum("ij,ij->i", way, normal), 0, None)
        blocker, body = nearest((point + normal * 2e-3).astype(np.float32), way)
        open_way = (blocker > np.sqrt(squared) - 0.75) | (body < 0)
        light = light + power * (facing * open_way / (squared + 0.3))[:, None] / np.pi
    return (light * reflectance).astype(np.float32)


def _mirrored(point: Array, normal: Array, direction: Array, bounces: int) -> Array:
    way = direction - 2 * np.einsum("ij,ij->i", direction, normal)[:, None] * normal
    return light_along((point + normal * 2e-3).astype(np.float32), way.astype(np.float32), bounces - 1)


def _water(point: Array, direction: Array, bounces: int) -> Array:
    wave = np.sin(point[:, 2] * 5.5 + np.sin(point[:, 0] * 1.7) * 1.4) * 0.022 + np.sin(point[:, 0] * 9) * 0.008
    normal = np.stack([wave * 0.4, np.ones_like(wave), wave], axis=1).astype(np.float32)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    grazing = (1 - np.abs(direction[:, 1:2])) ** 5
    deep = np.array([0.004, 0.010, 0.013], np.float32)
    return (deep + (0.04 + 0.9 * grazing) * _mirrored(point, normal, direction, bounces)).astype(np.float32)


TAGS: dict[str, Attribute] = {
    "chromaticities": AP1.chromaticities,
    "colorInteropID": "lin_ap1_scene",
    "compression": "zip",
}
SHOT = "lamp_flicker"
FIRST_FRAME, NEVER_RENDERED, CUT_OFF = 1001, 1013, 1019


def render() -> Array:
    """The picture, scene-linear ACEScg, shape (HEIGHT, WIDTH, 3)."""
    with ThreadPoolExecutor() as threads:
        strips = threads.map(_rows, range(0, HEIGHT, 20))
        return np.concatenate(list(strips))


def _rows(top: int) -> Array:
    rows = min(20, HEIGHT - top)
    y, x = np.mgrid[top * SAMPLES : (top + rows) * SAMPLES, : WIDTH * SAMPLES].astype(np.float32)
    across = ((x + 0.5) / (WIDTH * SAMPLES) - 0.5) * (WIDTH / HEIGHT)
    up = 0.5 - (y + 0.5) / (HEIGHT * SAMPLES)
    direction = np.stack([across, up + 0.02, np.full_like(x, 1.05)], axis=-1).reshape(-1, 3)
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    light = light_along(np.broadcast_to(EYE, direction.shape), direction)
    for position, power in ((FLAME, FLAME_POWER), (MARKER, MARKER_POWER)):
        light = light + _halo(direction, position, power)
    return light.reshape(rows, SAMPLES, WIDTH, SAMPLES, 3).mean(axis=(1, 3), dtype=np.float64).astype(np.float32)


def _halo(direction: Array, position: Array, power: Array) -> Array:
    """The glow of moist air around a light."""
    toward = position - EYE
    cosine = direction @ (toward / np.linalg.norm(toward)).astype(np.float32)
    angle = np.arccos(np.clip(cosine, -1, 1))[:, None]
    return (0.010 * np.exp(-angle * 9) + 0.03 * np.exp(-angle * 45)) * power


def write_render(path: Path, picture: Array) -> None:
    """Write the picture as half-float EXR that names its space."""
    write_image(path, picture, "half", TAGS)


def write_frames(folder: Path, picture: Array) -> None:
    """A slow pan over the render in which the flame flickers: 24 frames of 320 × 180, of which one was never rendered
    and one was cut off while it was written."""
    rows, columns = HEIGHT // 2, WIDTH // 2
    reduced = picture.reshape(rows, 2, columns, 2, 3).mean(axis=(1, 3))
    flame = np.unravel_index(np.argmax(reduced[..., 0]), reduced.shape[:2])
    y, x = np.mgrid[0:rows, 0:columns]
    near = np.exp(-((y - flame[0]) ** 2 + (x - flame[1]) ** 2) / 60.0**2)[..., None]
    for step, number in enumerate(range(FIRST_FRAME, FIRST_FRAME + 24)):
        if number == NEVER_RENDERED:
            continue
        flicker = 1.0 + 0.45 * np.sin(step * 1.7) * np.sin(step * 0.6 + 1.0)
        frame = reduced * (1.0 + (flicker - 1.0) * near)
        left = 4 * step
        file = folder / f"{SHOT}.{number}.exr"
        write_image(file, frame[60:240, left : left + 320].astype(np.float32), "half", TAGS)
        if number == CUT_OFF:
            file.write_bytes(file.read_bytes()[: file.stat().st_size // 2])
