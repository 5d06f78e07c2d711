"""Small configs, pictures and files that tests are made of."""

import struct
import zlib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio

from saltwort.core.deliverables import Source, deliverables
from saltwort.core.deliverables.kinds.still import TYPES, StillSettings, format_named
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config, newest_cg_config
from saltwort.core.images import write_image
from saltwort.core.project import Setup, compose, first_setup
from saltwort.core.views import view_families

SRGB = "sRGB Encoded Rec.709 (sRGB)"
LINEAR_REC709 = "Linear Rec.709 (sRGB)"
SRGB_DISPLAY = "sRGB - Display"
ACES_SDR = ViewChoice(SRGB_DISPLAY, "ACES 2.0 - SDR 100 nits (Rec.709)")
PQ_ACES = ViewChoice("Rec.2100-PQ - Display", "ACES 2.0 - HDR 1000 nits (Rec.2020)")
OWN_DESIGNS = {key: family.own_design for key, family in view_families().items() if family.own_design is not None}
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


def png_chunk(name: bytes, content: bytes) -> bytes:
    """A chunk of a PNG with its length and checksum."""
    return struct.pack(">I", len(content)) + name + content + struct.pack(">I", zlib.crc32(name + content))


def write_png(
    path: Path, size: tuple[int, int], depth: int, colour_type: int, rows: bytes, palette: bytes = b""
) -> Path:
    """A PNG chunk by chunk, of what the image library does not write: `rows` are filter bytes and packed samples."""
    header = png_chunk(b"IHDR", struct.pack(">IIBBBBB", *size, depth, colour_type, 0, 0, 0))
    colours = png_chunk(b"PLTE", palette) if palette else b""
    path.write_bytes(
        b"\x89PNG\r\n\x1a\n" + header + colours + png_chunk(b"IDAT", zlib.compress(rows)) + png_chunk(b"IEND", b"")
    )
    return path


def write_absurd_png(path: Path, side: int = 60_000) -> Path:
    """A PNG of a few hundred bytes whose header promises `side` × `side` pixels."""
    return write_png(path, (side, side), 8, 2, b"\0" * 64)


def write_cmyk_jpeg(path: Path, inks: tuple[int, int, int, int] = (200, 60, 120, 40)) -> Path:
    """A baseline JPEG of 8 × 8 pixels in four inks, all alike (ITU-T T.81): each block is its mean alone."""

    def segment(marker: int, content: bytes) -> bytes:
        return bytes((0xFF, marker)) + struct.pack(">H", len(content) + 2) + content

    components = (1, 2, 3, 4)
    # Twelve lengths of a mean's difference in codes of 4 bits, and the end of a block as the only other code.
    lengths, end = bytes([0, 0, 0, 12, *[0] * 12, *range(12)]), bytes([1, *[0] * 15, 0])
    bits = ""
    for ink in inks:
        mean = (ink - 128) * 8
        size = abs(mean).bit_length()
        bits += f"{size:04b}{mean if mean > 0 else mean + (1 << size) - 1:0{size}b}0"
    bits += "1" * (-len(bits) % 8)
    data = bytes(int(bits[at : at + 8], 2) for at in range(0, len(bits), 8)).replace(b"\xff", b"\xff\0")
    path.write_bytes(
        b"\xff\xd8"
        + segment(0xDB, b"\0" + b"\1" * 64)
        + segment(0xC0, struct.pack(">BHHB", 8, 8, 8, 4) + b"".join(bytes((one, 0x11, 0)) for one in components))
        + segment(0xC4, b"\0" + lengths)
        + segment(0xC4, b"\x10" + end)
        + segment(0xDA, b"\4" + b"".join(bytes((one, 0)) for one in components) + b"\0\x3f\0")
        + data
        + b"\xff\xd9"
    )
    return path


def write_parts(path: Path, parts: dict[str, np.ndarray]) -> Path:
    """An EXR of several named parts of the same size."""
    specs = []
    for name, pixels in parts.items():
        spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], "half")
        spec.attribute("oiio:subimagename", name)
        specs.append(spec)
    output = oiio.ImageOutput.create("openexr")
    assert output.open(str(path), tuple(specs)), output.geterror()
    for number, (spec, pixels) in enumerate(zip(specs, parts.values(), strict=True)):
        if number:
            assert output.open(str(path), spec, "AppendSubimage"), output.geterror()
        assert output.write_image(np.ascontiguousarray(pixels)), output.geterror()
    output.close()
    return path


def write_deep(path: Path) -> Path:
    """An EXR with two samples in each of its four pixels."""
    spec = oiio.ImageSpec(2, 2, 5, "float")
    spec.deep = True
    spec.channelnames = ("R", "G", "B", "A", "Z")
    deep = oiio.DeepData()
    deep.init(spec)
    for pixel in range(4):
        deep.set_samples(pixel, 2)
    output = oiio.ImageOutput.create("openexr")
    assert output.open(str(path), spec) and output.write_deep_image(deep), output.geterror()
    output.close()
    return path


def write_still(
    config: ocio.Config,
    file: Path,
    space: str,
    choice: ViewChoice,
    target: Path,
    *,
    exposure: float = 0.0,
    sample_type: str = "uint16",
    progress: Callable[[float, str], None] = lambda share, doing: None,
) -> Any:
    """A picture with a view in it, not dithered, and what was read back."""
    still = deliverables()["still"]
    bits = next(key for key, of in TYPES.items() if of == sample_type)
    settings = StillSettings(
        **vars(choice), exposure=exposure, format=format_named(target), bits=bits, dither=False, quality=98
    )
    still.check(config, settings)
    return still.write(config, [Source(file, space)], settings, target, progress)
