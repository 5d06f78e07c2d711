"""Convert a texture to another space, into a new file, and prove it by reading that file back."""

import re
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, read_header, write_texture, writing_rows
from saltwort.core.images.reading import Pixels, read_strips
from saltwort.core.images.writing import Attribute
from saltwort.core.outputs.tags import handoff_tags


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
HELD_SAMPLES = 1 << 25
"""Samples (128 MB) up to which the engine's numbers are kept for the comparison; above, they are computed again."""
TEXTURE_PIXELS = 1 << 26
"""8,192 × 8,192: the image library holds a picture whole while it makes mip levels."""
SAME = 1e-3
"""Error below which a file that is there already is taken for the same conversion: halves have 2⁻¹¹ of each value."""
_NUMBERED = re.compile(r"[._](1[0-9]{3})$|\.[0-9]{1,8}$|_u[0-9]{1,2}_v[0-9]{1,2}$", re.IGNORECASE)
"""Tile or frame at the end of a name, where applications look for it."""
_RANGES = {"uint16": (0.0, 1.0), "half": (-65504.0, 65504.0)}
"""What samples of a type hold; floats hold all that is computed here."""


@dataclass(frozen=True)
class Converted:
    """A written file. `largest_error` is how far what stands in it is from the engine's own numbers, over all samples,
    as a part of the number where that is above 1; `clipped` counts samples that the format could not hold, `negative`
    those that left the gamut, both of all samples."""

    path: str
    source_space: str
    space: str
    largest_error: float
    clipped: int
    negative: int
    samples: int
    size: int


@dataclass(frozen=True)
class Foreseen:
    """What a conversion would do, told from a sample of a file's pixels. `clipped` and `negative` are shares, 0–1, of
    the samples; `lost` is the largest difference, in the numbers of the source, or as a part of those above 1, after
    going there, into the format, and back, over what is not clipped; None where there is no way back. `bytes` is the
    size before packing."""

    clipped: float
    negative: float
    lost: float | None
    bytes: int


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
    return named + number + _format(format_name).suffix


def foresee(
    config: ocio.Config, header: Header, sample: Pixels, source_space: str, space: str, format_name: str
) -> Foreseen:
    """Tell from a sample of pixels, float32 (pixels, channels), what `convert` would do to a file."""
    wanted = _format(format_name)
    pixels = sample[np.newaxis]
    there = _Conversion(config, source_space, space).apply(pixels)
    finite, stored = np.isfinite(there), _as_stored(there, wanted.sample_type)
    lowest, highest = _RANGES.get(wanted.sample_type, (-np.inf, np.inf))
    fits = (there >= lowest) & (there <= highest)
    lost = None
    try:
        back = _Conversion(config, space, source_space).apply(stored)
    except BadInput:
        pass  # a space may have no way back
    else:
        whole = (fits & np.isfinite(pixels) & np.isfinite(back)).all(axis=2)
        lost = float((np.abs(back - pixels) / np.maximum(np.abs(pixels), 1))[whole].max(initial=0.0))
    levels = 4 / 3 if wanted.is_texture else 1.0
    return Foreseen(
        clipped=float(np.mean(finite & ~fits)),
        negative=float(np.mean(there[..., :3] < 0)),
        lost=lost,
        bytes=round(
            header.width * header.height * header.channels * np.dtype(_DTYPES[wanted.sample_type]).itemsize * levels
        ),
    )


_DTYPES = {"uint16": np.uint16, "half": np.float16, "float": np.float32}


