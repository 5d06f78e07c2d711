"""Convert a texture to another space, into a new file, and prove it by reading that file back."""

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.tags import texture_tags
from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.processors import is_linear, known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, write_texture, writing_parts
from saltwort.core.images.channels import ASSOCIATED, ColourGroup
from saltwort.core.images.reading import Pixels, read_strips, read_whole_strips
from saltwort.core.images.writing import Attribute, Part
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.textures.conversion_plans import (
    Format,
    Plan,
    divided,
    format_of,
    multiplied,
    plans_of,
    read_parts,
    with_alpha,
)

HELD_SAMPLES = 1 << 25
"""Samples (128 MB) up to which the engine's numbers for the source are kept for the comparison; above, they are
computed once more."""
SAME = 1e-3
"""Error below which a file that is there already is taken for the same conversion: halves have 2⁻¹¹ of each value."""
_RANGES = {"uint16": (0.0, 1.0), "half": (-LARGEST_HALF, LARGEST_HALF)}
"""What samples of a type hold; floats hold all that is computed here."""


@dataclass(frozen=True)
class Converted:
    """A written file, as it was read back. `largest_error` is how far what stands in it is from the source through the
    engine, over all samples, as a part of the number where that is above 1. Counts are of samples: `clipped`, which the
    format could not hold; `negative`, which left the gamut; `not_finite`, which integers cannot hold and became black
    or white; `hidden`, colour under an alpha of 0 that went, or is no longer light, since the format has alpha in
    another way."""

    path: str
    source_space: str
    space: str
    largest_error: float
    clipped: int
    negative: int
    samples: int
    size: int
    not_finite: int = 0
    hidden: int = 0


@dataclass(frozen=True)
class Foreseen:
    """What a conversion would do, told from a sample of a file's pixels. `clipped`, `negative`, `not_finite` and
    `hidden` are shares, 0–1, of the samples, as in Converted; `lost` is the largest difference, in the numbers of the
    source, or as a part of those above 1, after going there, into the format, and back, over what is not clipped; None
    where there is no way back. `bytes` is the size before packing, `notes` what else changes, in sentences."""

    clipped: float
    negative: float
    lost: float | None
    bytes: int
    not_finite: float = 0.0
    hidden: float = 0.0
    notes: tuple[str, ...] = ()


def foresee(
    config: ocio.Config, headers: Sequence[Header], sample: Pixels, source_space: str, space: str, format_name: str
) -> Foreseen:
    """Tell what `convert` would do to a file of these parts, from a sample of pixels of the first, float32 (pixels,
    channels). Raises BadInput for what it does not take."""
    wanted = format_of(format_name)
    conversion = _Conversion(config, source_space, space)
    plans = plans_of(headers, conversion.is_data, wanted, "The file")
    plan, pixels = plans[0], sample[np.newaxis]
    light = conversion.apply(pixels, plan)
    there = plan.as_written(light)
    counted = _Counts()
    counted.add(light, there, plan)
    stored = _as_stored(there, plan)
    return Foreseen(
        clipped=counted.clipped / max(there.size, 1),
        negative=counted.negative / max(there.size, 1),
        not_finite=counted.not_finite / max(there.size, 1),
        hidden=counted.hidden / max(there.size, 1),
        lost=_lost_on_the_way(config, plan, pixels, there, stored, (source_space, space)),
        bytes=sum(_bytes(plan.part, wanted) for plan in plans),
        notes=_notes(plans, wanted),
    )


def _lost_on_the_way(
    config: ocio.Config, plan: "Plan", pixels: Pixels, there: Pixels, stored: Pixels, spaces: tuple[str, str]
) -> float | None:
    source_space, space = spaces
    try:
        back = _Conversion(config, space, source_space)
    except BadInput:
        return None  # a space may have no way back
    returned = plan.as_read(back.apply(plan.from_file(stored), plan))
    fits = np.isfinite(there).all(axis=2) & (there == _fitting(there, plan)).all(axis=2)
    whole = fits & np.isfinite(pixels).all(axis=2) & np.isfinite(returned).all(axis=2)
    for group in plan.groups:
        if group.alpha is not None and not plan.is_data and plan.changes_alpha:
            whole &= pixels[..., group.alpha] > 0
    errors = np.abs(returned[whole] - pixels[whole]) / np.maximum(np.abs(pixels[whole]), 1)
    return float(errors.max(initial=0.0))


