"""Convert a texture to another space, into a new file, and prove it by reading that file back."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, read_header, write_image
from saltwort.core.images.reading import MAX_PIXELS_IN_MEMORY, Pixels, read_strips
from saltwort.core.images.writing import Attribute
from saltwort.core.outputs.tags import handoff_tags

FORMATS: dict[str, tuple[str, str]] = {
    "exr-half": (".exr", "half"),
    "exr-float": (".exr", "float"),
    "tif-16": (".tif", "uint16"),
    "png-16": (".png", "uint16"),
}
"""What can be written: suffix and sample type."""

SPACE_TOKEN, NAME_TOKEN = "{space}", "{name}"
DEFAULT_PATTERN = f"{NAME_TOKEN}_{SPACE_TOKEN}"


@dataclass(frozen=True)
class Converted:
    """A written file. `largest_error` is how far what stands in it is from the engine's own numbers, over all samples;
    `clipped` counts samples that the format could not hold, `negative` those that left the gamut, both of all
    samples."""

    path: str
    source_space: str
    space: str
    largest_error: float
    clipped: int
    negative: int


def converted_name(path: str, config: ocio.Config, space: str, format_name: str, pattern: str = DEFAULT_PATTERN) -> str:
    """File name of a conversion, from a pattern with `{name}` and, if wanted, `{space}`, which becomes the space's
    shortest alias. Raises BadInput for a pattern without a name, or that leads into another folder."""
    if NAME_TOKEN not in pattern or "/" in pattern or "\\" in pattern:
        raise BadInput(f"A name pattern holds {NAME_TOKEN}, {SPACE_TOKEN} if you like, and no slashes.")
    found = config.getColorSpace(known_space(config, space))
    token = min((found.getName(), *found.getAliases()), key=len).replace(" ", "_").replace("/", "_")
    return pattern.replace(NAME_TOKEN, Path(path).stem).replace(SPACE_TOKEN, token) + _format(format_name)[0]


def convert(
    config: ocio.Config, source: Path, source_space: str, space: str, format_name: str, target: Path
) -> Converted:
    """Write `source`, read in one space, as a new file in another; the format is a key of FORMATS.

    Data stays as it is: nothing is converted where one of the spaces is data. Alpha passes; it is multiplied into the
    colour in EXR, and not in other files, as each format has it. Nothing is overwritten: raises BadInput when `target`
    is there already, for more than four channels, and for a picture too large to be held.
    """
    suffix, sample_type = _format(format_name)
    if target.exists():
        raise BadInput(f"{target.name} is there already, and nothing is overwritten. Choose another name or folder.")
    header = read_header(source)
    if header.width * header.height > MAX_PIXELS_IN_MEMORY:
        raise BadInput(f"{source.name} has more than {MAX_PIXELS_IN_MEMORY:,} pixels, too many to convert at once.")
    if header.channels > 4:
        raise BadInput(f"{source.name} has {header.channels} channels. Convert its layers one by one.")
    pixels = _whole(source, header)
    if header.format == "EXR":
        pixels = _without_alpha(pixels)
    pixels = _through(config, pixels, source_space, space)
    if suffix == ".exr":
        pixels = _with_alpha(pixels)
    write_image(target, pixels, sample_type, _tags(config, space, suffix, header.channels))
    lowest, highest = _RANGES.get(sample_type, (-np.inf, np.inf))
    finite = np.isfinite(pixels)
    errors = np.abs(_whole(target, header) - np.clip(pixels, lowest, highest))[finite]
    return Converted(
        path=str(target),
        source_space=known_space(config, source_space),
        space=known_space(config, space),
        largest_error=float(errors.max(initial=0.0)),
        clipped=int(np.count_nonzero((pixels < lowest) | (pixels > highest))),
        negative=int(np.count_nonzero(pixels[..., :3] < 0)),
    )


_RANGES = {"uint16": (0.0, 1.0), "half": (-65504.0, 65504.0)}
"""What samples of a type hold; floats hold all that is computed here."""


def _through(config: ocio.Config, pixels: Pixels, source_space: str, space: str) -> Pixels:
    """The colour converted, a single channel as a grey; alpha as it is."""
    spaces = [config.getColorSpace(known_space(config, name)) for name in (source_space, space)]
    if any(found.isData() for found in spaces) or pixels.shape[2] == 2:
        return pixels
    processor = space_processor(config, source_space, space)
    if pixels.shape[2] == 1:
        return apply(processor, np.repeat(pixels, 3, axis=2))[..., :1]
    return apply(processor, pixels)


def _without_alpha(pixels: Pixels) -> Pixels:
    """Colour with its alpha divided out, where there is some of both."""
    if pixels.shape[2] != 4:
        return pixels
    alpha = pixels[..., 3:]
    colour = np.divide(pixels[..., :3], alpha, out=pixels[..., :3].copy(), where=alpha > 0)
    return np.concatenate([colour, alpha], axis=2)


def _with_alpha(pixels: Pixels) -> Pixels:
    if pixels.shape[2] != 4:
        return pixels
    return np.concatenate([pixels[..., :3] * pixels[..., 3:], pixels[..., 3:]], axis=2)


def _whole(path: Path, header: Header) -> Pixels:
    pixels = np.empty((header.height, header.width, header.channels), np.float32)
    for start, strip in read_strips(path):
        pixels[start : start + len(strip)] = strip
    return pixels


def _tags(config: ocio.Config, space: str, suffix: str, channels: int) -> dict[str, Attribute]:
    """Header facts of the new file: in EXR primaries and interop ID of its space."""
    if suffix == ".exr":
        return {} if config.getColorSpace(space).isData() else handoff_tags(config, known_space(config, space))
    return {"oiio:UnassociatedAlpha": 1} if channels == 4 else {}


def _format(name: str) -> tuple[str, str]:
    if name not in FORMATS:
        raise BadInput(f"There is no format “{name}”. Choose one of {', '.join(FORMATS)}.")
    return FORMATS[name]
