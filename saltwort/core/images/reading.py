"""Read headers and pixels. Files are hostile until proved otherwise: size is judged by the header, before memory."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.channels import colour_channels, colour_groups
from saltwort.core.images.formats import Format, sniff
from saltwort.core.images.headers import (
    Header,
    Layer,
    TypedAttribute,
    attributes_kept,
    channel_names,
    header_of,
    library_error,
    text_of,
)
from saltwort.core.images.png import png_tags

Pixels = NDArray[np.float32]

MAX_PIXELS = 1 << 28
"""16,384 × 16,384: the largest texture in use. A header that promises more is refused."""
MAX_CHANNELS = 256
MAX_SAMPLES = 1 << 31
"""Pixels × channels: the largest texture with eight."""
MAX_PIECE_BYTES = 1 << 28
"""Of the tiles beside each other, which the image library unpacks at once: an 8k texture in a single tile of 8 bits."""
MAX_PARTS = 1000
MAX_PIXELS_IN_MEMORY = 1 << 26
"""8,192 × 8,192 as float32 RGB is 800 MB; pictures are held whole only up to this."""
STRIP_SAMPLES = 1 << 20
"""Samples read at a time (4 MB): what is measured stays in the cache, and a file's size does not decide the memory."""

LARGEST_STRIP = 8 * STRIP_SAMPLES
EXR_CHUNK = 32
"""Rows that most compressions of EXR pack together, or a multiple of it."""

COLOUR_CHANNELS = ("r", "g", "b", "a", "y")


def read_header(path: Path, layer: str | None = None, part: int = 0) -> Header:
    """The header of a layer of a file, of its channels alone; that of a whole part where none is named. Raises
    BadInput for what is no image, one of absurd size, or a layer or part that there is not."""
    with _opened(path, part) as (known, source):
        parts = _count_parts(source, part)
        found = None if layer is None else _seek(source, layer, path)
        header = replace(header_of(known, source.spec(), found), parts=parts)
    return replace(header, tags={**header.tags, **png_tags(path)}) if known.key == "png" else header


def kept_attributes(path: Path, part: int = 0) -> dict[str, TypedAttribute]:
    """What the header of a part of an EXR says beside colour and layout: time code, frame rate, camera, comments and
    whatever an application wrote there; nothing of other formats. To be written into a file that is made of it."""
    with _opened(path, part) as (known, source):
        return attributes_kept(source.spec()) if known.key == "openexr" else {}


def told_of_part(path: Path, part: int) -> dict[str, Any]:
    """All attributes in the header of a part, by the image library's names."""
    with _opened(path, part) as (_, source):
        return {attribute.name: attribute.value for attribute in source.spec().extra_attribs}


def read_bands(path: Path, part: int, count: int) -> Pixels:
    """Pixels of some bands across a part, evenly spaced from top to bottom, float32 (pixels, channels) as `read_strips`
    gives them: to look at what a large file holds without reading it all. Raises BadInput for a damaged file."""
    height = read_header(path, part=part).height
    bands: list[NDArray[Any]] = []
    end = 0
    for number in range(count):
        wanted = number * height // count
        if wanted >= end:
            ((first, strip),) = _strips(path, "float", None, wanted, wanted + 1, part)
            bands, end = [*bands, strip], first + len(strip)
    return np.concatenate([np.asarray(band, np.float32).reshape(-1, band.shape[-1]) for band in bands])


def read_layers(path: Path) -> tuple[Layer, ...]:
    """The layers of a file in their order. A layer is called as its channels begin; in a file of several parts, also
    as its part; a channel beside a picture that is no colour of it, as itself. The name "" stands for the first of all
    where no layer is called so."""
    with _opened(path) as (_, source):
        return _layers(source)


def _layers(source: oiio.ImageInput) -> tuple[Layer, ...]:
    found: dict[tuple[str, int, str], list[str]] = {}
    several = _count_parts(source) > 1
    part = 0
    while part < MAX_PARTS and source.seek_subimage(part, 0):
        spec = source.spec()
        called = (text_of(spec, "oiio:subimagename") or f"part {part + 1}") if several else ""
        for channel in channel_names(spec):
            beginning = channel.rpartition(".")[0]
            if not beginning and channel.lower() not in COLOUR_CHANNELS and "R" in channel_names(spec):
                beginning = channel  # depth and the like, beside a picture
            names = dict.fromkeys(name for name in (called, beginning) if name)
            found.setdefault((".".join(names), part, called), []).append(channel)
        part += 1
    library_error()  # of the part that is not there
    source.seek_subimage(0, 0)
    return tuple(Layer(name, part, tuple(channels), called) for (name, part, called), channels in found.items())


