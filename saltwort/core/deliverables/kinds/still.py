"""A picture with the view in it, for looking at."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.tags import still_tags
from saltwort.core.deliverables.foreseen import SAMPLE_BYTES, Foreseen, Subject, raw_bytes
from saltwort.core.deliverables.options import option
from saltwort.core.deliverables.registry import Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.same_picture import Differing, blocks_differ, error_of, explained_by_codec
from saltwort.core.deliverables.shown import (
    Doubt,
    ShownPicture,
    ShownSettings,
    Source,
    fitting,
    highest_finite,
    laid_over,
    of_another_size,
    quantised,
    size_doubts,
)
from saltwort.core.deliverables.told import Facts, picture_told, points_told
from saltwort.core.engine.processors import known_space, shows_own_numbers
from saltwort.core.errors import BadInput
from saltwort.core.images.alpha import associated
from saltwort.core.images.deep_avif import write_deep_avif
from saltwort.core.images.independent import file_tags, read_back
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video import HLG, PQ
from saltwort.core.images.writing import Attribute, write_avif, writing_rows
from saltwort.core.names import slug
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.spaces.typed import parse_hex

BEST = ""
SAMPLES = {
    BEST: "best of the format",
    "8": "8-bit",
    "10": "10-bit",
    "16": "16-bit",
    "half": "half float",
    "float": "float",
}
TYPES = {"8": "uint8", "16": "uint16", "half": "half", "float": "float"}
DEPTHS = {"8": "8-bit", "10": "10-bit", "16": "16-bit", "half": "half", "float": "float"}
"""What headers call the samples."""
WHOLE = (0.0, 1.0)
LIMITS = {"8": WHOLE, "10": WHOLE, "16": WHOLE, "half": (-LARGEST_HALF, LARGEST_HALF), "float": (-np.inf, np.inf)}
SLACK = {bits: 0.5 / ((1 << int(bits)) - 1) for bits in ("8", "10", "16")}
"""Half a step: what lies no further beyond 0–1 is rounded, not cut."""


@dataclass(frozen=True)
class PictureFormat:
    """A file format of stills: how its names end with the usual one first, the samples it holds here with the best
    first, and whether it has alpha."""

    label: str
    endings: tuple[str, ...]
    bits: tuple[str, ...]
    alpha: bool = True


FORMATS = {
    "png": PictureFormat("PNG", (".png",), ("16", "8")),
    "tiff": PictureFormat("TIFF", (".tif", ".tiff"), ("16", "8", "half", "float")),
    "jpeg": PictureFormat("JPEG", (".jpg", ".jpeg"), ("8",), alpha=False),
    "avif": PictureFormat("AVIF", (".avif",), ("8", "10")),
    "jxl": PictureFormat("JPEG XL", (".jxl",), ("16", "8", "half", "float")),
    "exr": PictureFormat("EXR, display-referred", (".exr",), ("half", "float")),
}
NO_ALPHA, KEEP, OVER = "none", "keep", "over"
ALPHAS = {NO_ALPHA: "left out", KEEP: "kept", OVER: "laid over a colour"}
LOSSY = ("jpeg", "avif")
KEPT_BYTES = 150_000_000
PNG_FORM: Mapping[str, Attribute] = {"png:compressionLevel": 4, "png:filter": 0x10}
"""How PNG packs: each pixel less the one on its left (PNG, 9.2, filter Sub) where libpng would try all filters for each
row. A third of the time of its usual form, for files about as large."""
DITHERED_FORM: Mapping[str, Attribute] = {**PNG_FORM, "compression": "huffman"}
"""What is dithered has nothing that repeats, so that not to look for it is faster and packs better."""


@dataclass(frozen=True)
class StillSettings(ShownSettings):
    format: str = option("png", "Format", choices={key: each.label for key, each in FORMATS.items()}, first=True)
    bits: str = option(BEST, "Samples", choices=SAMPLES, first=True)
    dither: bool = option(
        True, "Dither", use="Noise of one step, so that 8-bit pictures show no bands. Not for raw numbers."
    )
    quality: int = option(95, "Quality", limits=(1, 100), only={"format": LOSSY})
    alpha: str = option(NO_ALPHA, "Alpha", choices=ALPHAS)
    over: str = option("#000000", "Colour below", only={"alpha": (OVER,)}, use="Of the display, as #rrggbb.")

    @property
    def samples(self) -> str:
        return self.bits or FORMATS[self.format].bits[0]


@dataclass(frozen=True)
class WrittenPicture:
    """A picture as `reader` read it back. `clipped` is the share of samples, 0–1, that did not fit and were cut,
    `not_finite` counts NaN and infinite ones, which floats keep, and which are black or white in whole steps;
    `largest_error` and `mean_error` are differences of samples that did fit to what was meant, on the 0–1 scale of code
    values or in linear light; `peak` is the largest sample that is a number, 0 where there is none."""

    width: int
    height: int
    tags: dict[str, Any]
    clipped: float
    largest_error: float
    mean_error: float
    not_finite: int
    peak: float
    reader: str
    bytes: int


@deliverable
class Still(Deliverable[StillSettings]):
    kind = "still"
    label = "Picture with the view"
    use = "The view baked in, tagged with what the display is. For looking, not for compositing."
    settings = StillSettings
    verifies = compares = True

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {**vars(chosen.view), "grade": vars(chosen.grade)}

    def plan(self, config: ocio.Config, settings: StillSettings) -> None:
        settings.check(config)
        made = FORMATS[settings.format]
        if settings.samples not in made.bits:
            held = " or ".join(SAMPLES[bits] for bits in made.bits)
            raise BadInput(f"{made.label} holds {held} samples here, not {SAMPLES[settings.samples]}.", "bits")
        points = still_tags(config, settings.choice, ".avif").get("CICP")
        is_hdr = isinstance(points, tuple) and points[1] in (PQ, HLG)
        if settings.format == "avif" and settings.samples == "8" and is_hdr:
            raise BadInput("8 bits are too few for HDR. Choose 10-bit samples for AVIF, or PNG.", "bits")
        if settings.samples == "10" and not points:
            raise BadInput("10-bit AVIF needs a view that writes for a display. Choose another, or TIFF.", "view")
        if settings.format == "jxl" and shows_own_numbers(config, settings.choice):
            raise BadInput(
                "JPEG XL always says of what display its numbers are, and these are of none. Choose PNG, TIFF or EXR.",
                "format",
            )
        if settings.alpha == KEEP and not made.alpha:
            raise BadInput(f"{made.label} holds no alpha. Lay it over a colour, or choose PNG.", "alpha")
        if settings.alpha == OVER:
            parse_hex(settings.over)

    def named(self, stem: str, revision: int, settings: StillSettings) -> str:
        made = FORMATS[settings.format]
        shown = "_display" if settings.format == "exr" else ""
        return f"{stem}_{slug(settings.view)}{shown}_r{revision}{made.endings[0]}"

    def endings(self, settings: StillSettings) -> tuple[str, ...]:
        return FORMATS[settings.format].endings

    def facts(self, config: ocio.Config, settings: StillSettings) -> Facts:
        return {
            "format": FORMATS[settings.format].label,
            "view": f"{settings.view} on {settings.display}",
            "look": settings.look or "look of the view",
            "exposure": f"{settings.exposure:+.2f} stops",
            "samples": SAMPLES[settings.samples],
            **({"grade": "that of Compare"} if settings.use_grade else {}),
        }

    def foresee(self, config: ocio.Config, settings: StillSettings, subject: Subject | None) -> Foreseen:
        assert subject
        channels = 4 if settings.alpha == KEEP and subject.has_alpha else 3
        size = raw_bytes(settings.foreseen_size(subject), channels, SAMPLE_BYTES[settings.samples])
        return Foreseen(size, tuple(_losses(config, settings, subject)))

    def make(
        self,
        config: ocio.Config,
        sources: Sequence[Source],
        settings: StillSettings,
        target: Path,
        progress: Progress,
    ) -> WrittenPicture:
        picture = settings.picture(config, sources[0], alpha=settings.alpha != NO_ALPHA)
        tags = still_tags(config, settings.choice, target.suffix.lower())
        if settings.format == "exr":
            tags["ImageDescription"] = _described(config, settings, sources[0].space)
        progress(0.0, "Reading the picture")
        meant = _Meant(picture, settings)
        _write_file(meant, picture, settings, target, tags, is_dithered(settings, tags), progress)
        return _compared(target, meant, picture.size[1], settings, progress)

    def doubts(
        self, config: ocio.Config, settings: StillSettings, says: Mapping[str, Any], file: Path
    ) -> Iterator[Doubt]:
        made = FORMATS[settings.format]
        if file.suffix.lower() not in made.endings:
            yield Doubt("other-format", f"The recipe makes {made.label}; this is {file.suffix or 'of another kind'}.")
            return
        if says["bit_depth"] and says["bit_depth"] != DEPTHS[settings.samples]:
            asked = DEPTHS[settings.samples]
            yield Doubt("other-samples", f"The recipe asks for {asked} samples; these are {says['bit_depth']}.")
        meant = still_tags(config, settings.choice, made.endings[0]).get("CICP")
        said = says["tags"].get("CICP")
        if isinstance(meant, tuple) and (said is None or tuple(map(int, said[:2])) != meant[:2]):
            wanted = points_told(int(meant[0]), int(meant[1]))
            told = points_told(int(said[0]), int(said[1])) if said else "nothing"
            yield Doubt("other-colour", f"The recipe’s display is {wanted}; it says {told}.")
        yield from size_doubts(settings, says)

    def differs(
        self, config: ocio.Config, sources: Sequence[Source], settings: StillSettings, file: Path
    ) -> list[Doubt]:
        picture = settings.picture(config, sources[0], alpha=settings.alpha != NO_ALPHA)
        found = read_back(file)
        height, width = found.stored.shape[:2]
        if (width, height) != picture.size:
            return [of_another_size(picture.size, (width, height))]
        if settings.alpha == KEEP and picture.has_alpha and found.stored.shape[2] < 4:
            return [Doubt("other-alpha", "The recipe keeps the alpha of this render; this file has none.")]
        meant, differing = _Meant(picture, settings), Differing()
        if settings.format in LOSSY:
            with TemporaryDirectory() as folder:
                again = Path(folder) / file.name
                tags = still_tags(config, settings.choice, file.suffix.lower())
                _write_file(
                    meant, picture, settings, again, tags, is_dithered(settings, tags), lambda share, what: None
                )
                coded = read_back(again).rows(0, height)[..., :3]
            read = found.rows(0, height)[..., :3]
            allowed = explained_by_codec(error_of(coded, _held(np.concatenate(list(meant))[..., :3], settings)))
            differing.add(error_of(read, coded), allowed)
            return differing.doubts() or blocks_differ(read, coded)
        step = _step(settings, config)
        row = 0
        for strip in meant:
            read = found.rows(row, row + len(strip))
            channels = min(read.shape[2], strip.shape[2])
            wanted = _held(strip[..., :channels], settings)
            allowed = np.full(wanted.shape[:2], step, np.float32)
            if settings.samples in FLOATS:
                allowed *= np.maximum(np.abs(np.nan_to_num(wanted)).max(axis=2), 1)
            differing.add(error_of(read[..., :channels], wanted), allowed)
            row += len(strip)
        return differing.doubts()

    def told(self, written: Mapping[str, Any]) -> Facts:
        return picture_told(written)


FLOATS = ("half", "float")
ROUNDED = {"8": 0.51 / 255, "10": 0.51 / 1023, "16": 0.51 / 65535 + 1e-6, "half": 2**-10, "float": 2**-20}
"""How far a sample may be from what was meant, by rounding alone; of floats as a part of it."""
DITHERED = 1.52 / 255


def _step(settings: StillSettings, config: ocio.Config) -> float:
    tags = still_tags(config, settings.choice, FORMATS[settings.format].endings[0])
    return DITHERED if is_dithered(settings, tags) else ROUNDED[settings.samples]


def _held(meant: Pixels, settings: StillSettings) -> Pixels:
    """What samples of the format hold of it; NaN is black where it has no number for it."""
    if settings.samples in FLOATS:
        return fitting(meant, LIMITS[settings.samples])
    return np.clip(np.nan_to_num(meant, nan=0.0, posinf=1.0, neginf=0.0), 0, 1)


def _losses(config: ocio.Config, settings: StillSettings, subject: Subject) -> Iterator[str]:
    yield from settings.foreseen_losses(config, subject, SLACK.get(settings.samples))
    if settings.samples == "8":
        yield f"8 bits hold 256 steps a channel{', dithered' if settings.dither else ': skies may show bands'}."
    if settings.format in LOSSY:
        yield f"{FORMATS[settings.format].label} is lossy; how much is measured once it is made."
    if settings.alpha == NO_ALPHA and subject.has_alpha:
        yield "The alpha is left out."


def format_named(file: Path) -> str:
    """The format that the name of a still stands for. Raises BadInput for one of none."""
    found = next((key for key, each in FORMATS.items() if file.suffix.lower() in each.endings), None)
    if found is None:
        known = ", ".join(ending for each in FORMATS.values() for ending in each.endings)
        raise BadInput(f"{file.name}: a still ends with one of {known}.")
    return found


def _described(config: ocio.Config, settings: StillSettings, space: str) -> str:
    if shows_own_numbers(config, settings.choice):
        return f"Numbers in {known_space(config, space)}, as they stand in the source. No view is applied."
    return f"Display-referred: the view {settings.view} on {settings.display} is baked in. These are no linear values."


def is_dithered(settings: StillSettings, tags: Mapping[str, Attribute]) -> bool:
    """Raw numbers and data, which no display is named for, are never dithered."""
    return settings.dither and settings.samples == "8" and bool(tags)


class _Meant:
    """What the file is to hold, float32 strips from top to bottom, with alpha as the format has it: kept for the
    comparison where that takes no more than KEPT_BYTES, else computed a second time."""

    def __init__(self, picture: ShownPicture, settings: StillSettings) -> None:
        self._picture, self._settings = picture, settings
        width, height = picture.size
        self._keeps = width * height * 16 <= KEPT_BYTES
        self._kept: list[Pixels] = []

    def __iter__(self) -> Iterator[Pixels]:
        if self._kept:
            yield from self._kept
            return
        for strip in self._picture.strips():
            shown = strip
            if self._settings.alpha == OVER:
                shown = laid_over(strip, parse_hex(self._settings.over))
            elif self._settings.format == "exr" and strip.shape[2] == 4:
                shown = associated(strip)
            if self._keeps:
                self._kept.append(shown)
            yield shown


def _write_file(
    meant: _Meant,
    picture: ShownPicture,
    settings: StillSettings,
    target: Path,
    tags: dict[str, Attribute],
    dithers: bool,
    progress: Progress,
) -> None:
    width, height = picture.size
    channels = 4 if picture.has_alpha and settings.alpha == KEEP else 3
    noise = np.random.default_rng(0) if dithers else None
    bits = {"8": 8, "16": 16}.get(settings.samples)

    def steps() -> Iterator[Any]:
        row = 0
        for strip in meant:
            yield quantised(strip, bits, noise) if bits else fitting(strip, LIMITS[settings.samples])
            row += len(strip)
            progress(0.6 * row / height, "Applying the view and writing")

    if settings.format == "avif":
        codes = np.concatenate(list(steps()))
        if settings.samples == "10":
            write_deep_avif(target, codes, settings.quality, tags["CICP"])
        else:
            write_avif(target, codes, settings.quality, tags)
        return
    attributes = {**tags, **_compression(settings, dithers)}
    with writing_rows(target, (height, width, channels), TYPES[settings.samples], attributes) as write:
        for rows in steps():
            write(rows)


def _compression(settings: StillSettings, dithers: bool) -> Mapping[str, Attribute]:
    if settings.format == "jpeg":
        return {"Compression": f"jpeg:{settings.quality}", "jpeg:subsampling": "4:4:4"}
    if settings.format == "jxl":
        return {"Compression": "jpegxl:100"}  # nothing is lost
    if settings.format == "png":
        return DITHERED_FORM if dithers else PNG_FORM
    return {"compression": "zip"} if settings.format in ("exr", "tiff") else {}


def _compared(
    target: Path, meant_to_be: _Meant, rows: int, settings: StillSettings, progress: Progress
) -> WrittenPicture:
    """What stands in the file against what was meant."""
    progress(0.6, "Reading it back")
    found = read_back(target)
    height, width = found.stored.shape[:2]
    (lowest, highest), slack = LIMITS[settings.samples], SLACK.get(settings.samples, 0.0)
    row = count = not_finite = outside = 0
    total = largest = 0.0
    peak = -np.inf
    for meant in meant_to_be:
        read = found.rows(row, row + len(meant))[..., : meant.shape[2]]
        peak = max(peak, highest_finite(read[..., :3]))
        wanted = meant
        # Mostly all are held, which is told far faster than which.
        if not (lowest - slack <= meant.min() and meant.max() <= highest + slack):
            is_number = np.isfinite(meant)
            held = is_number & (meant >= lowest - slack) & (meant <= highest + slack)
            not_finite += int(held.size - np.count_nonzero(is_number))
            outside += int(np.count_nonzero(is_number & ~held))
            wanted, read = meant[held], read[held]
        error = np.abs(read - np.clip(wanted, lowest, highest))
        total += float(error.sum(dtype=np.float64))
        largest = max(largest, float(error.max()) if error.size else 0.0)
        count += error.size
        row += len(meant)
        progress(0.6 + 0.4 * row / rows, "Reading it back")
    samples = max(1, count + outside + not_finite)
    return WrittenPicture(
        width=width,
        height=height,
        tags=file_tags(target),
        clipped=outside / samples,
        largest_error=largest,
        mean_error=total / max(1, count),
        not_finite=not_finite,
        peak=peak if np.isfinite(peak) else 0.0,
        reader=found.reader,
        bytes=target.stat().st_size,
    )
