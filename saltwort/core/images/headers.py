"""What the header of an image file says, in plain terms."""

import math
import re
from dataclasses import dataclass
from typing import Any

import OpenImageIO as oiio

from saltwort.core.images.channels import ASSOCIATED, STRAIGHT, has_alpha
from saltwort.core.images.formats import Format
from saltwort.core.names import clean_text
from saltwort.core.spaces.icc import read_profile

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
    origin: tuple[int, int] = (0, 0)
    """Where the upper left of the picture lies in the coordinates of the file: that of an EXR's display window."""
    is_tiled: bool = False

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
    part_name: str = ""
    """What its part is called, in a file of several."""


@dataclass(frozen=True)
class TypedAttribute:
    """An attribute of a header with the image library's name of its type, such as `timecode`."""

    type: str
    value: Any


_NOT_KEPT = (
    "oiio:", "openexr:", "ICCProfile", "compression", "Compression", "channels", "tile", "lineOrder", "name",
    "chunkCount", "type", "version", "textureformat", "wrapmodes",
)  # fmt: skip
"""How attributes begin that say how the file is laid out."""
LONGEST_KEPT = 100_000


def attributes_kept(spec: oiio.ImageSpec) -> dict[str, TypedAttribute]:
    """The attributes of a part that speak neither of colour nor of its layout, text cleaned."""
    kept = {}
    for attribute in spec.extra_attribs:
        name, value = attribute.name, attribute.value
        if name in _COLOUR_TAGS[:5] or name.startswith(_NOT_KEPT) or clean_text(name) != name:
            continue
        if isinstance(value, str):
            value = value.encode("utf-8", "replace").decode()[:LONGEST_KEPT]
        kept[name] = TypedAttribute(str(attribute.type), value)
    return kept


def header_of(known: Format, spec: oiio.ImageSpec, layer: Layer | None) -> Header:
    """What a part of an open file says of itself, or of one of its layers."""
    names = layer.channels if layer else channel_names(spec)
    tags = {name: _plain(spec.getattribute(name)) for name in _COLOUR_TAGS if spec.getattribute(name) is not None}
    tags |= _profile_tags(spec)
    types = tuple(str(spec.channelformat(channel_names(spec).index(name))) for name in names)
    sample_type = types[0]
    return Header(
        format=known.label,
        width=spec.width,
        height=spec.height,
        channel_names=names,
        bit_depth=_bit_depth(sample_type, spec.getattribute("oiio:BitsPerSample")),
        compression=text_of(spec, "compression") or "none",
        tags=tags,
        frame=frame_of(spec) if known.key == "openexr" else None,
        alpha=_alpha(known, spec) if has_alpha(names) else "",
        channel_types=types,
        part_name=text_of(spec, "oiio:subimagename"),
        origin=(spec.full_x, spec.full_y) if known.key == "openexr" else (0, 0),
        is_tiled=bool(spec.tile_width) and known.key == "openexr",
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


def channel_names(spec: oiio.ImageSpec) -> tuple[str, ...]:
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


def frame_of(spec: oiio.ImageSpec) -> tuple[int, int, int, int] | None:
    """See Header.frame: the data window of an EXR in its display window, where they differ."""
    data = (spec.x, spec.y, spec.width, spec.height)
    shown = (spec.full_x, spec.full_y, spec.full_width, spec.full_height)
    if data == shown or spec.full_width < 1 or spec.full_height < 1:
        return None
    return spec.x - spec.full_x, spec.y - spec.full_y, spec.full_width, spec.full_height


def text_of(spec: oiio.ImageSpec, name: str) -> str:
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