def _seek(source: oiio.ImageInput, layer: str, path: Path) -> Layer:
    """Go to the part of a layer. Raises BadInput, saying which there are, when there is no such layer."""
    layers = _layers(source)
    found = next((known for known in layers if known.name == layer), None if layer else layers[0])
    if found is None:
        listed = ", ".join(known.name or "the first" for known in layers[:20])
        raise BadInput(f"{path.name} has no layer “{layer}”. It has {listed}.")
    source.seek_subimage(found.part, 0)
    _check_spec(source.spec(), path)
    return found


def read_strips(path: Path, layer: str | None = None, part: int = 0) -> Iterator[tuple[int, Pixels]]:
    """(first row, float32 pixels of shape (rows, width, channels)) from top to bottom, as stored: integers on 0–1,
    alpha as `Header.alpha` tells. Channels are those of `read_header`. Raises BadInput for a file that is damaged or
    ends too early.
    """
    for start, strip in _strips(path, "float", layer, part=part):
        yield start, np.asarray(strip, np.float32)


def read_exact_strips(path: Path, part: int, whole: Sequence[int]) -> Iterator[Pixels]:
    """The strips of `read_strips`, in which the channels numbered in `whole`, of 32-bit whole numbers, hold their bits
    as they stand, seen as floats: so they pass beside floats and are not computed with. Seen as uint32 they are the
    numbers again."""
    strips = read_strips(path, part=part)
    if not whole:
        for _, strip in strips:
            yield strip
        return
    with _opened(path, part) as (_, source):
        for start, strip in strips:
            for number in whole:
                stored = _rows(source, path, start, len(strip), "uint", slice(number, number + 1))
                strip[..., number] = stored[..., 0].view(np.float32)
            yield strip


def read_stored_strips(path: Path, layer: str | None = None) -> Iterator[NDArray[Any]]:
    """The same strips in the sample type of the file, integers as they stand: to make floats of them takes time."""
    for _, strip in _strips(path, "unknown", layer):
        yield strip


