"""Textures made at random, of many kinds and statistics, for the calibration of verdicts."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from saltwort.core.images import write_image

Array = np.ndarray
SIDE = 96
ENCODED, LINEAR, LOG, DATA = "encoded", "linear", "log", "data"
NOBODY_KNOWS, ONE_COLOUR = "nobody knows", "one colour"
"""What a file of one colour, or of a few pixels, holds; and the kind of such files."""


@dataclass(frozen=True)
class Made:
    """A texture with what it truly holds, and a word that would tell it."""

    path: Path
    holds: str
    kind: str
    word: str


def to_srgb(light: Array) -> Array:
    light = np.clip(light, 0, 1)
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)


def smooth(rng: np.random.Generator, octaves: int | None = None, shape: tuple[int, int] = (SIDE, SIDE)) -> Array:
    """Noise of several octaves on 0–1, (height, width)."""
    height, width = shape
    found = np.zeros(shape)
    first = int(rng.integers(1, 4))
    for octave in range(first, first + (octaves or int(rng.integers(2, 5)))):
        cells = 2**octave
        grid = rng.random((cells + 2, cells + 2))
        y, x = np.linspace(0, cells, height), np.linspace(0, cells, width)
        rows, columns = y.astype(int), x.astype(int)
        v, u = (y - rows)[:, None], (x - columns)[None, :]
        v, u = v * v * (3 - 2 * v), u * u * (3 - 2 * u)
        corners = [grid[np.ix_(rows + down, columns + right)] for down in (0, 1) for right in (0, 1)]
        top, bottom = corners[0] * (1 - u) + corners[1] * u, corners[2] * (1 - u) + corners[3] * u
        found += (top * (1 - v) + bottom * v) / 2 ** (octave * rng.uniform(0.3, 1.0))
    found -= found.min()
    return found / max(found.max(), 1e-9)


def albedo(rng: np.random.Generator) -> Array:
    """Reflectance of a made-up surface, linear (height, width, 3): a few paints mixed by noise, with dirt and grain."""
    paints = rng.uniform(0.02, 0.85) * rng.uniform(0.25, 1.0, (int(rng.integers(2, 5)), 3))
    amounts = np.stack([smooth(rng) ** rng.uniform(0.5, 4) for _ in paints], axis=2)
    amounts /= amounts.sum(axis=2, keepdims=True) + 1e-6
    surface = amounts @ paints
    surface *= 1 - rng.uniform(0, 0.7) * smooth(rng)[..., None]
    grain = rng.normal(1, rng.uniform(0, 0.12), surface.shape[:2])[..., None]
    return np.clip(surface * grain, 0.004, 0.95)


def hues(rng: np.random.Generator) -> Array:
    """A pattern of unlike colours, encoded: channels that have little to do with each other."""
    return np.stack([rng.uniform(0, 0.4) + smooth(rng) * rng.uniform(0.3, 0.6) for _ in range(3)], axis=2)


def scene(rng: np.random.Generator) -> Array:
    """A lit picture, linear, with lights above 1."""
    light = albedo(rng) * (0.15 + 2.5 * smooth(rng, 2)[..., None] ** 2)
    for _ in range(int(rng.integers(1, 5))):
        y, x = rng.integers(0, SIDE, 2)
        far = np.hypot(*np.mgrid[-y : SIDE - y, -x : SIDE - x])
        light += rng.uniform(2, 60) * np.exp(-((far / rng.uniform(1.5, 6)) ** 2))[..., None] * rng.uniform(0.4, 1, 3)
    return light


def lamps(rng: np.random.Generator) -> Array:
    """An emissive map: black, with a few lamps, windows or lines, linear."""
    light = np.zeros((SIDE, SIDE, 3))
    for _ in range(int(rng.integers(1, 7))):
        top, left = rng.integers(0, SIDE - 12, 2)
        high, wide = rng.integers(3, 13, 2)
        light[top : top + high, left : left + wide] = rng.uniform(0.1, 1.0) * rng.uniform(0.2, 1.0, 3)
    return light * (1 - 0.3 * smooth(rng)[..., None])


def bright_lamp(rng: np.random.Generator) -> Array:
    """An emission of a lamp's surface, bright all over and never above 1."""
    return rng.uniform(0.7, 0.9) + 0.1 * smooth(rng)[..., None] * rng.uniform(0.8, 1.0, 3)


