"""Write image files whole or not at all, and encode pictures for the screen."""

import struct
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from io import BytesIO
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray
from PIL import Image

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images.channels import ASSOCIATED, STRAIGHT, has_alpha, is_alpha, usual_names
from saltwort.core.images.exr_header import declare_whole_numbers
from saltwort.core.images.headers import TypedAttribute, library_error
from saltwort.core.images.reading import Pixels

Attribute = str | int | float | bytes | tuple[int, ...] | tuple[float, ...] | TypedAttribute
"""Text, numbers, an ICC profile as bytes, or what stood in the header of another file."""

WRITABLE = {
    ".png": "png",
    ".tif": "tiff",
    ".tiff": "tiff",
    ".exr": "openexr",
    ".jpg": "jpeg",
    ".jpeg": "jpeg",
    ".hdr": "hdr",
    ".dpx": "dpx",
    ".jxl": "jpegxl",
}

# What each format holds: how many channels (none is any number), and how it may have alpha.
_COUNTS = {"png": (1, 2, 3, 4), "jpeg": (1, 3), "hdr": (3,), "dpx": (1, 3, 4), "jpegxl": (1, 2, 3, 4)}
_ALPHAS = {
    "png": (STRAIGHT,),
    "tiff": (STRAIGHT, ASSOCIATED),
    "openexr": (ASSOCIATED,),
    "dpx": (ASSOCIATED,),
    "jpegxl": (STRAIGHT,),
}
_FOURTH_IS_ALPHA = ("png", "dpx", "jpegxl")


@dataclass(frozen=True)
class Part:
    """A picture that is to be written: its size, the names of its channels, the sample type of all or of each, and how
    its samples have alpha, as `Header.alpha` tells it. `frame` is as in `Header`, for EXR alone; `name` is that of a
    part of several."""

    width: int
    height: int
    channels: tuple[str, ...]
    sample_types: tuple[str, ...]
    alpha: str = ""
    frame: tuple[int, int, int, int] | None = None
    name: str = ""
    origin: tuple[int, int] = (0, 0)
    attributes: Mapping[str, Attribute] = field(default_factory=dict)
    """What its header says beside what those of all parts say."""

    @property
    def types(self) -> tuple[str, ...]:
        """The sample type of each channel."""
        return self.sample_types * len(self.channels) if len(self.sample_types) == 1 else self.sample_types

    @property
    def whole_numbers(self) -> tuple[str, ...]:
        """The channels of 32-bit whole numbers, which EXR alone holds."""
        return tuple(name for name, of in zip(self.channels, self.types, strict=True) if of == WHOLE_NUMBER)


WHOLE_NUMBER = "uint"


def write_image(
    path: Path, pixels: NDArray[np.generic], sample_type: str, attributes: Mapping[str, Attribute] | None = None
) -> None:
    """Write pixels of shape (height, width, channels) under `path`, whose suffix names the format.

    Float pixels are clamped to 0–1 and rounded by the library where `sample_type` is `uint8` or `uint16`; `half` and
    `float` keep them. Two and four channels have alpha, which stands as the format has it: associated in EXR and DPX,
    straight elsewhere. A file says of its colour what `attributes` say, and no more. It is written under a temporary
    name, synced and renamed, so that a reader never meets half of it. Raises BadInput for what the format cannot hold,
    or when the disk refuses.
    """
    height, width, channels = pixels.shape
    with writing_rows(path, (height, width, channels), sample_type, attributes) as write:
        write(pixels)


def write_avif(path: Path, codes: NDArray[np.uint8], quality: int, attributes: Mapping[str, Attribute]) -> None:
    """Write code values, uint8 (height, width, 3 or 4, straight alpha), as AVIF without subsampling of colour, under
    its code points and profile as in `write_image`. It appears whole, as there."""
    profile = attributes.get("ICCProfile", b"")
    points = attributes.get("CICP", (UNSPECIFIED, UNSPECIFIED))
    content = BytesIO()
    Image.fromarray(codes).save(content, "AVIF", quality=quality, subsampling="4:4:4", icc_profile=profile or None)
    assert isinstance(points, tuple)
    with replacing(path) as temporary:
        temporary.write_bytes(_with_code_points(content.getvalue(), int(points[0]), int(points[1])))