def _strips(
    path: Path, sample_type: str, layer: str | None, first: int = 0, last: int | None = None, part: int = 0
) -> Iterator[tuple[int, NDArray[Any]]]:
    """Strips that hold the rows from `first` to before `last`, in whole tiles."""
    with _opened(path, part) as (_, source):
        wanted: slice | list[int] = slice(None)
        if layer is not None:
            channels = _seek(source, layer, path).channels
            wanted = [channel_names(source.spec()).index(channel) for channel in channels]
        spec = source.spec()
        row_samples = spec.width * spec.nchannels
        step = max(1, STRIP_SAMPLES // row_samples)
        # Whole tiles and whole packed chunks, so that none is unpacked twice.
        chunk = spec.tile_height or (EXR_CHUNK if EXR_CHUNK * row_samples <= LARGEST_STRIP else 1)
        step = max(chunk, step // chunk * chunk)
        for start in range(first // chunk * chunk, spec.height if last is None else last, step):
            yield start, _rows(source, path, start, min(step, spec.height - start), sample_type)[..., wanted]


def _rows(
    source: oiio.ImageInput, path: Path, start: int, rows: int, sample_type: str, channels: slice = slice(None)
) -> NDArray[Any]:
    """Rows of an open picture, which must be whole tiles where it has tiles."""
    spec = source.spec()
    top = spec.y + start
    first, last, _ = channels.indices(spec.nchannels)
    if spec.tile_width:
        read = source.read_tiles(
            spec.x, spec.x + spec.width, top, top + rows, spec.z, spec.z + 1, first, last, sample_type
        )
    else:
        read = source.read_scanlines(top, top + rows, spec.z, first, last, sample_type)
    if read is None or source.has_error:
        raise BadInput(f"{path.name} is damaged or ends too early. Save it again and import the new file.")
    return np.asarray(read).reshape(rows, spec.width, last - first)


def read_box(path: Path, x: int, y: int, width: int, height: int, layer: str | None = None) -> Pixels:
    """RGB of a box of the picture that is shown, from (x, y) counted from its upper left and cut at its edges, float32
    as `read_pixels` gives it, without reading other rows. Raises BadInput when there is no such pixel, or for a damaged
    file."""
    header = read_header(path, layer)
    whole_width, whole_height = header.picture_size
    if not (0 <= x < whole_width and 0 <= y < whole_height):
        raise BadInput(f"The picture has {whole_width} × {whole_height} pixels, so none at {x}, {y}.")
    width, height = min(width, whole_width - x), min(height, whole_height - y)
    left, top = header.frame[:2] if header.frame else (0, 0)
    box = np.zeros((height, width, 3), np.float32)
    colour = colour_channels(header.channel_names)
    first, last = max(0, x - left), min(header.width, x - left + width)
    for start, strip in _strips(path, "float", layer, max(0, y - top), min(header.height, y - top + height)):
        above, below = max(start, y - top), min(start + len(strip), y - top + height)
        if above < below and first < last:
            rows = strip[above - start : below - start, first:last][..., colour]
            box[above + top - y : below + top - y, first + left - x : last + left - x] = rows
    return box


def _framed_strips(
    path: Path, header: Header, layer: str | None, colour: list[int] | None = None
) -> Iterator[tuple[int, Pixels]]:
    """(first row, pixels of shape (rows, width, channels)) in the picture that is shown: cut to it, 0 where there is
    none. Channels are `colour`, or those that are shown as red, green and blue."""
    colour = colour or colour_channels(header.channel_names)
    if header.frame is None:
        for start, strip in read_strips(path, layer):
            yield start, strip[..., colour]
        return
    x, y, width, height = header.frame
    for start, strip in read_strips(path, layer):
        top, bottom = max(0, start + y), min(height, start + y + len(strip))
        left, right = max(0, x), min(width, x + header.width)
        if top < bottom and left < right:
            framed = np.zeros((bottom - top, width, len(colour)), np.float32)
            rows = strip[top - y - start : bottom - y - start]
            framed[:, left:right] = rows[:, left - x : right - x][..., colour]
            yield top, framed


def read_whole_strips(path: Path, part: int = 0) -> Iterator[tuple[int, Pixels]]:
    """The same as `read_strips` for all channels of the picture that is shown: cut to it, and 0 where there is none."""
    header = read_header(path, part=part)
    if header.frame is None:
        yield from read_strips(path, part=part)
        return
    x, y, width, height = header.frame
    left, right, row = max(0, x), min(width, x + header.width), 0
    for start, strip in read_strips(path, part=part):
        top, bottom = max(0, start + y), min(height, start + y + len(strip))
        if top >= bottom or left >= right:
            continue
        yield from _blank(row, top, width, header.channels)
        framed = np.zeros((bottom - top, width, header.channels), np.float32)
        framed[:, left:right] = strip[top - y - start : bottom - y - start, left - x : right - x]
        yield top, framed
        row = bottom
    yield from _blank(row, height, width, header.channels)


def _blank(first: int, last: int, width: int, channels: int) -> Iterator[tuple[int, Pixels]]:
    step = max(1, STRIP_SAMPLES // (width * channels))
    for row in range(first, last, step):
        yield row, np.zeros((min(step, last - row), width, channels), np.float32)


def read_pixels(path: Path, layer: str | None = None, *, alpha: bool = False) -> Pixels:
    """The whole picture as float32 RGB of shape (height, width, 3), as stored; a grey is repeated, alpha dropped, or,
    where it is asked for and there is one, the fourth channel. What an EXR holds outside the picture is cut off, what
    it lacks there is black.

    Raises BadInput for a damaged file and for one above MAX_PIXELS_IN_MEMORY.
    """
    header = read_header(path, layer)
    width, height = header.picture_size
    if width * height > MAX_PIXELS_IN_MEMORY:
        raise BadInput(
            f"{path.name} has {width} × {height} pixels; pictures are shown and baked up to "
            f"{MAX_PIXELS_IN_MEMORY:,} pixels. Import a smaller version."
        )
    return _assembled(path, header, layer, alpha)


def read_picture_strips(path: Path, layer: str | None = None, *, alpha: bool = False) -> Iterator[tuple[int, Pixels]]:
    """(first row, pixels) from top to bottom as `read_pixels` gives the whole, rows that the file lacks included; for
    pictures of any size. Raises BadInput for a damaged file."""
    header = read_header(path, layer)
    width, height = header.picture_size
    channels = _shown_channels(header, alpha)
    row = 0
    for start, strip in _framed_strips(path, header, layer, channels):
        yield from _blank(row, start, width, len(channels))
        yield start, strip
        row = start + len(strip)
    yield from _blank(row, height, width, len(channels))


def _shown_channels(header: Header, alpha: bool) -> list[int]:
    own = [group.alpha for group in colour_groups(header.channel_names)[:1] if alpha and group.alpha is not None]
    return [*colour_channels(header.channel_names), *own]


def _assembled(path: Path, header: Header, layer: str | None, alpha: bool = False) -> Pixels:
    width, height = header.picture_size
    channels = _shown_channels(header, alpha)
    pixels = np.zeros((height, width, len(channels)), np.float32)
    for start, strip in _framed_strips(path, header, layer, channels):
        pixels[start : start + len(strip)] = strip
    return pixels


def read_reduced(path: Path, longest_side: int, layer: str | None = None) -> Pixels:
    """RGB as `read_pixels` gives it, averaged in whole blocks so that no side is above `longest_side`.

    Memory stays at a strip, whatever the size of the file. The average is of the numbers as stored.
    """
    header = read_header(path, layer)
    whole_width, whole_height = header.picture_size
    block = -(-max(whole_width, whole_height) // longest_side)
    block = max(1, min(block, whole_width, whole_height))
    if block == 1:
        return _assembled(path, header, layer)
    width, height = whole_width // block, whole_height // block
    sums = np.zeros((height, width, 3), np.float32)
    for start, strip in _framed_strips(path, header, layer):
        strip = strip[: max(0, height * block - start), : width * block]
        if not len(strip):
            break
        across = strip[:, ::block].copy()
        for column in range(1, block):
            across += strip[:, column::block]
        rows = np.arange(start, start + len(strip)) // block
        firsts = np.flatnonzero(np.diff(rows, prepend=-1))
        sums[rows[firsts]] += np.add.reduceat(across, firsts, axis=0)
    return sums / np.float32(block * block)


@contextmanager
def _opened(path: Path, part: int = 0) -> Iterator[tuple[Format, oiio.ImageInput]]:
    known = sniff(path)
    hints = oiio.ImageSpec()
    hints.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), hints)
    if source is None or source.format_name() != known.key:
        library_error()  # it is kept until it is fetched
        if source is not None:
            source.close()
        raise BadInput(f"{path.name} is damaged: its {known.label} header cannot be read. Save it again.")
    try:
        if part and not source.seek_subimage(part, 0):
            library_error()
            raise BadInput(f"{path.name} has no part {part + 1}.")
        _check_spec(source.spec(), path)
        yield known, source
    finally:
        source.close()


def _check_spec(spec: oiio.ImageSpec, path: Path) -> None:
    """Refuse a part before any memory is given to it."""
    if spec.deep:
        raise BadInput(f"{path.name} holds deep pixels, which Saltwort does not read. Flatten it first.")
    for width, height in ((spec.width, spec.height), (spec.full_width, spec.full_height)):
        if width * height > MAX_PIXELS or spec.depth > 1:
            raise BadInput(
                f"{path.name} says it has {width} × {height} pixels; Saltwort reads up to {MAX_PIXELS:,}. "
                "Import a smaller version."
            )
    if not 1 <= spec.nchannels <= MAX_CHANNELS:
        raise BadInput(f"{path.name} has {spec.nchannels} channels; Saltwort reads 1 to {MAX_CHANNELS}.")
    if spec.width * spec.height * spec.nchannels > MAX_SAMPLES:
        raise BadInput(
            f"{path.name} says it has {spec.width} × {spec.height} pixels of {spec.nchannels} channels; Saltwort reads "
            f"up to {MAX_SAMPLES:,} samples. Split it into several files."
        )
    if spec.tile_height * spec.width * spec.pixel_bytes(True) > MAX_PIECE_BYTES:
        raise BadInput(
            f"{path.name} has tiles of {spec.tile_width} × {spec.tile_height} pixels, which have to be unpacked whole: "
            f"more than {MAX_PIECE_BYTES >> 20} MB. Save it with smaller tiles."
        )


def _count_parts(source: oiio.ImageInput, back_to: int = 0) -> int:
    count = next((number for number in range(1, MAX_PARTS) if not source.seek_subimage(number, 0)), MAX_PARTS)
    library_error()  # of the part that is not there
    source.seek_subimage(back_to, 0)
    return count


def as_floats(samples: NDArray[Any]) -> Pixels:
    """Samples as they are stored as float32, integers on 0–1."""
    floats = samples.astype(np.float32)
    if np.issubdtype(samples.dtype, np.integer):
        floats /= np.float32(np.iinfo(samples.dtype).max)
    return floats
