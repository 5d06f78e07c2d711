"""Read headers and pixels. Files are hostile until proved otherwise: size is judged by the header, before memory."""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.formats import Format, sniff
from saltwort.core.images.png import png_tags

Pixels = NDArray[np.float32]

MAX_PIXELS = 1 << 28
"""16,384 × 16,384: the largest texture in use. A header that promises more is refused."""
MAX_CHANNELS = 256
MAX_PARTS = 1000
MAX_PIXELS_IN_MEMORY = 1 << 26
"""8,192 × 8,192 as float32 RGB is 800 MB; pictures are held whole only up to this."""
STRIP_SAMPLES = 1 << 20
"""Samples read at a time (4 MB): what is measured stays in the cache, and a file's size does not decide the memory."""

LARGEST_STRIP = 8 * STRIP_SAMPLES
EXR_CHUNK = 32
"""Rows that most compressions of EXR pack together, or a multiple of it."""

SAMPLE_TYPES = {
    "uint8": "8-bit",
    "uint16": "16-bit",
    "uint32": "32-bit integer",
    "half": "half",
    "float": "float",
    "double": "double",
}

# What the header says of colour. The library's own guess at a space is left out: it is no fact of the file.
_COLOUR_TAGS = (
    "chromaticities",
    "whiteLuminance",
    "adoptedNeutral",
    "colorInteropID",
    "CICP",
    "ICCProfile:profile_description",
    "oiio:Gamma",
    "Exif:ColorSpace",
    "dpx:Transfer",
    "dpx:Colorimetric",
    "jpeg:ColorSpace",
    "Software",
)


@dataclass(frozen=True)
class Header:
    """What a file says of itself. `tags` holds only what speaks of colour: text, numbers or tuples of numbers. Of a
    file of several `parts` the first is read, and spoken of."""

    format: str
    width: int
    height: int
    channel_names: tuple[str, ...]
    bit_depth: str
    compression: str
    tags: dict[str, str | float | tuple[float, ...]]
    parts: int = 1

    @property
    def layers(self) -> tuple[str, ...]:
        """What stands before the last dot in the names of channels, in their order."""
        return tuple(dict.fromkeys(name.rpartition(".")[0] for name in self.channel_names if "." in name))

    @property
    def channels(self) -> int:
        return len(self.channel_names)


def read_header(path: Path) -> Header:
    """The header of the first picture in a file. Raises BadInput for what is no image, or one of absurd size."""
    with _opened(path) as (known, source):
        header = replace(_header(known, source.spec()), parts=_count_parts(source))
    return replace(header, tags={**header.tags, **png_tags(path)}) if known.key == "png" else header


def read_strips(path: Path) -> Iterator[tuple[int, Pixels]]:
    """(first row, float32 pixels of shape (rows, width, channels)) from top to bottom, as stored: integers on 0–1,
    alpha not multiplied in. Raises BadInput for a file that is damaged or ends too early.
    """
    for start, strip in _strips(path, "float"):
        yield start, np.asarray(strip, np.float32)


def read_stored_strips(path: Path) -> Iterator[NDArray[Any]]:
    """The same strips in the sample type of the file, integers as they stand: to make floats of them takes time."""
    for _, strip in _strips(path, "unknown"):
        yield strip


