"""Convert a texture to another space, into a new file, and prove it by reading that file back."""

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.tags import texture_tags
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, Stats, measure, write_texture, writing_parts
from saltwort.core.images.layer_kinds import DATA_ID, NOTHING_BY_HAND, ByHand
from saltwort.core.images.reading import Pixels, kept_attributes, read_exact_strips, read_whole_strips
from saltwort.core.images.writing import WHOLE_NUMBER, Attribute
from saltwort.core.textures.conversion_plans import (
    Format,
    Plan,
    SourcePart,
    format_of,
    plans_of,
    read_headers,
    read_parts,
    with_alpha,
)
from saltwort.core.textures.converted_pixels import INVERT, Conversion, Counts, fitted, flip_of
from saltwort.core.textures.gloss import check_invertible

HELD_SAMPLES = 1 << 25
"""Samples (128 MB) up to which the engine's numbers for the source are kept for the comparison; above, they are
computed once more."""
SAME = 1e-3
"""Error below which a file that is there already is taken for the same conversion: halves have 2⁻¹¹ of each value."""


@dataclass(frozen=True)
class Converted:
    """A written file, as it was read back. `largest_error` is how far what stands in it is from the source through the
    engine, over all samples, as a part of the number where that is above 1. Counts are of samples: `clipped`, which the
    format could not hold; `negative`, which left the gamut; `not_finite`, which integers cannot hold and became black
    or white; `hidden`, colour under an alpha of 0 that went, or is no longer light, since the format has alpha in
    another way. `data` are the layers that passed as data beside colour, with the reason for each."""

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
    data: dict[str, str] = field(default_factory=dict)


def convert(
    config: ocio.Config,
    source: Path,
    source_space: str,
    space: str,
    format_name: str,
    target: Path,
    *,
    by_hand: ByHand = NOTHING_BY_HAND,
    flip_green: bool = False,
    invert: bool = False,
    again: bool = False,
) -> Converted:
    """Write `source`, read in one space, as a new file in another; the format is a key of FORMATS.

    Colours are converted, layer by layer. Layers of data, told by `judged_layers` or `by_hand`, and channels that are
    neither colour nor alpha, pass as they are, in EXR bit for bit in their own sample type; nothing is converted where
    one of the spaces is data. Alpha stays as the source has it, or as the format needs it;
    associated light at an alpha of 0 is converted as it is. All parts, names and the data window go into EXR. The file
    is never held whole, but for one that is made a texture. `flip_green` has the green of a normal map, which
    is data, point the other way; `invert` makes roughness of gloss, and gloss of roughness. Nothing is overwritten:
    raises BadInput when `target` is there already, unless this is done `again` after a crash and what is there is this
    very conversion; and for what the format cannot hold.
    """
    wanted, parts = format_of(format_name), read_parts(source, by_hand)
    step = _data_step(measure(source).stats, invert=invert) if flip_green or invert else ""
    work = _Work(config, source, parts, Conversion(config, source_space, space, step), wanted)
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


def _data_step(stats: Stats, *, invert: bool) -> str:
    if not invert:
        return flip_of(stats)
    check_invertible(stats)
    return INVERT


def check_flip(config: ocio.Config, source: Path, source_space: str) -> None:
    """Raise BadInput, naming the file, where `convert` could not flip its green."""
    try:
        Conversion(config, source_space, source_space, flip_of(measure(source).stats))
    except BadInput as error:
        raise BadInput(f"{source.name}: {error}") from error


MOST_ERROR = {"uint16": 1 / 65535, "half": 2**-11, "float": 1e-6}
"""What rounding to each type can do at most: half a step, and twice that to be on the safe side."""


