"""Small configs, pictures and files that tests are made of."""

from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import Setup, compose, first_setup
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config, newest_cg_config
from saltwort.core.images import write_image

SRGB = "sRGB Encoded Rec.709 (sRGB)"
LINEAR_REC709 = "Linear Rec.709 (sRGB)"
SRGB_DISPLAY = "sRGB - Display"
ACES_SDR = ViewChoice(SRGB_DISPLAY, "ACES 2.0 - SDR 100 nits (Rec.709)")
UNTONED = ViewChoice(SRGB_DISPLAY, "Un-tone-mapped")
GAMUT_COMPRESSION = "ACES 1.3 Reference Gamut Compression"
BASE = f"builtin:{newest_cg_config()}"


@lru_cache(maxsize=1)
def base_text() -> str:
    return builtin_text(newest_cg_config())


def base_archive() -> ConfigArchive:
    return ConfigArchive(base_text())


@lru_cache(maxsize=1)
def base_config() -> ocio.Config:
    """The engine's newest CG config. Not to be changed."""
    return load_config(base_text())


def fresh_config() -> ocio.Config:
    """The same, to be changed at will."""
    return load_config(base_text())


@lru_cache(maxsize=1)
def sample_setup() -> Setup:
    return first_setup(BASE, base_config())


@lru_cache(maxsize=1)
def project_config() -> ocio.Config:
    """The config composed from the first setup."""
    return load_config(compose(base_archive(), sample_setup(), "sample"))


def light(height: int = 24, width: int = 40, peak: float = 8.0, seed: int = 1) -> np.ndarray:
    """Random scene light, float32 (height, width, 3), up to `peak`."""
    return (np.random.default_rng(seed).random((height, width, 3)) ** 4 * peak).astype(np.float32)


def write(path: Path, pixels: np.ndarray, sample_type: str, **tags: object) -> Path:
    """Write a picture and give its path back."""
    path.parent.mkdir(parents=True, exist_ok=True)
    write_image(path, pixels, sample_type, tags)  # type: ignore[arg-type]
    return path


def write_damaged(path: Path, pixels: np.ndarray, sample_type: str, share: float = 0.5) -> Path:
    """A file that ends after a share of its bytes."""
    whole = write(path, pixels, sample_type).read_bytes()
    path.write_bytes(whole[: int(len(whole) * share)])
    return path


def write_absurd_png(path: Path, side: int = 60_000) -> Path:
    """A PNG of a few hundred bytes whose header promises `side` × `side` pixels."""
    import struct
    import zlib

    def chunk(name: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + name + content + struct.pack(">I", zlib.crc32(name + content))

    header = struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 0)
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")
    )
    return path
