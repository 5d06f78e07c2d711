"""A night's frames, made of one picture whose light moves a little from frame to frame, with mistakes at known ones."""

from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.images import write_image
from tests.made_frames import light_of
from tests.samples import ACES_SDR, SRGB_DISPLAY

Change = Callable[[np.ndarray], np.ndarray]
SIZE = 2
"""Of each second pixel: small pictures are made quickly."""


def frame_light(number: int, seed: int = 2) -> np.ndarray:
    """The light of a frame in ACEScg: the same shot, with noise as renderers leave it and a lamp that breathes."""
    light = light_of(seed)[::SIZE, ::SIZE, :3]
    rng = np.random.default_rng(number)
    breath = 1 + 0.03 * np.sin(number / 9)
    noisy = light * breath * (1 + 0.03 * rng.standard_normal(light.shape))
    return np.ascontiguousarray(noisy, np.float32)


def mistakes(config: ocio.Config) -> Mapping[str, tuple[str, Change]]:
    """What may be wrong with a frame that should hold light, by a name: the code that tells it, and how it is made."""
    view = view_processor(config, "ACEScg", ACES_SDR)
    untoned = view_processor(config, "ACEScg", ViewChoice(SRGB_DISPLAY, "Un-tone-mapped"))
    rec709 = space_processor(config, "ACEScg", "Linear Rec.709 (sRGB)")

    def broken(light: np.ndarray) -> np.ndarray:
        light = light.copy()
        light[3:6, 4:9, 1] = np.nan
        return light

    return {
        "view": ("frame.view-baked", lambda light: apply(view, light)),
        "view in 8 bits": ("frame.view-baked", lambda light: np.round(apply(view, light) * 255) / np.float32(255)),
        "encoded": ("frame.view-baked", lambda light: apply(untoned, light)),
        "cut at 1": ("frame.clipped", lambda light: np.clip(light, 0, 1)),
        "cut at 0.5": ("frame.clipped", lambda light: np.clip(light, 0, 0.5)),
        "primaries": ("frame.wrong-primaries", lambda light: apply(rec709, light)),
        "not finite": ("frame.non-finite", broken),
        "brighter": ("frame.exposure-jump", lambda light: light * np.float32(2)),
        "darker": ("frame.exposure-jump", lambda light: light * np.float32(0.6)),
        "channels": ("frame.changed", lambda light: light[..., ::-1]),
    }


def write_frame(folder: Path, number: int, light: np.ndarray, name: str = "beauty", sample: str = "half") -> Path:
    suffix = "exr" if sample == "half" else "png"
    path = folder / f"{name}.{number:04d}.{suffix}"
    write_image(path, np.ascontiguousarray(light, np.float32), sample)
    return path