class _Work:
    """A conversion of one file: written strip by strip, and read back."""

    def __init__(
        self,
        config: ocio.Config,
        source: Path,
        parts: Sequence[SourcePart],
        conversion: Conversion,
        wanted: Format,
    ) -> None:
        self.source, self.wanted = source, wanted
        self.conversion = conversion
        self.plans = plans_of(parts, self.conversion.is_data, wanted, source.name)
        self._config = config
        self._kept: list[Pixels] = []
        """The engine's numbers for a file of one part, where they are few."""

    def write(self, target: Path) -> int:
        """Write all parts; gives back how many samples are not finite."""
        broken, kept = 0, []
        samples = sum(plan.part.width * plan.part.height * len(plan.part.channels) for plan in self.plans)
        keeps = len(self.plans) == 1 and samples <= HELD_SAMPLES
        parts = [
            replace(plan.part, attributes={**self._kept_header(number, plan), **self._tags(plan)})
            for number, plan in enumerate(self.plans)
        ]
        with (
            writing_parts(target, parts) as write,
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
                    written = writer.submit(write, fitted(pixels, plan))
            if written:
                written.result()
        self._kept = kept
        return broken

    def _kept_header(self, number: int, plan: Plan) -> dict[str, Attribute]:
        """What an EXR says beside colour stays in an EXR: without it, identifiers cannot be read."""
        is_exr = plan.header.format == "EXR" and self.wanted.suffix == ".exr"
        return {**kept_attributes(self.source, number)} if is_exr else {}

    def _tags(self, plan: Plan) -> dict[str, Attribute]:
        """What the space of a part is called and means. Data in a file of data says nothing, beside colour that it is
        data."""
        if self.conversion.is_data:
            return {}
        if not plan.groups:
            return {"colorInteropID": DATA_ID, "compression": "zip"}
        return texture_tags(self._config, self.conversion.names[1], self.wanted.suffix)

    def _light(self, number: int, plan: Plan) -> Iterator[Pixels]:
        """The source through the engine, with alpha as the source has it."""
        for strip in self._strips(number, plan):
            yield self.conversion.apply(strip, plan)

    def _strips(self, number: int, plan: Plan) -> Iterator[Pixels]:
        if plan.header.frame and not plan.part.frame:
            return (strip for _, strip in read_whole_strips(self.source, part=number))
        return read_exact_strips(self.source, number, plan.whole)

    def read_back(self, target: Path) -> Converted:
        """What stands in a file against the engine's numbers for the source. How the file has alpha, and where its
        channels are, is what its own header says."""
        counts, largest = Counts(), 0.0
        headers = read_headers(target)
        if len(headers) != len(self.plans):
            largest = np.inf
        for number, (plan, header) in enumerate(zip(self.plans, headers, strict=False)):
            if not _is_as_planned(header, plan, keeps_names=self.wanted.suffix in (".exr", ".tx")):
                largest = np.inf
                break
            places = _places(header, plan)
            whole = [header.channel_names.index(name) for name in plan.part.whole_numbers]
            found = _Rows(read_exact_strips(target, number, whole))
            for light in self._kept or self._light(number, plan):
                meant = plan.as_written(light)
                counts.add(light, meant, plan)
                stored = found.take(len(light))
                if places != sorted(places):
                    stored = stored[..., places]
                expected = meant if plan.is_data else _expected(light, header.alpha, plan)
                fitting = fitted(expected, plan)
                if plan.part.whole_numbers:
                    stored, fitting = _without_whole_numbers(stored, fitting, plan)
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
            data={each.name: each.reason for plan in self.plans for each in plan.data if not plan.is_data},
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


def _without_whole_numbers(stored: Pixels, fitting: Pixels, plan: Plan) -> tuple[Pixels, Pixels]:
    """The channels of floats. Raises BadInput where whole numbers are not what they were."""
    is_whole = np.array([of == WHOLE_NUMBER for of in plan.part.types])
    ours, theirs = (np.ascontiguousarray(pixels[..., is_whole]).view(np.uint32) for pixels in (stored, fitting))
    if not np.array_equal(ours, theirs):
        named = ", ".join(plan.part.whole_numbers)
        raise BadInput(f"The whole numbers in {named} did not read back as they were. Is the disk sound?")
    return stored[..., ~is_whole], fitting[..., ~is_whole]


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
