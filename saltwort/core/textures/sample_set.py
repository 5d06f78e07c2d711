"""A small set of textures, drawn here, for a project that has none yet: something to try at once."""

from pathlib import Path

import numpy as np

from saltwort.core.images import write_image

SIDE = 256


def write_sample_set(folder: Path) -> list[Path]:
    """Write the maps of a tiled floor below a folder, and give back their paths: base colour (8 bit, sRGB encoded),
    roughness (16 bit, data), normals (8 bit, green up) and a lamp's emission (half float, linear Rec.709)."""
    down, across = np.mgrid[:SIDE, :SIDE] / SIDE * 4
    edge = np.maximum(np.abs(down % 1 - 0.5), np.abs(across % 1 - 0.5))
    joint = np.clip((edge - 0.44) * 25, 0, 1)[..., None]
    tile = (np.floor(down) + np.floor(across)) % 2
    colours = np.array([(0.62, 0.29, 0.22), (0.30, 0.42, 0.47)])[tile.astype(int)]
    colour = colours * (1 - joint) + np.array((0.36, 0.34, 0.31)) * joint
    roughness = 0.35 + 0.2 * tile[..., None] + 0.3 * joint
    slope_down, slope_across = np.gradient(-joint[..., 0] * 4)
    normals = np.stack((-slope_across, slope_down, np.ones_like(tile)), axis=-1)
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    glow = np.exp(-((down - 2) ** 2 + (across - 2) ** 2))[..., None] * np.array((9.0, 5.2, 2.1))
    made = {
        "sample_floor/sample_floor_basecolor.png": (colour, "uint8", {}),
        "sample_floor/sample_floor_roughness.png": (roughness.repeat(3, axis=2), "uint16", {}),
        "sample_floor/sample_floor_normal.png": ((normals + 1) / 2, "uint8", {}),
        "sample_floor/sample_lamp_lin_rec709_emission.exr": (glow, "half", {"colorInteropID": "lin_rec709_scene"}),
    }
    for path, (pixels, sample_type, tags) in made.items():
        file = folder / path
        file.parent.mkdir(parents=True, exist_ok=True)
        write_image(file, pixels.astype(np.float32), sample_type, tags)
    return [Path(path) for path in made]
