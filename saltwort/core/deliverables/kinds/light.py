"""Scene-linear light for the next application, with no view in it."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.deliverables.foreseen import SAMPLE_BYTES, Foreseen, Subject, percent, raw_bytes
from saltwort.core.deliverables.layers import (
    ALL,
    Chosen,
    chosen_parts,
    described_part,
    exactly_packed,
)
from saltwort.core.deliverables.options import SPACE, option
from saltwort.core.deliverables.registry import Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.shown import Doubt, Source, fitting
from saltwort.core.deliverables.told import Facts, colour_told
from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, read_header
from saltwort.core.images.channels import STRAIGHT
from saltwort.core.images.layer_kinds import DATA_ID, ByHand
from saltwort.core.images.reading import Pixels, kept_attributes, read_exact_strips
from saltwort.core.images.writing import WHOLE_NUMBER, Attribute, Part, writing_parts
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.spaces.gamuts import AP0

COMPRESSIONS = {
    "zip": "ZIP, 16 lines, exact",
    "zips": "ZIP, each line, exact",
    "piz": "PIZ, exact",
    "none": "none, exact",
    "dwaa": "DWAA, 32 lines, lossy",
    "dwab": "DWAB, 256 lines, lossy",
}
DWA = ("dwaa", "dwab")
ACES_SPACE = "lin_ap0_scene"
WIDEST_DATA = 4
"""Bytes that a sample of data takes at most, since it keeps its type."""
NEGATIVE = 1e-5
"""Below which a sample is negative and not rounded."""


@dataclass(frozen=True)
class LightSettings:
    space: str = option("", "Colour space", kind=SPACE)
    sample: str = option("half", "Samples", choices={"half": "half float", "float": "float"})
    compression: str = option("zip", "Compression", choices=COMPRESSIONS)
    dwa_level: float = option(45.0, "DWA level", limits=(0.0, 500.0), only={"compression": DWA})
    layers: str = option(
        "", "Layers", use="Empty for the one chosen, “all”, or a list such as “beauty, key=lamp” with new names."
    )
    data_layers: str = option(
        "",
        "Layers that are data",
        use="Layer names, separated by commas. Data is never converted.",
    )
    colour_layers: str = option("", "Layers that are colour", use="Layer names, separated by commas.")
    parts: bool = option(False, "A part for each layer")
    aces: bool = option(False, "ACES container", use="SMPTE ST 2065-4: half float in ACES2065-1, no compression.")


@dataclass(frozen=True)
class WrittenLight:
    """An EXR as OpenEXR's own library read it back. `layers` are their names; `largest_error` and `mean_error` are
    differences in linear light of samples that fit, `relative_error` the mean of these by the light itself where that
    is above 0.001; `clipped` is the share of samples, 0–1, beyond what the sample type holds, which became the largest
    that it holds. All figures are of colour. `data` are the layers that passed bit for bit, `colour` those that were
    converted, with the reason for each."""

    width: int
    height: int
    layers: tuple[str, ...]
    tags: dict[str, Any]
    clipped: float
    largest_error: float
    mean_error: float
    relative_error: float
    not_finite: int
    peak: float
    bytes: int
    data: dict[str, str] = field(default_factory=dict)
    colour: dict[str, str] = field(default_factory=dict)


@deliverable
class Light(Deliverable[LightSettings]):
    kind = "light"
    label = "Scene-linear EXR"
    use = "Light with no view, with chromaticities and interop ID in the header. For the next application."
    verifies = True
    settings = LightSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {"space": chosen.working_space}

    def plan(self, config: ocio.Config, settings: LightSettings) -> None:
        ByHand.read(settings.data_layers, settings.colour_layers)
        space = known_space(config, settings.space)
        if not settings.aces:
            return
        if config.getColorSpace(space).getInteropID() != ACES_SPACE and not _is_aces(config, space):
            raise BadInput("An ACES container holds ACES2065-1. Choose that space.", "space")
        if settings.sample != "half":
            raise BadInput("An ACES container holds half floats.", "sample")
        if settings.compression != "none":
            raise BadInput("An ACES container is not compressed. Choose none.", "compression")
        if settings.parts or settings.layers:
            raise BadInput("An ACES container holds one picture. Leave the layers empty.", "layers")

    def named(self, stem: str, revision: int, settings: LightSettings) -> str:
        return f"{stem}_{'aces' if settings.aces else 'linear'}_r{revision}.exr"

    def facts(self, config: ocio.Config, settings: LightSettings) -> Facts:
        lossy = f", level {settings.dwa_level:g}" if settings.compression in DWA else ""
        return {
            "colour space": settings.space,
            "view": "none",
            "samples": f"{settings.sample} float" if settings.sample == "half" else "float",
            "compression": f"{COMPRESSIONS[settings.compression]}{lossy}",
            **({"container": "ACES, SMPTE ST 2065-4"} if settings.aces else {}),
        }

    def foresee(self, config: ocio.Config, settings: LightSettings, subject: Subject | None) -> Foreseen:
        assert subject
        header = subject.facts.header
        sample = SAMPLE_BYTES[settings.sample]
        bytes_of_a_pixel = sample * (header.channels - _others(subject))
        if settings.layers:
            bytes_of_a_pixel = sum(
                len(each.layer.channels) * (WIDEST_DATA if each.is_data else sample) for each in subject.layers()
            )
        size = raw_bytes((header.width, header.height), 1, bytes_of_a_pixel)
        return Foreseen(size, tuple(_losses(config, settings, subject)))

    def make(
        self,
        config: ocio.Config,
        sources: Sequence[Source],
        settings: LightSettings,
        target: Path,
        progress: Progress,
    ) -> WrittenLight:
        source = sources[0]
        by_hand = ByHand.read(settings.data_layers, settings.colour_layers)
        parts = chosen_parts(source, settings.layers, by_hand, separate=settings.parts)
        if settings.aces and all(each.judged.is_data for each in parts[0]):
            raise BadInput(f"An ACES container holds colour; {parts[0][0].judged.told}.", "aces")
        headers = [read_header(source.file, part=part[0].layer.part) for part in parts]
        converter = _Converter(config, source, settings)
        described = [
            _described(config, part, header, source, settings) for part, header in zip(parts, headers, strict=True)
        ]
        rows = sum(header.height for header in headers)
        progress(0.0, "Reading the picture")
        done = 0
        with writing_parts(target, described) as write:
            for part, header in zip(parts, headers, strict=True):
                for strip in converter.strips(part, header):
                    write(converter.fitted(strip, part))
                    done += len(strip)
                    progress(0.6 * done / rows, "Converting and writing")
        progress(0.6, "Reading it back")
        return _compared(target, parts, headers, described, converter, progress)

    def doubts(
        self, config: ocio.Config, settings: LightSettings, says: Mapping[str, Any], file: Path
    ) -> Iterator[Doubt]:
        if file.suffix.lower() != ".exr":
            yield Doubt("other-format", f"The recipe makes EXR; this is {file.suffix or 'of another kind'}.")
            return
        if says["bit_depth"] != settings.sample:
            yield Doubt("other-samples", f"The recipe asks for {settings.sample}; these are {says['bit_depth']}.")
        header, tags = read_header(file), says["tags"]
        if header.compression.partition(":")[0] != settings.compression:
            packed = header.compression or "none"
            yield Doubt("other-compression", f"The recipe asks for {settings.compression}; this has {packed}.")
        if tags.get("colorInteropID") == DATA_ID:
            return
        meant = handoff_tags(config, settings.space)
        if not _same_primaries(meant.get("chromaticities"), tags.get("chromaticities")):
            yield Doubt("other-colour", f"Its chromaticities are not those of {settings.space}.")
        wanted, said = str(meant.get("colorInteropID", "")), tags.get("colorInteropID")
        if wanted and said not in (None, wanted):
            yield Doubt("other-colour", f"The recipe’s space is {wanted}; it says {said}.")
        if settings.layers == ALL and not header.layers and header.parts == 1:
            yield Doubt("no-layers", "The recipe asks for all layers; this has one picture alone.")

    def told(self, written: Mapping[str, Any]) -> Facts:
        return {
            "size": f"{written['width']} × {written['height']}",
            **({"layers": ", ".join(written["layers"])} if len(written["layers"]) > 1 else {}),
            **colour_told(written["tags"]),
            **({"converted": _layers_told(written["colour"])} if written.get("data") else {}),
            **({"passed as data": _layers_told(written["data"])} if written.get("data") else {}),
            "clipped on writing": f"{written['clipped']:.2%} of samples" if written["clipped"] else "none",
            **({"no numbers": f"{written['not_finite']:,} samples"} if written["not_finite"] else {}),
            "largest error": f"{written['largest_error']:.2g}",
            "mean error": f"{written['mean_error']:.2g}, {written['relative_error']:.3%} of the light",
            "peak": f"{written['peak']:.4g}",
            "read back by": "OpenEXR",
        }


def _others(subject: Subject) -> int:
    """How many channels stand in layers, which are left out unless they are asked for."""
    names = subject.facts.header.channel_names
    return len([name for name in names if "." in name]) if any("." not in name for name in names) else 0


def _losses(config: ocio.Config, settings: LightSettings, subject: Subject) -> Iterator[str]:
    stats, header = subject.facts.stats, subject.facts.header
    light = apply(space_processor(config, subject.space, settings.space), subject.colours)
    if negative := float(np.mean(light < -NEGATIVE)):
        yield f"{percent(negative)} of the samples are negative in {settings.space}: colours that lie outside it."
    if settings.sample == "half":
        peak = max(float(np.nanmax(np.abs(light))), *(abs(value or 0.0) for value in (*stats.max, *stats.min)))
        if peak > LARGEST_HALF:
            yield f"Half float ends at {LARGEST_HALF:,.0f}; the picture goes up to {peak:,.0f}."
        if header.bit_depth != "half":
            yield "Half float keeps 11 bits: each value may be off by 0.05 % of itself."
    if settings.compression in DWA:
        yield "DWA is lossy; how much is measured once it is made."
    if count := stats.non_finite:
        yield f"{count:,} samples are no numbers, and stay so."
    if header.layers and not settings.layers:
        yield f"{len(header.layers)} other layers are left out."
    if header.is_tiled:
        yield "Tiles and mip levels are not kept: the file is written in lines."
    by_hand = ByHand.read(settings.data_layers, settings.colour_layers)
    if settings.layers:
        yield from (f"Passes as data: {each.told}." for each in subject.layers(by_hand) if each.is_data)


def _same_primaries(meant: Any, said: Any) -> bool:
    """Whether chromaticities agree, as far as single precision tells; what neither says is the same."""
    if meant is None or said is None:
        return meant is said
    return bool(np.allclose(meant, said, atol=1e-4))


def _is_aces(config: ocio.Config, space: str) -> bool:
    chromaticities = handoff_tags(config, space).get("chromaticities")
    return isinstance(chromaticities, tuple) and np.allclose(chromaticities, AP0.chromaticities, atol=1e-5)


class _Converter:
    """The chosen layers of a source on their way to the file: colour converted, data as it is."""

    def __init__(self, config: ocio.Config, source: Source, settings: LightSettings) -> None:
        self._processor = space_processor(config, source.space, settings.space)
        self._file = source.file
        self.largest = LARGEST_HALF if settings.sample == "half" else np.inf

    def strips(self, part: list[Chosen], header: Header) -> Iterator[Pixels]:
        """Strips of the channels of a part, converted, with associated alpha; whole numbers as their bits."""
        order = {name: number for number, name in enumerate(header.channel_names)}
        whole = [order[name] for each in part for name in each.whole_numbers(header)]
        for strip in read_exact_strips(self._file, part[0].layer.part, whole):
            converted = []
            for each in part:
                own = np.ascontiguousarray(strip[..., [order[name] for name in each.layer.channels]])
                for group in each.groups:
                    # A scene-linear grey is the same in all spaces; to become colour it would need more channels.
                    numbers = group.colour if len(group.colour) == 3 else group.colour * 3
                    light = apply(self._processor, np.ascontiguousarray(own[..., numbers]))
                    own[..., group.colour] = light[..., : len(group.colour)]
                    if header.alpha == STRAIGHT and group.alpha is not None:
                        own[..., group.colour] *= own[..., [group.alpha]]
                converted.append(own)
            yield np.concatenate(converted, axis=-1)

    def fitted(self, strip: Pixels, part: list[Chosen]) -> Pixels:
        """A strip, its colours cut to the largest that the samples hold. What is infinite stays."""
        colour = colours_of(part)
        if not colour or not (np.abs(strip[..., colour]) > self.largest).any():
            return strip
        fitted = strip.copy()
        fitted[..., colour] = fitting(strip[..., colour], (-self.largest, self.largest))
        return fitted


def colours_of(part: list[Chosen]) -> list[int]:
    """The channels of a part that are colour or its alpha, by their numbers in the file."""
    found, first = [], 0
    for each in part:
        found += [first + number for number in sorted(each.colour)]
        first += len(each.layer.channels)
    return found


def _described(
    config: ocio.Config, part: list[Chosen], header: Header, source: Source, settings: LightSettings
) -> Part:
    """A part with what its header says: what the source said beside colour, and the space; of data, that it is data."""
    described = described_part(part, header, settings.sample, separate=settings.parts)
    is_data = all(each.judged.is_data for each in part)
    level = f":{settings.dwa_level:g}" if settings.compression in DWA else ""
    attributes: dict[str, Attribute] = {
        **({} if settings.aces else kept_attributes(source.file, part[0].layer.part)),
        **({"colorInteropID": DATA_ID} if is_data else handoff_tags(config, settings.space)),
        **({"acesImageContainerFlag": 1, "chromaticities": AP0.chromaticities} if settings.aces else {}),
        "compression": f"{settings.compression}{level}",
    }
    described = replace(described, attributes=attributes)
    return exactly_packed(described, part) if settings.compression in DWA else described


def _compared(
    target: Path,
    parts: list[list[Chosen]],
    headers: list[Header],
    described: list[Part],
    converter: _Converter,
    progress: Progress,
) -> WrittenLight:
    """What stands in the file against what was meant: colour by figures, data bit for bit. Raises BadInput where data
    was changed."""
    count = not_finite = outside = lit = done = 0
    total = relative = largest = peak = 0.0
    rows = sum(header.height for header in headers)
    with OpenEXR.File(str(target), separate_channels=True) as file:
        for number, (part, header, of) in enumerate(zip(parts, headers, described, strict=True)):
            channels = file.channels(number)
            colour = colours_of(part)
            data = [at for at in range(len(of.channels)) if at not in colour]
            row = 0
            for meant in converter.strips(part, header):
                stored = [channels[name].pixels[row : row + len(meant)] for name in of.channels]
                for at in data:
                    _check_same(stored[at], meant[..., at], of.types[at], of.channels[at], target)
                row += len(meant)
                done += len(meant)
                progress(0.6 + 0.4 * done / rows, "Reading it back")
                if not colour:
                    continue
                read = np.stack([stored[at] for at in colour], axis=-1).astype(np.float32)
                wanted = meant[..., colour]
                is_number = np.isfinite(wanted)
                held = is_number & (np.abs(wanted) <= converter.largest)
                error = np.abs(read[held] - wanted[held])
                light = np.abs(wanted[held])
                total += float(error.sum(dtype=np.float64))
                relative += float((error[light > 1e-3] / light[light > 1e-3]).sum(dtype=np.float64))
                lit += int(np.count_nonzero(light > 1e-3))
                largest = max(largest, float(error.max(initial=0.0)))
                peak = max(peak, float(np.abs(read[is_number]).max(initial=0.0)))
                count += error.size
                not_finite += int(held.size - np.count_nonzero(is_number))
                outside += int(np.count_nonzero(is_number & ~held))
    written = read_header(target)
    judged = [each for part in parts for each in part]
    return WrittenLight(
        width=written.picture_size[0],
        height=written.picture_size[1],
        layers=tuple(each.name for each in judged),
        tags=dict(written.tags),
        clipped=outside / max(1, count + outside + not_finite),
        largest_error=largest,
        mean_error=total / max(1, count),
        relative_error=relative / max(1, lit),
        not_finite=not_finite,
        peak=peak,
        bytes=target.stat().st_size,
        data={each.name: each.judged.reason for each in judged if each.judged.is_data},
        colour={each.name: each.judged.reason for each in judged if not each.judged.is_data},
    )


def _check_same(stored: NDArray[Any], meant: Pixels, sample: str, channel: str, target: Path) -> None:
    """Raise BadInput where a channel of data is not what it was, NaN included."""
    if sample == WHOLE_NUMBER:
        is_same = np.array_equal(stored, np.ascontiguousarray(meant).view(np.uint32))
    else:
        is_same = np.array_equal(stored, meant.astype(stored.dtype), equal_nan=True)
    if not is_same:
        raise BadInput(f"The data in {channel} did not read back as it was. Make {target.name} again, on another disk.")


def _layers_told(layers: Mapping[str, str]) -> str:
    return "; ".join(f"{name or 'the first'}, {reason}" for name, reason in layers.items())


@dataclass(frozen=True)
class WrittenHeader:
    """What an application writes into such a file: its format, and what its header says of colour."""

    file: str
    interop_id: str
    chromaticities: tuple[float, ...]


def header_of(config: ocio.Config, space: str) -> WrittenHeader:
    """The file that `Light` writes in a space, told to applications that write it themselves."""
    tags = handoff_tags(config, space)
    interop_id, numbers = tags.get("colorInteropID", ""), tags.get("chromaticities", ())
    return WrittenHeader(
        "OpenEXR, half float, zip",
        str(interop_id),
        numbers if isinstance(numbers, tuple) else (),
    )
