"""The textures of Lantern Quay, drawn with numpy. Deterministic for their seeds."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from saltwort.core.images import write_image
from saltwort.core.spaces.gamuts import AP1, REC709

Picture = NDArray[np.float32]
SIDE = 256

# Colours on the sRGB encoded 0–1 scale.
STONE, SALT, MORTAR = (0.42, 0.37, 0.33), (0.60, 0.58, 0.54), (0.27, 0.25, 0.24)
BRASS, TARNISH = (0.71, 0.55, 0.29), (0.37, 0.33, 0.22)
ENAMEL = (47 / 255, 106 / 255, 104 / 255)
ROPE, ROPE_DARK = (0.56, 0.46, 0.33), (0.33, 0.26, 0.18)


def noise(seed: int, shape: tuple[int, int], cells: int, octaves: int = 4) -> Picture:
    """Smooth noise that tiles, shape (height, width), on 0–1."""
    total = np.zeros(shape)
    for octave in range(octaves):
        count = cells << octave
        grid = np.random.default_rng(seed + octave).random((count, count))
        total += _stretched(grid, shape) / 2**octave
    return ((total - total.min()) / (total.max() - total.min())).astype(np.float32)


def _stretched(grid: NDArray[np.float64], shape: tuple[int, int]) -> NDArray[np.float64]:
    rows, columns = (np.arange(size) / size * len(grid) for size in shape)
    row, column = rows.astype(int), columns.astype(int)
    ease_row, ease_column = (part * part * (3 - 2 * part) for part in (rows - row, columns - column))
    below, right = (row + 1) % len(grid), (column + 1) % len(grid)
    top = grid[row][:, column] * (1 - ease_column) + grid[row][:, right] * ease_column
    bottom = grid[below][:, column] * (1 - ease_column) + grid[below][:, right] * ease_column
    return top * (1 - ease_row[:, None]) + bottom * ease_row[:, None]


def mixed(first: tuple[float, ...], second: tuple[float, ...], amount: Picture) -> Picture:
    """Two colours mixed by an amount on 0–1, shape (height, width, 3)."""
    return (np.array(first) + (np.array(second) - np.array(first)) * amount[..., None]).astype(np.float32)


def stones() -> tuple[Picture, Picture]:
    """Height and mortar of a wall of cut stones, each (SIDE, SIDE) on 0–1."""
    y, x = np.mgrid[:SIDE, :SIDE] / SIDE
    course = np.floor(y * 6)
    edge_y = np.abs((y * 6) % 1 - 0.5)
    edge_x = np.abs((x * 3 + course * 0.5) % 1 - 0.5)
    mortar = np.clip((np.maximum(edge_y, edge_x * 1.02) - 0.44) * 25, 0, 1).astype(np.float32)
    height = (1 - mortar) * (0.55 + 0.45 * noise(3, (SIDE, SIDE), 8))
    return height.astype(np.float32), mortar


def normals(height: Picture, strength: float = 6.0) -> Picture:
    """A tangent-space normal map of a height, encoded as (n + 1) / 2."""
    down, across = np.gradient(height)
    vectors = np.stack([-across * strength, down * strength, np.ones_like(height)], axis=-1)
    return ((vectors / np.linalg.norm(vectors, axis=-1, keepdims=True) + 1) / 2).astype(np.float32)


def grey(values: Picture) -> Picture:
    """One channel, shape (height, width, 1)."""
    return values[..., None]


def decoded(encoded: Picture) -> Picture:
    """sRGB decoded to linear light (IEC 61966-2-1)."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(np.float32)


def wall() -> Picture:
    height, mortar = stones()
    stained = mixed(STONE, SALT, noise(11, (SIDE, SIDE), 3) ** 2)
    lit = stained * (0.75 + 0.35 * height[..., None])
    return (lit * (1 - mortar[..., None]) + np.array(MORTAR, np.float32) * mortar[..., None]).astype(np.float32)


def brass() -> Picture:
    return mixed(BRASS, TARNISH, noise(21, (SIDE, SIDE), 4) ** 1.5)


def enamel() -> Picture:
    return mixed(ENAMEL, tuple(channel * 0.82 for channel in ENAMEL), noise(31, (SIDE, SIDE), 6))