UNSPECIFIED = 2
"""The code point of H.273 for what is not told."""


def _with_code_points(content: bytes, primaries: int, transfer: int) -> bytes:
    """An AVIF whose colour box (`nclx`, ISO/IEC 23008-12) says these code points; the library always writes sRGB."""
    start = content.find(b"nclx")
    if start < 0:
        return content
    return content[: start + 4] + struct.pack(">HH", primaries, transfer) + content[start + 8 :]


def write_layers(
    path: Path, layers: Mapping[str, NDArray[np.float32]], attributes: Mapping[str, Attribute] | None = None
) -> None:
    """Write an EXR of many channels, each (height, width) under its whole name, such as `key.R`: colours as half, the
    channels Z and id, which must be exact, as float. It appears whole, as with `write_image`; errors are the same."""
    names = tuple(layers)
    height, width = layers[names[0]].shape
    formats = tuple("float" if name in EXACT_CHANNELS else "half" for name in names)
    with writing_parts(path, [Part(width, height, names, formats, usual_alpha(path, names))], attributes) as write:
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
    height, width, count = size
    names = usual_names(count)
    part = Part(width, height, names, (sample_type,), usual_alpha(path, names))
    with writing_parts(path, [part], attributes) as write:
        yield write


def usual_alpha(path: Path, names: tuple[str, ...]) -> str:
    """How the format of a file has alpha where there is a choice, for channels of these names; empty without one."""
    return _ALPHAS.get(_plugin(path), ("",))[0] if has_alpha(names) else ""


def check_holds(path: Path, parts: Sequence[Part]) -> None:
    """Raise BadInput, saying what to do, where the format that a name stands for cannot hold all of these parts."""
    plugin = _plugin(path)
    suffix = path.suffix.removeprefix(".").upper()
    if len(parts) > 1 and plugin != "openexr":
        raise BadInput(f"{suffix} holds one part, and there are {len(parts)}. Choose EXR.")
    for part in parts:
        count = len(part.channels)
        counts = _COUNTS.get(plugin)
        if counts and count not in counts:
            raise BadInput(f"{suffix} holds {_listed(counts)} channels, and there are {count}. Choose EXR or TIFF.")
        if part.whole_numbers and plugin != "openexr":
            named = ", ".join(part.whole_numbers)
            raise BadInput(f"{suffix} does not hold 32-bit whole numbers beside colour ({named}). Choose EXR.")
        if part.alpha not in ("", *_ALPHAS.get(plugin, ())):
            raise BadInput(f"{suffix} holds no {part.alpha} alpha. Choose EXR or TIFF.")
        if plugin in _FOURTH_IS_ALPHA and count in (2, 4) and not part.alpha:
            raise BadInput(f"{suffix} takes “{part.channels[-1]}” for alpha, which it is not. Choose EXR or TIFF.")


def _listed(counts: tuple[int, ...]) -> str:
    *first, last = map(str, counts)
    return f"{', '.join(first)} or {last}" if first else last


@contextmanager
def writing_parts(
    path: Path, parts: Sequence[Part], attributes: Mapping[str, Attribute] | None = None
) -> Iterator[Rows]:
    """Write the rows of one part after the other. All have these attributes, and each its own. Channels of 32-bit whole
    numbers are given as their bits, seen as floats. Errors are as of `write_image`."""
    check_holds(path, parts)
    plugin = _plugin(path)
    specs = [_spec(part, plugin, attributes or {}) for part in parts]
    with replacing(path) as temporary:
        output = oiio.ImageOutput.create(plugin)
        assert output is not None, f"the image library was built without {plugin}"
        opening = (specs[0],) if len(specs) == 1 else (tuple(specs),)
        written = output.open(str(temporary), *opening)
        number = row = 0

        def write(rows: NDArray[np.generic]) -> None:
            nonlocal written, number, row
            if row == specs[number].height:
                number, row = number + 1, 0
                written = written and output.open(str(temporary), specs[number], "AppendSubimage")
            top = specs[number].y + row
            written = written and output.write_scanlines(top, top + len(rows), 0, np.ascontiguousarray(rows))
            row += len(rows)
            if not written:
                raise _unwritten(output)

        try:
            yield write
        finally:
            closed = output.close()
        if not (closed and written):
            raise _unwritten(output)
        declare_whole_numbers(temporary, [part.whole_numbers for part in parts])


