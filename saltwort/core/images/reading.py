"""Read headers and pixels. Files are hostile until proved otherwise: size is judged by the header, before memory."""

import math
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.channels import ASSOCIATED, STRAIGHT, colour_channels, colour_groups, has_alpha
from saltwort.core.images.formats import Format, sniff
from saltwort.core.images.png import png_tags
from saltwort.core.names import clean_text
from saltwort.core.spaces.icc import read_profile

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
SAMPLE_TYPES = {
    "uint8": "8-bit",
    "uint16": "16-bit",
    "uint": "32-bit integer",
    "int": "32-bit integer",
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
    file of several `parts` the first is read, and spoken of, where no other is asked for."""

    format: str
    width: int
    height: int
    channel_names: tuple[str, ...]
    bit_depth: str
    compression: str
    tags: dict[str, str | float | tuple[float, ...]]
    parts: int = 1
    frame: tuple[int, int, int, int] | None = None
    """Where the pixels of the file lie in the picture that is shown, and how large that is: x and y from its upper
    left, width, height. None where they are the same, as in all formats but EXR."""
    alpha: str = ""
    """STRAIGHT or ASSOCIATED, as the format has it or the file says; empty where no channel is alpha."""
    channel_types: tuple[str, ...] = ()
    """The sample type of each channel, a key of SAMPLE_TYPES."""
    part_name: str = ""

    @property
    def picture_size(self) -> tuple[int, int]:
        """Width and height of the picture that is shown."""
        return self.frame[2:] if self.frame else (self.width, self.height)

    @property
    def layers(self) -> tuple[str, ...]:
        """What stands before the last dot in the names of channels, in their order."""
        return tuple(dict.fromkeys(name.rpartition(".")[0] for name in self.channel_names if "." in name))

    @property
    def channels(self) -> int:
        return len(self.channel_names)


@dataclass(frozen=True)
class Layer:
    """Channels of a file that belong together: those of one part whose names have the same beginning."""

    name: str
    part: int
    channels: tuple[str, ...]


def read_header(path: Path, layer: str | None = None, part: int = 0) -> Header:
    """The header of a layer of a file, of its channels alone; that of a whole part where none is named. Raises
    BadInput for what is no image, one of absurd size, or a layer or part that there is not."""
    with _opened(path, part) as (known, source):
        parts = _count_parts(source, part)
        found = None if layer is None else _seek(source, layer, path)
        header = replace(_header(known, source.spec(), found), parts=parts)
    return replace(header, tags={**header.tags, **png_tags(path)}) if known.key == "png" else header


def read_layers(path: Path) -> tuple[Layer, ...]:
    """The layers of a file in their order. A layer is called as its channels begin; in a file of several parts, also
    as its part; a channel beside a picture that is no colour of it, as itself. The name "" stands for the first of all
    where no layer is called so."""
    with _opened(path) as (_, source):
        return _layers(source)


def _layers(source: oiio.ImageInput) -> tuple[Layer, ...]:
    found: dict[tuple[str, int], list[str]] = {}
    several = _count_parts(source) > 1
    part = 0
    while part < MAX_PARTS and source.seek_subimage(part, 0):
        spec = source.spec()
        called = (_text(spec, "oiio:subimagename") or f"part {part + 1}") if several else ""
        for channel in _names(spec):
            beginning = channel.rpartition(".")[0]
            if not beginning and channel.lower() not in COLOUR_CHANNELS and "R" in _names(spec):
                beginning = channel  # depth and the like, beside a picture
            names = dict.fromkeys(name for name in (called, beginning) if name)
            found.setdefault((".".join(names), part), []).append(channel)
        part += 1
    library_error()  # of the part that is not there
    source.seek_subimage(0, 0)
    return tuple(Layer(name, part, tuple(channels)) for (name, part), channels in found.items())


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
            wanted = [_names(source.spec()).index(channel) for channel in channels]
        spec = source.spec()
        row_samples = spec.width * spec.nchannels
        step = max(1, STRIP_SAMPLES // row_samples)
        # Whole tiles and whole packed chunks, so that none is unpacked twice.
        chunk = spec.tile_height or (EXR_CHUNK if EXR_CHUNK * row_samples <= LARGEST_STRIP else 1)
        step = max(chunk, step // chunk * chunk)
        for start in range(first // chunk * chunk, spec.height if last is None else last, step):
            yield start, _rows(source, path, start, min(step, spec.height - start), sample_type)[..., wanted]


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
            f"{MAX_PIXELS_IN_MEMORY:,} pixels. Bring a smaller version."
        )
    return _assembled(path, header, layer, alpha)


def _assembled(path: Path, header: Header, layer: str | None, alpha: bool = False) -> Pixels:
    width, height = header.picture_size
    own = [group.alpha for group in colour_groups(header.channel_names)[:1] if alpha and group.alpha is not None]
    channels = [*colour_channels(header.channel_names), *own]
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
                "Bring a smaller version."
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


def _header(known: Format, spec: oiio.ImageSpec, layer: Layer | None) -> Header:
    names = layer.channels if layer else _names(spec)
    tags = {name: _plain(spec.getattribute(name)) for name in _COLOUR_TAGS if spec.getattribute(name) is not None}
    tags |= _profile_tags(spec)
    types = tuple(str(spec.channelformat(_names(spec).index(name))) for name in names)
    sample_type = types[0]
    return Header(
        format=known.label,
        width=spec.width,
        height=spec.height,
        channel_names=names,
        bit_depth=_bit_depth(sample_type, spec.getattribute("oiio:BitsPerSample")),
        compression=_text(spec, "compression") or "none",
        tags=tags,
        frame=_frame(spec) if known.key == "openexr" else None,
        alpha=_alpha(known, spec) if has_alpha(names) else "",
        channel_types=types,
        part_name=_text(spec, "oiio:subimagename"),
    )


def _profile_tags(spec: oiio.ImageSpec) -> dict[str, str | float | tuple[float, ...]]:
    """What an ICC profile says: `icc:description`; `icc:chromaticities`, of red, green, blue and white, seen under D50;
    `icc:curve` and `icc:power`, a Curve of `spaces.curves`; `icc:CICP`, its code points."""
    held = spec.getattribute("ICCProfile")
    profile = read_profile(bytes(bytearray(held))) if held is not None else None
    if profile is None:
        return {"icc:description": ""} if held is not None else {}
    tags: dict[str, str | float | tuple[float, ...]] = {"icc:description": clean_text(profile.description)}
    if profile.gamut:
        tags["icc:chromaticities"] = profile.gamut.chromaticities
    if profile.curve:
        tags |= {"icc:curve": profile.curve.kind, "icc:power": profile.curve.power}
    if profile.code_points:
        tags["icc:CICP"] = tuple(map(float, profile.code_points))
    return tags


def _bit_depth(sample_type: str, bits: int | None) -> str:
    if bits and sample_type in ("uint8", "uint16"):
        return f"{bits}-bit"
    return SAMPLE_TYPES.get(sample_type, sample_type)


def _names(spec: oiio.ImageSpec) -> tuple[str, ...]:
    """The channels of a part. The library calls any two of a TIFF red and green; its header says when they are a grey
    and something beside it (TIFF 6.0, PhotometricInterpretation)."""
    names = tuple(map(clean_text, spec.channelnames))
    is_grey = spec.getattribute("tiff:PhotometricInterpretation") in (0, 1)
    return ("Y", *(f"channel{number}" for number in range(1, len(names)))) if is_grey and "R" in names else names


def _alpha(known: Format, spec: oiio.ImageSpec) -> str:
    """How a file has its alpha. EXR is associated, PNG straight; a TIFF says. DPX does not: it is taken as the image
    library takes it."""
    is_straight = known.key != "openexr" and spec.getattribute("oiio:UnassociatedAlpha")
    return STRAIGHT if is_straight else ASSOCIATED


def _frame(spec: oiio.ImageSpec) -> tuple[int, int, int, int] | None:
    """See Header.frame: the data window of an EXR in its display window, where they differ."""
    data = (spec.x, spec.y, spec.width, spec.height)
    shown = (spec.full_x, spec.full_y, spec.full_width, spec.full_height)
    if data == shown or spec.full_width < 1 or spec.full_height < 1:
        return None
    return spec.x - spec.full_x, spec.y - spec.full_y, spec.full_width, spec.full_height


def _count_parts(source: oiio.ImageInput, back_to: int = 0) -> int:
    count = next((number for number in range(1, MAX_PARTS) if not source.seek_subimage(number, 0)), MAX_PARTS)
    library_error()  # of the part that is not there
    source.seek_subimage(back_to, 0)
    return count


def _text(spec: oiio.ImageSpec, name: str) -> str:
    """An attribute that is text; empty where there is none."""
    return clean_text(str(spec.getattribute(name) or ""))


_FOLDERS = re.compile(r"/(?:[^/\s\"']+/)+")


def library_error(of: Any = oiio) -> str:
    """What the image library, or an input or output `of` it, says went wrong, without folders, and then forgets; empty
    where that is no text."""
    try:
        return _FOLDERS.sub("", clean_text(of.geterror()))
    except UnicodeDecodeError:
        return ""


def _plain(value: object) -> str | float | tuple[float, ...]:
    """A tag as text or finite numbers; one with anything else in it as the text of it."""
    numbers = value if isinstance(value, tuple) else (value,)
    if not all(isinstance(number, int | float) and math.isfinite(number) for number in numbers):
        return clean_text(str(value))
    return tuple(map(float, numbers)) if isinstance(value, tuple) else float(numbers[0])


def as_floats(samples: NDArray[Any]) -> Pixels:
    """Samples as they are stored as float32, integers on 0–1."""
    floats = samples.astype(np.float32)
    if np.issubdtype(samples.dtype, np.integer):
        floats /= np.float32(np.iinfo(samples.dtype).max)
    return floats