_DTYPES = {"uint16": np.uint16, "half": np.float16, "float": np.float32}
MIP_LEVELS = 4 / 3
"""Size of a picture with all its mip levels: 1 + ¼ + 1/16 + …"""


def _bytes(part: Part, wanted: Format) -> int:
    types = part.sample_types * (len(part.channels) if len(part.sample_types) == 1 else 1)
    of_a_pixel = sum(np.dtype(_DTYPES[sample_type]).itemsize for sample_type in types)
    return round(part.width * part.height * of_a_pixel * (MIP_LEVELS if wanted.is_texture else 1.0))


def _notes(plans: "Sequence[Plan]", wanted: Format) -> tuple[str, ...]:
    notes = []
    for plan in plans:
        if plan.header.frame and not plan.part.frame:
            x, y, width, height = plan.header.frame
            fills = x > 0 or y > 0 or x + plan.header.width < width or y + plan.header.height < height
            cuts = x < 0 or y < 0 or x + plan.header.width > width or y + plan.header.height > height
            done = " and ".join(word for word, holds in (("filled with black", fills), ("cut", cuts)) if holds)
            notes.append(f"Its data window is not kept: it is {done} to the picture of {width} × {height}.")
        if wanted.suffix == ".tif" and len(plan.part.channels) > 4:
            notes.append("TIFF keeps the channels in their order, but not their names.")
        if plan.changes_alpha and not plan.is_data:
            notes.append(f"Its alpha is {plan.header.alpha} and becomes {plan.part.alpha}.")
    return tuple(dict.fromkeys(notes))


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

    Colours are converted, layer by layer; data, and channels that are neither colour nor alpha, pass as they are, and
    nothing is converted where one of the spaces is data. Alpha stays as the source has it, or as the format needs it;
    associated light at an alpha of 0 is converted as it is. All parts, names and the data window go into EXR. The file
    is never held whole, but for one that is made a texture. Nothing is overwritten: raises BadInput when `target` is
    there already, unless this is done `again` after a crash and what is there is this very conversion; and for what
    the format cannot hold.
    """
    wanted, headers = format_of(format_name), read_parts(source)
    work = _Work(config, source, headers, source_space, space, wanted)
    if target.exists():
        if again and (done := work.read_back(target)) and done.largest_error < SAME:
            return done
        raise BadInput(f"{target.name} is there already, and nothing is overwritten. Choose another name or folder.")
    if wanted.is_texture:
        with TemporaryDirectory() as folder:
            flat = Path(folder) / "flat.exr"
            if broken := work.write(flat):
                raise BadInput(
                    f"{source.name} holds {broken:,} values that are no numbers, and mip levels would spread them. "
                    "Mend the file, or convert it to plain EXR."
                )
            write_texture(flat, target)
    else:
        work.write(target)
    done = work.read_back(target)
    if not done.largest_error <= MOST_ERROR[wanted.sample_type]:
        target.unlink(missing_ok=True)
        raise BadInput(f"{target.name} did not read back as it was written, so it was taken away. Is the disk sound?")
    return done


MOST_ERROR = {"uint16": 1 / 65535, "half": 2**-11, "float": 1e-6}
"""What rounding to each type can do at most: half a step, and twice that to be on the safe side."""


class _Conversion:
    """From one space to another; nothing where one of them is data."""

    def __init__(self, config: ocio.Config, source_space: str, space: str) -> None:
        self.names = known_space(config, source_space), known_space(config, space)
        self.is_data = any(config.getColorSpace(name).isData() for name in self.names)
        self._processor = None if self.is_data else space_processor(config, *self.names)
        # Light that is multiplied by a number may be converted before or after.
        self._is_matrix = all(is_linear(config, name) for name in self.names)

    def apply(self, pixels: Pixels, plan: Plan) -> Pixels:
        """Colours converted, a grey as three alike; all else, and alpha, as it is."""
        if self._processor is None:
            return pixels
        if plan.groups == (ColourGroup((0, 1, 2)),) and pixels.shape[2] == 3:
            return apply(self._processor, pixels)  # as most files are, and without a copy
        converted = pixels.copy()
        for group in plan.groups:
            alpha = None
            if plan.header.alpha == ASSOCIATED and group.alpha is not None and not self._is_matrix:
                alpha = pixels[..., group.alpha : group.alpha + 1]
            colour = divided(pixels[..., list(group.colour)], alpha)
            three = np.repeat(colour, 3, axis=2) if len(group.colour) == 1 else np.ascontiguousarray(colour)
            found = apply(self._processor, three)[..., : len(group.colour)]
            converted[..., list(group.colour)] = multiplied(found, alpha)
        return converted


@dataclass
class _Counts:
    """Samples that do not come through as they are."""

    clipped: int = 0
    negative: int = 0
    not_finite: int = 0
    hidden: int = 0
    samples: int = 0

    def add(self, light: Pixels, there: Pixels, plan: Plan) -> None:
        """Count in light, with alpha as the source has it, and in the same as it is to stand in the target."""
        self.samples += there.size
        fitting = _fitting(there, plan)
        if fitting is not there:
            with np.errstate(invalid="ignore"):
                self.clipped += int(np.count_nonzero((there != fitting) & np.isfinite(there)))
        if plan.sample_type == "uint16":
            self.not_finite += int(there.size - np.count_nonzero(np.isfinite(there)))
        if plan.is_data:
            return
        for group in plan.groups:
            colour = light[..., list(group.colour)]
            self.negative += int(np.count_nonzero(colour < 0))
            if plan.changes_alpha and group.alpha is not None:
                self.hidden += int(np.count_nonzero((light[..., group.alpha :][..., :1] == 0) & (colour != 0)))


class _Work:
    """A conversion of one file: written strip by strip, and read back."""

    def __init__(
        self,
        config: ocio.Config,
        source: Path,
        headers: Sequence[Header],
        source_space: str,
        space: str,
        wanted: Format,
    ) -> None:
        self.source, self.wanted = source, wanted
        self.conversion = _Conversion(config, source_space, space)
        self.plans = plans_of(headers, self.conversion.is_data, wanted, source.name)
        self._config = config
        self._kept: list[Pixels] = []
        """The engine's numbers for a file of one part, where they are few."""

    def write(self, target: Path) -> int:
        """Write all parts; gives back how many samples are not finite."""
        broken, kept = 0, []
        samples = sum(plan.part.width * plan.part.height * len(plan.part.channels) for plan in self.plans)
        keeps = len(self.plans) == 1 and samples <= HELD_SAMPLES
        tags = _tags(self._config, self.conversion, self.wanted)
        with (
            writing_parts(target, [plan.part for plan in self.plans], tags) as write,
            # Packing takes as long as reading and computing, so the next strip is made meanwhile.
            ThreadPoolExecutor(1) as writer,
        ):
            written: Future[None] | None = None
            for number, plan in enumerate(self.plans):
                for light in self._light(number, plan):
                    if keeps:
                        kept.append(light)
                    pixels = plan.as_written(light)
                    broken += int(np.count_nonzero(~np.isfinite(pixels)))
                    if written:
                        written.result()
                    written = writer.submit(write, _fitting(pixels, plan))
            if written:
                written.result()
        self._kept = kept
        return broken

    def _light(self, number: int, plan: Plan) -> Iterator[Pixels]:
        """The source through the engine, with alpha as the source has it."""
        read = read_strips if plan.part.frame or not plan.header.frame else read_whole_strips
        for _, strip in read(self.source, part=number):
            yield self.conversion.apply(strip, plan)

    def read_back(self, target: Path) -> Converted:
        """What stands in a file against the engine's numbers for the source. How the file has alpha, and where its
        channels are, is what its own header says."""
        counts, largest = _Counts(), 0.0
        headers = read_parts(target)
        if len(headers) != len(self.plans):
            largest = np.inf
        for number, (plan, header) in enumerate(zip(self.plans, headers, strict=False)):
            if not _is_as_planned(header, plan, keeps_names=self.wanted.suffix in (".exr", ".tx")):
                largest = np.inf
                break
            places = _places(header, plan)
            found = _Rows(strip for _, strip in read_strips(target, part=number))
            for light in self._kept or self._light(number, plan):
                meant = plan.as_written(light)
                counts.add(light, meant, plan)
                stored = found.take(len(light))
                if places != sorted(places):
                    stored = stored[..., places]
                expected = meant if plan.is_data else _expected(light, header.alpha, plan)
                fitting = _fitting(expected, plan)
                largest = max(largest, _largest_error(stored, fitting, self.wanted.sample_type))
        return Converted(
            path=str(target),
            source_space=self.conversion.names[0],
            space=self.conversion.names[1],
            largest_error=largest,
            clipped=counts.clipped,
            negative=counts.negative,
            samples=counts.samples,
            size=target.stat().st_size,
            not_finite=counts.not_finite,
            hidden=counts.hidden,
        )