def rope() -> Picture:
    y, x = np.mgrid[:SIDE, :SIDE] / SIDE
    strands = 0.5 + 0.5 * np.sin((x * 10 + y * 22) * 2 * np.pi)
    return mixed(ROPE_DARK, ROPE, (0.8 * strands + 0.2 * noise(41, (SIDE, SIDE), 16)).astype(np.float32))


def sky(width: int, height: int) -> Picture:
    """A dusk sky with a low sun, scene-linear, 2:1, peak far above 1."""
    y, x = np.mgrid[:height, :width]
    elevation = (0.5 - (y + 0.5) / height) * np.pi
    azimuth = ((x + 0.5) / width - 0.5) * 2 * np.pi
    up = np.clip(np.sin(elevation), 0, 1)[..., None]
    horizon, zenith = np.array([0.62, 0.26, 0.13]), np.array([0.035, 0.06, 0.16])
    light = zenith + (horizon - zenith) * np.exp(-up * 5)
    light = np.where(elevation[..., None] < 0, np.array([0.03, 0.028, 0.03]), light)
    toward_sun = np.cos(elevation - 0.05) * np.cos(azimuth + 1.1)
    sun = np.exp((np.clip(toward_sun, 0, 1) - 1) * 900)[..., None] * np.array([900.0, 380.0, 120.0])
    haze = np.exp((np.clip(toward_sun, 0, 1) - 1) * 12)[..., None] * np.array([0.9, 0.32, 0.1])
    return (light + haze + sun).astype(np.float32)


def eight_bit(picture: Picture) -> Picture:
    """A picture on the steps of 8 bits."""
    return (np.round(picture * 255) / 255).astype(np.float32)


def moss() -> Picture:
    return decoded(mixed((0.46, 0.56, 0.36), (0.60, 0.66, 0.44), noise(81, (SIDE, SIDE), 5)))


def with_holes(values: Picture) -> Picture:
    """A roughness that some tool divided by zero: infinities and no numbers along a line."""
    broken = values.copy()
    broken[100, 40:90] = np.nan
    broken[101, 40:60] = np.inf
    return broken


def reflection() -> Picture:
    """The harbour at dusk, converted to a gamut too small for the marker's green."""
    plate = sky(640, 320)[60:220, 80:400].copy()
    plate[90:110, 200:230] = (-0.04, 0.6, -0.02)
    return plate


def steps(seed: int) -> Picture:
    return mixed((0.35, 0.33, 0.31), (0.52, 0.49, 0.44), noise(seed, (SIDE, SIDE), 5))


def packed(height: Picture, mortar: Picture, specks: Picture) -> Picture:
    """Occlusion, roughness and metalness of the wall, of which nothing is metal."""
    return np.stack([1 - 0.5 * mortar * (1 - height), 0.55 + 0.4 * mortar + 0.05 * specks, 0 * mortar], axis=-1)


def patina() -> Picture:
    return decoded(mixed((0.30, 0.52, 0.46), (0.58, 0.49, 0.33), noise(181, (SIDE, SIDE), 5)))


ROMM = (0.7347, 0.2653, 0.1596, 0.8404, 0.0366, 0.0001, 0.3457, 0.3585)
"""Primaries and white of ISO 22028-2, which the configs do not have."""
CUT_OFF = "mooring_rope/mooring_rope_tarred_basecolor.png"