def convert(
    config: ocio.Config,
    source: Path,
    source_space: str,
    space: str,
    format_name: str,
    target: Path,
    *,
    again: bool = False,
) -> Converted:
    """Write `source`, read in one space, as a new file in another; the format is a key of FORMATS.

    Data stays as it is: nothing is converted where one of the spaces is data. Alpha passes; it is multiplied into the
    colour in EXR and TX, and not in other files, as each format has it. The file is never held whole, but for one
    that is made a texture. Nothing is overwritten: raises BadInput when `target` is there already, unless this is done
    `again` after a crash and what is there is this very conversion; and for more than four channels, or a texture
    above TEXTURE_PIXELS.
    """
    wanted, header = _format(format_name), read_header(source)
    check_convertible(header, source.name, format_name)
    strips = _Strips(config, source, header, source_space, space, wanted)
    if target.exists():
        if again and (done := _compared(strips, target)) and done.largest_error < SAME:
            return done
        raise BadInput(f"{target.name} is there already, and nothing is overwritten. Choose another name or folder.")
    if wanted.is_texture:
        with TemporaryDirectory() as folder:
            flat = Path(folder) / "flat.exr"
            if broken := strips.write(flat):
                raise BadInput(
                    f"{source.name} holds {broken:,} values that are no numbers, and mip levels would spread them. "
                    "Mend the file, or convert it to plain EXR."
                )
            write_texture(flat, target)
    else:
        strips.write(target)
    done = _compared(strips, target)
    if done.largest_error > MOST_ERROR[wanted.sample_type]:
        target.unlink(missing_ok=True)
        raise BadInput(f"{target.name} did not read back as it was written, so it was taken away. Is the disk sound?")
    return done


MOST_ERROR = {"uint16": 1 / 65535, "half": 2**-11, "float": 1e-6}
"""What rounding to each type can do at most: half a step, and twice that to be on the safe side."""


class _Conversion:
    """From one space to another; nothing where one of them is data."""

    def __init__(self, config: ocio.Config, source_space: str, space: str) -> None:
        self.names = known_space(config, source_space), known_space(config, space)
        is_data = any(config.getColorSpace(name).isData() for name in self.names)
        self._processor = None if is_data else space_processor(config, *self.names)

    def apply(self, pixels: Pixels) -> Pixels:
        """Colour converted, a single channel as a grey; alpha as it is."""
        if self._processor is None or pixels.shape[2] == 2:
            return pixels
        if pixels.shape[2] == 1:
            return apply(self._processor, np.repeat(pixels, 3, axis=2))[..., :1]
        return apply(self._processor, pixels)


class _Strips:
    """The engine's numbers for a file, strip by strip; kept once computed, where they are few."""

    def __init__(
        self, config: ocio.Config, source: Path, header: Header, source_space: str, space: str, wanted: Format
    ) -> None:
        self.source, self.header, self.wanted = source, header, wanted
        self.conversion = _Conversion(config, source_space, space)
        self.associates = wanted.suffix in (".exr", ".tx")
        self._tags = _tags(config, self.conversion.names[1], self.associates, header.channels)
        self._kept: list[Pixels] = []

    def __iter__(self) -> Iterator[Pixels]:
        if self._kept:
            yield from self._kept
            return
        for _, strip in read_strips(self.source):
            pixels = _without_alpha(strip) if self.header.format == "EXR" else strip
            pixels = self.conversion.apply(pixels)
            yield _with_alpha(pixels) if self.associates else pixels

    def write(self, target: Path) -> int:
        """Write them all; gives back how many samples are not finite."""
        header = self.header
        keeps = header.width * header.height * header.channels <= HELD_SAMPLES
        size = header.height, header.width, header.channels
        kept, broken = [], 0
        with (
            writing_rows(target, size, self.wanted.sample_type, self._tags) as write,
            # Packing takes as long as reading and computing, so the next strip is made meanwhile.
            ThreadPoolExecutor(1) as writer,
        ):
            written: Future[None] | None = None
            for strip in self:
                broken += int(np.count_nonzero(~np.isfinite(strip)))
                if written:
                    written.result()
                written = writer.submit(write, _fitting(strip, self.wanted.sample_type))
                if keeps:
                    kept.append(strip)
            if written:
                written.result()
        self._kept = kept
        return broken


