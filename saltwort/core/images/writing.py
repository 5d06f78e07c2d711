"""Write image files whole or not at all, and encode pictures for the screen."""

import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
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
    height, width, channels = pixels.shape
    with writing_rows(path, (height, width, channels), sample_type, attributes) as write:
        write(pixels)


def write_layers(
    path: Path, layers: Mapping[str, NDArray[np.float32]], attributes: Mapping[str, Attribute] | None = None
) -> None:
    """Write an EXR of many channels, each (height, width) under its whole name, such as `key.R`: colours as half, the
    channels Z and id, which must be exact, as float. It appears whole, as with `write_image`; errors are the same."""
    names = list(layers)
    height, width = layers[names[0]].shape
    formats = tuple("float" if name in EXACT_CHANNELS else "half" for name in names)
    with _writing(path, (height, width, len(names)), formats, names, attributes) as write:
        write(np.stack([layers[name] for name in names], axis=2))


EXACT_CHANNELS = ("Z", "id")

Rows = Callable[[NDArray[np.generic]], None]


@contextmanager
def writing_rows(
    path: Path,
    size: tuple[int, int, int],
    sample_type: str,
    attributes: Mapping[str, Attribute] | None = None,
) -> Iterator[Rows]:
    """Write a picture of `size` (height, width, channels) row by row, so that it is never held whole: gives a function
    that takes the next rows. Samples and errors are as of `write_image`, and so is the file, which appears when the
    block ends well.
    """
    with _writing(path, size, (sample_type,), [], attributes) as write:
        yield write


@contextmanager
def _writing(
    path: Path,
    size: tuple[int, int, int],
    sample_types: tuple[str, ...],
    names: list[str],
    attributes: Mapping[str, Attribute] | None,
) -> Iterator[Rows]:
    height, width, channels = size
    plugin = _plugin(path)
    spec = oiio.ImageSpec(width, height, channels, sample_types[0])
    if names:
        spec.channelnames = names
        spec.channelformats = tuple(map(oiio.TypeDesc, sample_types))
    for name, value in (attributes or {}).items():
        _set(spec, name, value)
    with replacing(path) as temporary:
        output = oiio.ImageOutput.create(plugin)
        assert output is not None, f"the image library was built without {plugin}"
        written = output.open(str(temporary), spec)
        row = 0

        def write(rows: NDArray[np.generic]) -> None:
            nonlocal written, row
            written = written and output.write_scanlines(row, row + len(rows), 0, np.ascontiguousarray(rows))
            row += len(rows)
            if not written:
                raise _unwritten(output)

        try:
            yield write
        finally:
            closed = output.close()
        if not (closed and written):
            raise _unwritten(output)


def write_texture(source: Path, path: Path) -> None:
    """Write a picture again as tiles with all its mip levels, as renderers read textures best, under the name `path`,
    in an EXR container. Samples keep their type and values, header facts stay, and the picture repeats at its borders.
    Raises BadInput when the image library refuses."""
    wanted = oiio.ImageSpec()
    for name, value in (("fileformatname", "openexr"), ("fixnan", "none"), ("wrapmodes", "periodic,periodic")):
        wanted.attribute(f"maketx:{name}", value)
    wanted.attribute("wrapmodes", "periodic,periodic")
    with replacing(path) as temporary:
        if not oiio.ImageBufAlgo.make_texture(oiio.MakeTxTexture, str(source), str(temporary), wanted):
            raise BadInput(f"The image library could not write the file: {oiio.geterror() or 'the disk may be full'}.")


def _unwritten(output: oiio.ImageOutput) -> BadInput:
    return BadInput(f"The image library could not write the file: {output.geterror() or 'the disk may be full'}.")


def _plugin(path: Path) -> str:
    plugin = WRITABLE.get(path.suffix.lower())
    if plugin is None:
        raise BadInput(f"{path.name} cannot be written; its name ends with one of {', '.join(WRITABLE)}.")
    return plugin


def encode_png(pixels: Pixels) -> bytes:
    """An 8-bit PNG of display code values, float32 (height, width, 3) on 0–1, untagged and lightly compressed."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.png"
        write_image(path, pixels, "uint8", {"png:compressionLevel": 1})
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