def write_textures(folder: Path) -> None:
    """Write every texture below `folder`. What each is for, and which are traps, stands in this package's README."""
    height, mortar = stones()
    ap1 = {"chromaticities": AP1.chromaticities, "colorInteropID": "lin_ap1_scene"}
    specks = noise(51, (SIDE, SIDE), 24)
    draw: dict[str, tuple[str, Callable[[], Picture], dict]] = {
        "quay_wall/quay_wall_basecolor.png": ("uint8", wall, {}),
        "quay_wall/quay_wall_roughness.png": ("uint16", lambda: grey(0.55 + 0.4 * mortar + 0.05 * specks), {}),
        "quay_wall/quay_wall_normal.png": ("uint16", lambda: normals(height), {}),
        "quay_wall/quay_wall_disp.exr": ("float", lambda: grey(height * 0.04), {}),
        "quay_wall/quay_wall_03.png": ("uint8", lambda: normals(noise(61, (SIDE, SIDE), 6), 12), {}),
        "harbour_lamp/harbour_lamp_brass_basecolor.png": ("uint8", brass, {}),
        "harbour_lamp/harbour_lamp_brass_roughness.png": ("uint16", lambda: grey(0.2 + 0.5 * specks), {}),
        "harbour_lamp/harbour_lamp_metal.png": ("uint8", lambda: grey(np.ones((SIDE, SIDE), np.float32)), {}),
        "harbour_lamp/harbour_lamp_enamel_basecolor.exr": ("half", lambda: eight_bit(enamel()), {}),
        "harbour_lamp/harbour_lamp_glass_lin_rec709_emission.exr": (
            "half",
            lambda: mixed((6.0, 2.1, 0.35), (14.0, 6.0, 1.4), noise(71, (SIDE, SIDE), 3)),
            {},
        ),
        "harbour_lamp/harbour_lamp_plate_mask.tif": ("uint8", lambda: grey((specks > 0.5).astype(np.float32)), {}),
        "mooring_rope/mooring_rope_diff.tif": ("uint16", rope, {}),
        "mooring_rope/mooring_rope_rgh.jpg": ("uint8", lambda: grey(0.7 + 0.3 * specks), {}),
        "mooring_rope/scans_raw/mooring_rope_albedo.jpg": ("uint8", rope, {}),
        "light/dusk_harbour_sky.hdr": ("float", lambda: sky(1024, 512), {}),
        "quay_wall/quay_wall_moss_basecolor.exr": ("half", moss, {}),
        "quay_wall/quay_wall_salt_basecolor.png": (
            "uint8",
            lambda: mixed((0.93, 0.93, 0.92), (1.0, 1.0, 0.99), noise(91, (SIDE, SIDE), 4)),
            {},
        ),
        "harbour_lamp/harbour_lamp_paint_basecolor.png": (
            "uint8",
            lambda: mixed((0.62, 0.24, 0.16), (0.74, 0.33, 0.22), noise(101, (SIDE, SIDE), 5)),
            {},
        ),
        "harbour_lamp/harbour_lamp_flame_emission.exr": (
            "half",
            lambda: mixed((9.0, 2.6, 0.3), (21.0, 9.0, 2.2), noise(111, (SIDE, SIDE), 3)),
            {"chromaticities": REC709.chromaticities},
        ),
        "harbour_lamp/harbour_lamp_glass_lin_rec2020_transmission.exr": (
            "half",
            lambda: mixed((0.55, 0.28, 0.05), (0.78, 0.44, 0.10), noise(121, (SIDE, SIDE), 3)),
            {},
        ),
        "mooring_rope/mooring_rope_dyed_basecolor.png": ("uint16", rope, {"CICP": (12, 13, 0, 1)}),
        "mooring_rope/mooring_rope_wet_rgh.exr": ("half", lambda: grey(with_holes(0.3 + 0.2 * specks)), {}),
        "mooring_rope/mooring_rope_nrm.png": ("uint16", lambda: normals(noise(131, (SIDE, SIDE), 12)) ** 2.2, {}),
        "light/overcast_quay_env.exr": ("half", lambda: np.clip(sky(512, 256), 0, 1), {}),
        "light/harbour_reflection_plate.exr": ("half", reflection, ap1),
        "light/harbour_backplate_acescg.exr": ("half", lambda: sky(640, 320)[60:220, 80:400], ap1),
        "quay_steps/quay_steps_basecolor.1001.png": ("uint8", lambda: steps(141), {}),
        "quay_steps/quay_steps_basecolor.1002.png": ("uint8", lambda: steps(151), {}),
        "quay_steps/quay_steps_rough.1001.png": ("uint8", lambda: grey(0.5 + 0.4 * noise(161, (SIDE, SIDE), 8)), {}),
        "quay_steps/quay_steps_rough.1002.png": ("uint8", lambda: grey(0.5 + 0.4 * noise(171, (SIDE, SIDE), 8)), {}),
        "quay_wall/quay_wall_orm.png": ("uint8", lambda: packed(height, mortar, specks), {}),
        "harbour_lamp/harbour_lamp_patina_basecolor.exr": ("half", patina, {"chromaticities": ROMM}),
        "harbour_lamp/harbour_lamp_lid.tif": ("uint16", lambda: decoded(enamel()), {}),
        CUT_OFF: ("uint8", rope, {}),
    }
    for name, (sample_type, make, tags) in draw.items():
        write_image(folder / name, make(), sample_type, tags)
    whole = (folder / CUT_OFF).read_bytes()
    (folder / CUT_OFF).write_bytes(whole[: len(whole) // 2])