def _is_as_planned(header: Header, plan: Plan, *, keeps_names: bool) -> bool:
    """Whether a file has the size, frame, alpha and channels that it should."""
    names = set(header.channel_names) == set(plan.part.channels) if keeps_names else True
    return (
        (header.width, header.height, header.frame) == (plan.part.width, plan.part.height, plan.part.frame)
        and header.channels == len(plan.part.channels)
        and header.alpha == plan.part.alpha
        and names
    )


def _places(header: Header, plan: Plan) -> list[int]:
    """Where the planned channels stand in a file: by name where it keeps them, else in their order."""
    if set(header.channel_names) == set(plan.part.channels):
        return [header.channel_names.index(name) for name in plan.part.channels]
    return list(range(header.channels))


def _expected(light: Pixels, alpha: str, plan: Plan) -> Pixels:
    """Light with alpha as a file declares it, in the order of its channels."""
    if alpha != plan.header.alpha:
        light = with_alpha(light, plan.groups, alpha)
    return light if list(plan.order) == sorted(plan.order) else light[..., list(plan.order)]


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

    def take(self, rows: int) -> Pixels:
        """The next rows; fewer, where there are no more."""
        pieces = []
        while rows > 0:
            if self._held is None or len(self._held) == 0:
                self._held = next(self._strips, None)
                if self._held is None:
                    break
            pieces.append(self._held[:rows])
            self._held = self._held[rows:]
            rows -= len(pieces[-1])
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)