def log_codes(rng: np.random.Generator) -> Array:
    """A scene in one of three logarithmic curves: S-2016-001 (ACEScct), a pure logarithm of 14 stops, and printing
    density (SMPTE ST 268: 685 is white, 95 black)."""
    light = np.maximum(scene(rng) * rng.uniform(0.3, 1.5), 1e-4)
    curve = rng.integers(0, 3)
    if curve == 0:
        return np.where(light <= 0.0078125, 10.5402377 * light + 0.0729055, (np.log2(light) + 9.72) / 17.52)
    if curve == 1:
        return np.clip((np.log2(light / 0.18) + 8) / 14, 0, 1)
    black = 10 ** ((95 - 685) * 0.002 / 0.6)
    return np.clip((685 + 300 * np.log10(light * (1 - black) + black)) / 1023, 0, 1)


def one_colour(rng: np.random.Generator) -> Array:
    """Black, white, or any colour all over; sometimes of a single pixel."""
    colour = (np.zeros(3), np.ones(3), np.full(3, 0.5), rng.random(3))[int(rng.integers(0, 4))]
    side = int(rng.choice([1, 2, SIDE]))
    return np.broadcast_to(colour, (side, side, 3)).copy()


def normals(rng: np.random.Generator) -> Array:
    """Unit vectors, −1…1."""
    height = smooth(rng, 4) * rng.uniform(2, 25)
    down, across = np.gradient(height)
    found = np.stack([-across, down, np.ones_like(height)], axis=2)
    return found / np.linalg.norm(found, axis=2, keepdims=True)


def one_number(rng: np.random.Generator) -> Array:
    """Roughness, occlusion, height, a mask: one value a pixel on 0–1."""
    sort = rng.integers(0, 5)
    base = smooth(rng)
    if sort == 0:
        return np.clip(rng.uniform(0.1, 0.7) + (base - 0.5) * rng.uniform(0.2, 0.9), 0, 1)
    if sort == 1:
        return np.clip(1 - rng.uniform(0.2, 0.9) * base**3, 0, 1)
    if sort == 2:
        return base
    if sort == 3:
        return (base > rng.uniform(0.3, 0.7)).astype(float)
    return np.clip(base * 1.6 - 0.3, 0, 1)


def packed(rng: np.random.Generator) -> Array:
    """Occlusion, roughness and metalness beside each other, in some order."""
    occlusion = np.clip(1 - rng.uniform(0.2, 0.8) * smooth(rng) ** 3, 0, 1)
    rough = np.clip(rng.uniform(0.2, 0.6) + (smooth(rng) - 0.4) * rng.uniform(0.2, 0.8), 0, 1)
    metal = rng.choice([0, 1, 2, 3])
    metalness = {0: np.zeros_like(rough), 1: np.ones_like(rough), 2: (smooth(rng) > 0.5).astype(float)}.get(
        metal, np.clip(smooth(rng) * 2 - 1, 0, 1)
    )
    found = [occlusion, rough, metalness]
    order = ((0, 1, 2), (1, 2, 0), (2, 1, 0), (0, 1, 2))[int(rng.integers(0, 4))]
    return np.stack([found[number] for number in order], axis=2)


def parts(rng: np.random.Generator) -> Array:
    """A map of parts in a few flat colours."""
    colours = rng.integers(0, 2, (int(rng.integers(3, 9)), 3)) * rng.uniform(0.5, 1)
    cells = (smooth(rng, 2) * (len(colours) - 1e-6)).astype(int)
    return colours[cells]


def positions(rng: np.random.Generator) -> Array:
    y, x = np.mgrid[-1 : 1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    return np.stack([x, smooth(rng) - 0.3, y], axis=2) * rng.uniform(0.5, 40)


def flow(rng: np.random.Generator) -> Array:
    turn = smooth(rng, 2) * 6.3
    strength = smooth(rng, 2)
    return np.stack([0.5 + 0.5 * strength * np.cos(turn), 0.5 + 0.5 * strength * np.sin(turn), 0 * turn], axis=2)


def eight_bits(codes: Array) -> Array:
    return np.round(np.clip(codes, 0, 1) * 255) / 255


def _as_light(codes: Array) -> Array:
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)