def _spec(part: Part, plugin: str, attributes: Mapping[str, Attribute]) -> oiio.ImageSpec:
    # Whole numbers go as floats of the same bits: the library would compute with them beside channels of other types.
    types = tuple("float" if of == WHOLE_NUMBER else of for of in part.sample_types)
    spec = oiio.ImageSpec(part.width, part.height, len(part.channels), types[0])
    spec.channelnames = part.channels
    if len(types) > 1:
        spec.channelformats = tuple(map(oiio.TypeDesc, types))
    # The library takes any fourth channel for alpha, and without a word writes that a PNG is sRGB.
    alpha = next((number for number, name in enumerate(part.channels) if is_alpha(name)), -1)
    spec.alpha_channel = alpha if part.alpha else -1
    if part.alpha == STRAIGHT:
        spec.attribute("oiio:UnassociatedAlpha", 1)
    if plugin == "png":
        spec.attribute("oiio:ColorSpace", "data")
    spec.full_x, spec.full_y = spec.x, spec.y = part.origin
    if part.frame:
        x, y, spec.full_width, spec.full_height = part.frame
        spec.x, spec.y = spec.x + x, spec.y + y
    if part.name:
        spec.attribute("oiio:subimagename", part.name)
    for name, value in {**attributes, **part.attributes}.items():
        _set(spec, name, value)
    return spec


def write_texture(source: Path, path: Path) -> None:
    """Write a picture again as tiles with all its mip levels, as renderers read textures best, under the name `path`,
    in an EXR container. Samples keep their type and values, header facts stay, and the picture repeats at its borders.
    Raises BadInput when the image library refuses."""
    wanted = oiio.ImageSpec()
    for name, value in (("fileformatname", "openexr"), ("fixnan", "none"), ("wrapmodes", "periodic,periodic")):
        wanted.attribute(f"maketx:{name}", value)
    wanted.attribute("wrapmodes", "periodic,periodic")
    picture = oiio.ImageBuf(str(source))
    picture.specmod().alpha_channel = -1  # the library would cut alpha to 0–1, which for data is a number as any other
    with replacing(path) as temporary:
        if not oiio.ImageBufAlgo.make_texture(oiio.MakeTxTexture, picture, str(temporary), wanted):
            raise BadInput(f"The image library could not write the file: {library_error() or 'the disk may be full'}.")


def _unwritten(output: oiio.ImageOutput) -> BadInput:
    return BadInput(f"The image library could not write the file: {library_error(output) or 'the disk may be full'}.")


def _plugin(path: Path) -> str:
    plugin = WRITABLE.get(path.suffix.lower())
    if plugin is None:
        raise BadInput(f"{path.name} cannot be written; its name ends with one of {', '.join(WRITABLE)}.")
    return plugin


def encode_png(pixels: Pixels) -> bytes:
    """An 8-bit PNG of display code values, float32 (height, width, 3) on 0–1, untagged and lightly compressed."""
    codes = np.rint(np.clip(np.nan_to_num(pixels), 0, 1) * np.float32(255)).astype(np.uint8)
    content = BytesIO()
    Image.fromarray(codes).save(content, "PNG", compress_level=1)
    return content.getvalue()


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
    elif isinstance(value, bytes):
        spec.attribute(name, f"uint8[{len(value)}]", np.frombuffer(value, np.uint8))
    elif isinstance(value, TypedAttribute):
        spec.attribute(name, value.type, value.value)
    else:
        spec.attribute(name, value)