def _compared(strips: _Strips, target: Path) -> Converted:
    """What stands in a file against the engine's numbers, clipped to what its format holds."""
    sample_type = strips.wanted.sample_type
    expected, found = _Rows(iter(strips)), _Rows(strip for _, strip in read_strips(target))
    largest, clipped, negative, row = 0.0, 0, 0, 0
    height = strips.header.height
    while row < height:
        rows = min(len(expected.held()), len(found.held()), height - row)
        computed, stored = expected.take(rows), found.take(rows)
        if computed.shape != stored.shape:
            return Converted(str(target), *strips.conversion.names, np.inf, 0, 0, 0, 0)
        fitting = _fitting(computed, sample_type)
        largest = max(largest, _largest_error(stored, fitting, sample_type))
        if fitting is not computed:
            clipped += int(np.count_nonzero((computed != fitting) & np.isfinite(computed)))
        negative += int(np.count_nonzero(computed[..., :3] < 0))
        row += rows
    return Converted(
        path=str(target),
        source_space=strips.conversion.names[0],
        space=strips.conversion.names[1],
        largest_error=largest,
        clipped=clipped,
        negative=negative,
        samples=strips.header.width * height * strips.header.channels,
        size=target.stat().st_size,
    )


def _largest_error(stored: Pixels, fitting: Pixels, sample_type: str) -> float:
    """As a part of the number where that is above 1; infinite where only one of the two is a number."""
    with np.errstate(invalid="ignore"):
        errors = np.abs(stored - fitting)
        largest = float(errors.max(initial=0.0))
        if np.isfinite(largest) and float(fitting.max(initial=0.0)) <= 1 and float(fitting.min(initial=0.0)) >= -1:
            return largest
        errors /= np.maximum(np.abs(fitting), 1)
    finite = np.isfinite(fitting)
    if sample_type != "uint16" and (finite != np.isfinite(stored)).any():
        return np.inf
    return float(errors[finite].max(initial=0.0))


class _Rows:
    """Rows out of strips of any height."""

    def __init__(self, strips: Iterator[Pixels]) -> None:
        self._strips = strips
        self._held: Pixels | None = None

    def held(self) -> Pixels:
        """Rows at hand: at least one, until all are taken."""
        if self._held is None or len(self._held) == 0:
            self._held = next(self._strips)
        return self._held

    def take(self, rows: int) -> Pixels:
        taken, self._held = self.held()[:rows], self.held()[rows:]
        return taken


def _fitting(pixels: Pixels, sample_type: str) -> Pixels:
    """Numbers clipped to what a sample type holds; those that are not finite stay, since that is for others to mend."""
    lowest, highest = _RANGES.get(sample_type, (-np.inf, np.inf))
    with np.errstate(invalid="ignore"):
        if pixels.min(initial=0.0) >= lowest and pixels.max(initial=0.0) <= highest:
            return pixels
    return np.where(np.isfinite(pixels), np.clip(pixels, lowest, highest), pixels)


def _as_stored(pixels: Pixels, sample_type: str) -> Pixels:
    """Numbers as a sample type keeps them."""
    fitting = _fitting(pixels, sample_type)
    if sample_type == "uint16":
        return np.round(np.nan_to_num(fitting) * 65535).astype(np.float32) / np.float32(65535)
    return fitting.astype(_DTYPES[sample_type]).astype(np.float32)


def check_convertible(header: Header, name: str, format_name: str) -> None:
    """Raise BadInput, calling the file by `name`, for what `convert` does not take."""
    if header.channels > 4:
        raise BadInput(f"{name} has {header.channels} channels. Convert its layers one by one.")
    if _format(format_name).is_texture and header.width * header.height > TEXTURE_PIXELS:
        raise BadInput(f"{name} has more than {TEXTURE_PIXELS:,} pixels, too many to make mip levels of here.")


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


def _tags(config: ocio.Config, space: str, associates: bool, channels: int) -> dict[str, Attribute]:
    """Header facts of the new file: in EXR primaries and interop ID of its space."""
    if associates:
        return {} if config.getColorSpace(space).isData() else handoff_tags(config, space)
    return {"oiio:UnassociatedAlpha": 1} if channels == 4 else {}


def _format(name: str) -> Format:
    if name not in FORMATS:
        raise BadInput(f"There is no format “{name}”. Choose one of {', '.join(FORMATS)}.")
    return FORMATS[name]