Maker = Callable[[np.random.Generator], Array]
# What a file holds, its kind, a word that tells it, files it comes in, how it is made, and how often.
_SORTS: tuple[tuple[str, str, str, tuple[str, ...], Maker, float], ...] = (
    (ENCODED, "base colour", "basecolor", ("png8", "png8", "jpg", "png16", "tif8", "tif16"),
     lambda rng: to_srgb(albedo(rng)), 24),
    (ENCODED, "photograph", "albedo", ("jpg", "jpg", "png8", "tif8"),
     lambda rng: to_srgb(scene(rng) * rng.uniform(0.3, 1.5)), 9),
    (ENCODED, "8 bits in float", "diffuse", ("exr-half", "exr-float"), lambda rng: eight_bits(to_srgb(albedo(rng))), 4),
    (ENCODED, "8 bits in 16", "diffuse", ("png16", "tif16"), lambda rng: eight_bits(to_srgb(albedo(rng))), 4),
    (ENCODED, "grey picture", "diffuse", ("png8", "jpg-grey"), lambda rng: to_srgb(albedo(rng).mean(axis=2)), 1),
    (ENCODED, "paint in float", "diffuse", ("exr-half", "exr-float"), lambda rng: to_srgb(albedo(rng)), 0.8),
    (ENCODED, "emissive map", "emissive", ("png8", "png8", "jpg", "tif8"), lambda rng: to_srgb(lamps(rng)), 3),
    (ENCODED, "grey photograph", "backplate", ("png8", "jpg-grey", "png8-grey", "jpg"),
     lambda rng: to_srgb(scene(rng).mean(axis=2) * rng.uniform(0.3, 1.5)), 6),
    (LOG, "log", "plate_log", ("tif16", "png16"), log_codes, 3),
    (LINEAR, "scene in 16 bits", "plate_linear", ("tif16", "png16"), lambda rng: np.clip(scene(rng), 0, 1), 2),
    (LINEAR, "lamp", "emission", ("exr-half", "exr-float"), bright_lamp, 2),
    (NOBODY_KNOWS, ONE_COLOUR, "x", ("png8", "png8-grey", "jpg", "tif16", "exr-half"), one_colour, 3),
    (ENCODED, "many hues", "basecolor", ("png8", "png8", "jpg", "png16", "tif8"), hues, 1.5),
    (LINEAR, "linear in 8 bits", "albedo_linear", ("png8", "tif8"), albedo, 0.3),
    (LINEAR, "render", "emission", ("exr-half", "exr-float", "tif-float"), scene, 8),
    (LINEAR, "surroundings", "env", ("hdr", "exr-half"), lambda rng: np.concatenate([scene(rng), scene(rng)], 1), 5),
    (LINEAR, "linear base colour", "basecolor_linear", ("exr-half", "exr-half", "tif16", "png16"), albedo, 8),
    (LINEAR, "decoded from 8 bits", "albedo_linear", ("exr-half", "tif16", "png16"),
     lambda rng: _as_light(eight_bits(to_srgb(albedo(rng)))), 5),
    (DATA, "roughness", "roughness", ("png8-grey", "png8", "jpg-grey", "png16-grey", "exr-half-grey", "tif8-grey"),
     one_number, 14),
    (DATA, "height", "height", ("png16-grey", "tif16-grey", "exr-float-grey", "exr-half"),
     lambda rng: smooth(rng) * rng.choice([1.0, 1.0, 12.0]) - rng.choice([0.0, 0.0, 0.5]), 9),
    (DATA, "normals", "normal", ("png8", "png8", "png16", "tif16", "jpg"), lambda rng: normals(rng) / 2 + 0.5, 9),
    (DATA, "signed normals", "normal", ("exr-half", "exr-float"), normals, 4),
    (DATA, "packed", "orm", ("png8", "png8", "png16", "jpg", "tif8", "exr-half"), packed, 11),
    (DATA, "parts", "id", ("png8", "tif8"), parts, 3),
    (DATA, "positions", "position", ("exr-float", "exr-half"), positions, 3),
    (DATA, "flow", "flow", ("png8", "png16"), flow, 2),
)  # fmt: skip
_FILES = {
    "png8": (".png", "uint8"), "png16": (".png", "uint16"), "tif8": (".tif", "uint8"), "tif16": (".tif", "uint16"),
    "tif-float": (".tif", "float"), "jpg": (".jpg", "uint8"), "exr-half": (".exr", "half"),
    "exr-float": (".exr", "float"), "hdr": (".hdr", "float"),
}  # fmt: skip
_NEUTRAL = ("harbour", "quay", "rope_a", "lamp_v03", "wall_b", "buoy2", "export", "untitled", "t_stone", "m_brass_4k")


def make(rng: np.random.Generator, folder: Path, *, telling: bool) -> Made:
    """One texture, written without a word on its colour; its name tells what it is, or nothing."""
    shares = np.array([sort[5] for sort in _SORTS])
    holds, kind, word, files, maker, _ = _SORTS[int(rng.choice(len(_SORTS), p=shares / shares.sum()))]
    file = str(rng.choice(files))
    pixels = np.asarray(maker(rng), np.float32)
    suffix, sample_type = _FILES[file.removesuffix("-grey")]
    if pixels.ndim == 3 and file.endswith("-grey"):
        pixels = pixels[..., 0]
    if pixels.ndim == 2:
        pixels = pixels[..., None] if file.endswith("-grey") else np.repeat(pixels[..., None], 3, axis=2)
    stem = str(rng.choice(_NEUTRAL)) + (f"_{word}" if telling else "")
    path = folder / f"{stem}{suffix}"
    write_image(path, pixels, sample_type)
    return Made(path, holds, kind, word)