def _fitting(pixels: Pixels, plan: Plan) -> Pixels:
    """Numbers clipped to what the sample types hold; those that are not finite stay, since that is for others to
    mend."""
    types = plan.part.sample_types
    if len(types) > 1:  # halves beside floats
        halves = [number for number, sample_type in enumerate(types) if sample_type == "half"]
        fitting = pixels.copy()
        fitting[..., halves] = _clipped(pixels[..., halves], "half")
        return fitting
    return _clipped(pixels, types[0])


def _clipped(pixels: Pixels, sample_type: str) -> Pixels:
    lowest, highest = _RANGES.get(sample_type, (-np.inf, np.inf))
    with np.errstate(invalid="ignore"):
        if pixels.min(initial=0.0) >= lowest and pixels.max(initial=0.0) <= highest:
            return pixels
    return np.where(np.isfinite(pixels), np.clip(pixels, lowest, highest), pixels)


def _as_stored(pixels: Pixels, plan: Plan) -> Pixels:
    """Numbers as the sample types keep them."""
    fitting = _fitting(pixels, plan)
    if plan.sample_type == "uint16":
        return np.round(np.nan_to_num(fitting, posinf=1.0, neginf=0.0) * 65535).astype(np.float32) / np.float32(65535)
    types = plan.part.sample_types
    if len(types) == 1:
        return fitting.astype(_DTYPES[types[0]]).astype(np.float32)
    halves = [number for number, sample_type in enumerate(types) if sample_type == "half"]
    fitting[..., halves] = fitting[..., halves].astype(np.float16)
    return fitting


def _tags(config: ocio.Config, conversion: _Conversion, wanted: Format) -> dict[str, Attribute]:
    """Header facts of the new file: what its space is called and means. What holds data says nothing."""
    if conversion.is_data:
        return {}
    return texture_tags(config, conversion.names[1], wanted.suffix)