def _strips(path: Path, sample_type: str) -> Iterator[tuple[int, NDArray[Any]]]:
    with _opened(path) as (_, source):
        spec = source.spec()
        row_samples = spec.width * spec.nchannels
        step = max(1, STRIP_SAMPLES // row_samples)
        # Whole tiles and whole packed chunks, so that none is unpacked twice.
        chunk = spec.tile_height or (EXR_CHUNK if EXR_CHUNK * row_samples <= LARGEST_STRIP else 1)
        step = max(chunk, step // chunk * chunk)
        for start in range(0, spec.height, step):
            yield start, _rows(source, path, start, min(step, spec.height - start), sample_type)


def _rows(source: oiio.ImageInput, path: Path, start: int, rows: int, sample_type: str) -> NDArray[Any]:
    """Rows of an open picture, which must be whole tiles where it has tiles."""
    spec = source.spec()
    top = spec.y + start
    if spec.tile_width:
        read = source.read_tiles(
            spec.x, spec.x + spec.width, top, top + rows, spec.z, spec.z + 1, 0, spec.nchannels, sample_type
        )
    else:
        read = source.read_scanlines(top, top + rows, spec.z, 0, spec.nchannels, sample_type)
    if read is None or source.has_error:
        raise BadInput(f"{path.name} is damaged or ends too early. Save it again and bring the new file.")
    return np.asarray(read).reshape(rows, spec.width, spec.nchannels)


def read_window(path: Path, x: int, y: int, size: int) -> Pixels:
    """RGB of the pixels from (x, y), counted from the upper left, up to `size` across and down, float32 as
    `read_pixels` gives it, without reading the rest. Raises BadInput when there is no such pixel, or for a damaged
    file."""
    with _opened(path) as (_, source):
        spec = source.spec()
        if not (0 <= x < spec.width and 0 <= y < spec.height):
            raise BadInput(f"The picture has {spec.width} × {spec.height} pixels, so none at {x}, {y}.")
        height = spec.tile_height or 1
        start = y // height * height
        end = min(spec.height, -(-min(y + size, spec.height) // height) * height)
        rows = np.asarray(_rows(source, path, start, end - start, "float"), np.float32)
        colour = colour_channels(tuple(spec.channelnames))
        return rows[y - start : y - start + size, x : x + size, :][..., colour]


def read_pixels(path: Path) -> Pixels:
    """The whole picture as float32 RGB of shape (height, width, 3), as stored; a grey is repeated, alpha dropped.

    Raises BadInput for a damaged file and for one above MAX_PIXELS_IN_MEMORY.
    """
    header = read_header(path)
    if header.width * header.height > MAX_PIXELS_IN_MEMORY:
        raise BadInput(
            f"{path.name} has {header.width} × {header.height} pixels; pictures are shown and baked up to "
            f"{MAX_PIXELS_IN_MEMORY:,} pixels. Bring a smaller version."
        )
    pixels = np.empty((header.height, header.width, 3), np.float32)
    colour = colour_channels(header.channel_names)
    for start, strip in read_strips(path):
        pixels[start : start + len(strip)] = strip[..., colour]
    return pixels


def read_reduced(path: Path, longest_side: int) -> Pixels:
    """RGB as `read_pixels` gives it, averaged in whole blocks so that no side is above `longest_side`.

    Memory stays at a strip, whatever the size of the file. The average is of the numbers as stored.
    """
    header = read_header(path)
    block = -(-max(header.width, header.height) // longest_side)
    block = max(1, min(block, header.width, header.height))
    width, height = header.width // block, header.height // block
    colour = colour_channels(header.channel_names)
    sums = np.zeros((height, width, 3), np.float32)
    for start, strip in read_strips(path):
        strip = strip[: max(0, height * block - start), : width * block, colour]
        across = strip.reshape(len(strip), width, block, 3).mean(axis=2)
        np.add.at(sums, (np.arange(start, start + len(strip)) // block), across)
    return sums / np.float32(block)


@contextmanager
def _opened(path: Path) -> Iterator[tuple[Format, oiio.ImageInput]]:
    known = sniff(path)
    hints = oiio.ImageSpec()
    hints.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), hints)
    if source is None or source.format_name() != known.key:
        oiio.geterror()  # the library keeps its message until it is fetched
        if source is not None:
            source.close()
        raise BadInput(f"{path.name} is damaged: its {known.label} header cannot be read. Save it again.")
    try:
        spec = source.spec()
        if spec.deep:
            raise BadInput(f"{path.name} holds deep pixels, which Saltwort does not read. Flatten it first.")
        if spec.width * spec.height > MAX_PIXELS or spec.depth > 1:
            raise BadInput(
                f"{path.name} says it has {spec.width} × {spec.height} pixels; Saltwort reads up to {MAX_PIXELS:,}. "
                "Bring a smaller version."
            )
        if not 1 <= spec.nchannels <= MAX_CHANNELS:
            raise BadInput(f"{path.name} has {spec.nchannels} channels; Saltwort reads 1 to {MAX_CHANNELS}.")
        yield known, source
    finally:
        source.close()


def _header(known: Format, spec: oiio.ImageSpec) -> Header:
    tags = {name: _plain(spec.getattribute(name)) for name in _COLOUR_TAGS if spec.getattribute(name) is not None}
    bits = spec.getattribute("oiio:BitsPerSample")
    sample_type = str(spec.format)
    return Header(
        format=known.label,
        width=spec.width,
        height=spec.height,
        channel_names=tuple(spec.channelnames),
        bit_depth=f"{bits}-bit" if bits and sample_type.startswith("uint") else SAMPLE_TYPES[sample_type],
        compression=str(spec.getattribute("compression") or "none"),
        tags=tags,
    )


def _count_parts(source: oiio.ImageInput) -> int:
    count = next((number for number in range(1, MAX_PARTS) if not source.seek_subimage(number, 0)), MAX_PARTS)
    oiio.geterror()  # of the part that is not there
    source.seek_subimage(0, 0)
    return count


def _plain(value: object) -> str | float | tuple[float, ...]:
    """A tag as text or finite numbers; one with anything else in it as the text of it."""
    numbers = value if isinstance(value, tuple) else (value,)
    if not all(isinstance(number, int | float) and math.isfinite(number) for number in numbers):
        return str(value)
    return tuple(map(float, numbers)) if isinstance(value, tuple) else float(numbers[0])


def as_floats(samples: NDArray[Any]) -> Pixels:
    """Samples as they are stored as float32, integers on 0–1."""
    floats = samples.astype(np.float32)
    if np.issubdtype(samples.dtype, np.integer):
        floats /= np.float32(np.iinfo(samples.dtype).max)
    return floats


def colour_channels(names: tuple[str, ...]) -> list[int]:
    """Which channels are red, green and blue: by name, else the first three, else one grey three times."""
    lowered = [name.lower() for name in names]
    if all(name in lowered for name in "rgb"):
        return [lowered.index(name) for name in "rgb"]
    return [0, 1, 2] if len(names) >= 3 else [0, 0, 0]
