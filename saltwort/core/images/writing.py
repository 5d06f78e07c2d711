"""Write image files whole or not at all, and encode pictures for the screen."""

import tempfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images.reading import Pixels

Attribute = str | int | float | tuple[int, ...] | tuple[float, ...]

WRITABLE = {
    ".png": "png",
    ".tif": "tiff",
    ".tiff": "tiff",
    ".exr": "openexr",
    ".jpg": "jpeg",
    ".jpeg": "jpeg",
    ".hdr": "hdr",
}


def write_image(
    path: Path, pixels: NDArray[np.generic], sample_type: str, attributes: Mapping[str, Attribute] | None = None
) -> None:
    """Write pixels of shape (height, width, channels) under `path`, whose suffix names the format.

    Float pixels are clamped to 0–1 and rounded by the library where `sample_type` is `uint8` or `uint16`; `half` and
    `float` keep them. The file is written under a temporary name, synced and renamed, so that a reader never meets
    half of it. Raises BadInput for a format that cannot be written, or when the disk refuses.
    """
    plugin = WRITABLE.get(path.suffix.lower())
    if plugin is None:
        raise BadInput(f"{path.name} cannot be written; its name ends with one of {', '.join(WRITABLE)}.")
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], sample_type)
    for name, value in (attributes or {}).items():
        _set(spec, name, value)
    with replacing(path) as temporary:
        _write(temporary, plugin, spec, pixels)


def encode_png(pixels: Pixels) -> bytes:
    """An 8-bit PNG of display code values, float32 (height, width, 3) on 0–1, untagged and lightly compressed."""
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, "uint8")
    spec.attribute("png:compressionLevel", 1)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.png"
        _write(path, "png", spec, pixels)
        return path.read_bytes()


def reduce_pixels(pixels: Pixels, longest_side: int) -> Pixels:
    """Pixels averaged down in their own numbers so that no side is above `longest_side`; smaller ones come back."""
    height, width = pixels.shape[:2]
    scale = longest_side / max(height, width)
    if scale >= 1:
        return pixels
    target = oiio.ROI(0, max(1, round(width * scale)), 0, max(1, round(height * scale)), 0, 1, 0, pixels.shape[2])
    reduced = oiio.ImageBufAlgo.resize(oiio.ImageBuf(np.ascontiguousarray(pixels)), "box", roi=target)
    return np.asarray(reduced.get_pixels("float"), np.float32)


def _set(spec: oiio.ImageSpec, name: str, value: Attribute) -> None:
    if isinstance(value, tuple):
        kind = "int" if all(isinstance(number, int) for number in value) else "float"
        spec.attribute(name, f"{kind}[{len(value)}]", value)
    else:
        spec.attribute(name, value)


def _write(path: Path, plugin: str, spec: oiio.ImageSpec, pixels: NDArray[np.generic]) -> None:
    output = oiio.ImageOutput.create(plugin)
    assert output is not None, f"the image library was built without {plugin}"
    written = output.open(str(path), spec) and output.write_image(np.ascontiguousarray(pixels))
    reason = output.geterror()
    if not (output.close() and written):
        raise BadInput(f"The image library could not write the file: {reason or 'the disk may be full'}.")
