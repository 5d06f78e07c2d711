"""What a conversion writes of each part of a file: the formats, names, channels, alpha and sample types."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, read_header
from saltwort.core.images.channels import STRAIGHT, ColourGroup, colour_groups
from saltwort.core.images.layer_kinds import NOTHING_BY_HAND, ByHand, JudgedLayer, groups_of_part, judged_layers
from saltwort.core.images.reading import Pixels
from saltwort.core.images.writing import WHOLE_NUMBER, Part, check_holds, usual_alpha


@dataclass(frozen=True)
class Format:
    """What can be written. `is_texture` is tiled, with all mip levels."""

    label: str
    suffix: str
    sample_type: str
    is_texture: bool = False


FORMATS = {
    "exr-half": Format("EXR, half", ".exr", "half"),
    "exr-float": Format("EXR, float", ".exr", "float"),
    "tx-half": Format("TX, half, tiled with mip levels", ".tx", "half", is_texture=True),
    "tx-float": Format("TX, float, tiled with mip levels", ".tx", "float", is_texture=True),
    "tif-16": Format("TIFF, 16-bit", ".tif", "uint16"),
    "png-16": Format("PNG, 16-bit", ".png", "uint16"),
}
SPACE_TOKEN, NAME_TOKEN = "{space}", "{name}"
DEFAULT_PATTERN = f"{NAME_TOKEN}_{SPACE_TOKEN}"
TEXTURE_PIXELS = 1 << 26
"""8,192 × 8,192: the image library holds a picture whole while it makes mip levels."""
_NUMBERED = re.compile(r"[._](1[0-9]{3})$|\.[0-9]{1,8}$|_u[0-9]{1,2}_v[0-9]{1,2}$", re.IGNORECASE)
"""Tile or frame at the end of a name, where applications look for it."""


def converted_name(path: str, config: ocio.Config, space: str, format_name: str, pattern: str = DEFAULT_PATTERN) -> str:
    """File name of a conversion, from a pattern with `{name}` and, if wanted, `{space}`, which becomes the space's
    shortest alias. A tile or frame stays at the end. Raises BadInput for a pattern without a name, or that leads into
    another folder."""
    if NAME_TOKEN not in pattern or re.search(r"[/\\\x00-\x1f]", pattern):
        raise BadInput(f"A name pattern holds {NAME_TOKEN}, {SPACE_TOKEN} if you like, and no slashes.")
    found = config.getColorSpace(known_space(config, space))
    token = min((found.getName(), *found.getAliases()), key=len).replace(" ", "_").replace("/", "_")
    stem = Path(path).stem
    numbered = _NUMBERED.search(stem)
    number = numbered[0] if numbered else ""
    named = pattern.replace(NAME_TOKEN, stem.removesuffix(number)).replace(SPACE_TOKEN, token)
    return named + number + format_of(format_name).suffix


def format_of(name: str) -> Format:
    if name not in FORMATS:
        raise BadInput(f"There is no format “{name}”. Choose one of {', '.join(FORMATS)}.")
    return FORMATS[name]


@dataclass(frozen=True)
class SourcePart:
    """A part of a file that is to be converted: its header, its colours, and the layers of it that are data."""

    header: Header
    groups: tuple[ColourGroup, ...]
    data: tuple[JudgedLayer, ...] = ()


def part_of(header: Header) -> SourcePart:
    """The part of a file that has one, by its header alone, where no channel stands in a layer."""
    return SourcePart(header, colour_groups(header.channel_names))


def is_plain(header: Header) -> bool:
    """Whether a header alone tells what is colour: one part without layers, of which the sample types are known."""
    return header.parts == 1 and bool(header.channel_types) and not header.layers


def read_headers(path: Path) -> tuple[Header, ...]:
    """The headers of all parts of a file, one for most."""
    first = read_header(path)
    return (first, *(read_header(path, part=number) for number in range(1, first.parts)))


def read_parts(path: Path, by_hand: ByHand = NOTHING_BY_HAND) -> tuple[SourcePart, ...]:
    """All parts of a file, one for most, with the layers that are data told apart from colour. Raises BadInput for what
    is no image, and for a layer `by_hand` that it lacks."""
    headers = read_headers(path)
    judged = judged_layers(path, by_hand)
    return tuple(
        SourcePart(
            header,
            groups_of_part(header, number, judged),
            tuple(each for each in judged if each.is_data and each.layer.part == number and len(judged) > 1),
        )
        for number, header in enumerate(headers)
    )


def check_convertible(parts: Sequence[SourcePart], name: str, format_name: str, *, is_data: bool = False) -> None:
    """Raise BadInput, calling the file by `name`, for what `convert` does not take."""
    plans_of(parts, is_data, format_of(format_name), name)


def _check_colour(parts: Sequence[SourcePart], name: str, is_data: bool) -> None:
    if not is_data and not any(part.groups for part in parts):
        listed = ", ".join(channel for part in parts for channel in part.header.channel_names)
        raise BadInput(f"{name} holds {listed}, which are no colour. Read it as data.")


def _check_source(part: SourcePart, name: str, wanted: Format) -> None:
    header = part.header
    width, height = header.picture_size
    if wanted.is_texture and max(width * height, header.width * header.height) > TEXTURE_PIXELS:
        raise BadInput(f"{name} has more than {TEXTURE_PIXELS:,} pixels, too many to make mip levels of here.")
    colours = {number for group in part.groups for number in group.colour}
    for number, sample_type in enumerate(header.channel_types):
        is_kept = sample_type == WHOLE_NUMBER and header.format == "EXR" and wanted.suffix == ".exr"
        if sample_type in ("uint", "int") and number not in colours and not is_kept:
            raise BadInput(
                f"{name} holds {header.channel_names[number]} in 32-bit integers, which would not pass exactly. "
                f"{'Convert it to EXR' if header.format == 'EXR' else 'Save it as float'}."
            )


@dataclass(frozen=True)
class Plan:
    """How one part is written: its channels in the order of `order`, of which `groups`, numbered as in the source, are
    colours."""

    header: Header
    part: Part
    groups: tuple[ColourGroup, ...]
    order: tuple[int, ...]
    is_data: bool
    sample_type: str
    data: tuple[JudgedLayer, ...] = ()

    @property
    def whole(self) -> list[int]:
        """The channels of whole numbers, numbered as in the source, which pass as their bits."""
        return [place for place, of in zip(self.order, self.part.types, strict=True) if of == WHOLE_NUMBER]

    @property
    def colours(self) -> list[int]:
        """The channels that are colour or its alpha, numbered as in the target."""
        known = {number for group in self.groups for number in (*group.colour, group.alpha)}
        return [at for at, place in enumerate(self.order) if place in known]

    @property
    def changes_alpha(self) -> bool:
        return self.header.alpha != self.part.alpha

    def as_written(self, pixels: Pixels) -> Pixels:
        """Pixels as the source has them, with alpha and order as the target has them."""
        if not self.is_data and self.changes_alpha:
            pixels = with_alpha(pixels, self.groups, self.part.alpha)
        return pixels if self.order == tuple(range(len(self.order))) else pixels[..., list(self.order)]

    def from_file(self, stored: Pixels) -> Pixels:
        """Pixels of the target in the order of the source."""
        back = np.empty_like(stored)
        back[..., list(self.order)] = stored
        return back

    def as_read(self, pixels: Pixels) -> Pixels:
        """Pixels with alpha as the target has it, with alpha as the source has it."""
        if self.is_data or not self.changes_alpha:
            return pixels
        return with_alpha(pixels, self.groups, self.header.alpha)


def plans_of(parts: Sequence[SourcePart], is_data: bool, wanted: Format, name: str) -> list[Plan]:
    """The plans of all parts. Raises BadInput, calling the file by `name`, for what cannot be converted."""
    if len(parts) > 1 and wanted.suffix != ".exr":
        called = [part.header.part_name or f"part {number}" for number, part in enumerate(parts[:8], start=1)]
        raise BadInput(
            f"{name} has {len(parts)} parts ({', '.join(called)}), and {wanted.label} holds one. Convert it to EXR."
        )
    _check_colour(parts, name, is_data)
    for part in parts:
        _check_source(part, name, wanted)
    return [_planned(part, wanted, is_data, name) for part in parts]


def _planned(source: SourcePart, wanted: Format, is_data: bool, name: str) -> Plan:
    header, groups = source.header, source.groups
    keeps_names = wanted.suffix in (".exr", ".tx")
    order = tuple(range(header.channels))
    if not keeps_names:  # what has no names, or fixed ones, has colour and alpha first
        first = [number for group in groups[:1] for number in (*group.colour, group.alpha) if number is not None]
        order = (*first, *(number for number in order if number not in first))
    names = tuple(header.channel_names[number] for number in order)
    place = Path(f"file{'.exr' if wanted.is_texture else wanted.suffix}")
    keeps_frame = wanted.suffix == ".exr"
    width, height = (header.width, header.height) if keeps_frame else header.picture_size
    part = Part(
        width,
        height,
        names,
        _sample_types(source, order, wanted),
        _alpha_there(header.alpha, place, names),
        header.frame if keeps_frame else None,
        header.part_name,
        header.origin if keeps_frame else (0, 0),
    )
    try:
        check_holds(place, [part])
    except BadInput as error:
        raise BadInput(f"{name}: {error}") from error
    return Plan(header, part, groups, order, is_data, wanted.sample_type, source.data)


def _alpha_there(alpha: str, place: Path, names: tuple[str, ...]) -> str:
    """As the source has it where the format can, else as the format does."""
    if place.suffix == ".tif" or not alpha:
        return alpha
    return usual_alpha(place, names)


def _sample_types(source: SourcePart, order: tuple[int, ...], wanted: Format) -> tuple[str, ...]:
    """The type that is wanted is for colour: what stands beside it, as depth or numbers of objects, keeps its own."""
    own = source.header.channel_types
    if wanted.sample_type == "uint16" or not own:
        return (wanted.sample_type,)
    colours = {number for group in source.groups for number in (*group.colour, group.alpha)}
    types = tuple(
        wanted.sample_type if number in colours else own[number] if own[number] in ("half", WHOLE_NUMBER) else "float"
        for number in order
    )
    if wanted.is_texture and len(set(types)) > 1:
        return ("float",)  # mip levels are made of one type
    return types if len(set(types)) > 1 else types[:1]


def divided(colour: Pixels, alpha: Pixels | None) -> Pixels:
    """Colour without its alpha; where that is 0, as it is."""
    if alpha is None:
        return colour
    return np.divide(colour, alpha, out=colour.copy(), where=alpha > 0)


def multiplied(colour: Pixels, alpha: Pixels | None) -> Pixels:
    return colour if alpha is None else np.where(alpha > 0, colour * alpha, colour)


def with_alpha(pixels: Pixels, groups: tuple[ColourGroup, ...], alpha: str) -> Pixels:
    """Pixels with alpha in the other way: divided out where it is wanted straight, else multiplied in."""
    changed = pixels.copy()
    for group in groups:
        if group.alpha is not None:
            here, colour = pixels[..., group.alpha : group.alpha + 1], pixels[..., list(group.colour)]
            changed[..., list(group.colour)] = divided(colour, here) if alpha == STRAIGHT else colour * here
    return changed
