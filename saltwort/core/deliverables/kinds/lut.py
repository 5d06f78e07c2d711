"""A LUT of a view, or from one display or space to another, measured against the exact one before it is handed out."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.deliverables.foreseen import HEADERS, Foreseen, Subject, percent
from saltwort.core.deliverables.lut_errors import (
    CUBE_READINGS,
    LINEAR,
    Error,
    Judge,
    Readings,
    colours_of,
    error_of,
    error_over,
    p99_of,
)
from saltwort.core.deliverables.options import SPACE, option
from saltwort.core.deliverables.registry import OPTIONAL, Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.shown import Doubt, Source, ViewSettings
from saltwort.core.deliverables.told import Facts
from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.engine.displays import NO_LIGHT, display_kind
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE
from saltwort.core.engine.processors import check_view, is_linear, known_space
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images import read_pixels, write_image
from saltwort.core.images.independent import read_back
from saltwort.core.luts.tables import (
    EVEN_STEPS,
    WRITERS,
    Shaper,
    Table,
    hald_pixels,
    hald_processor,
    processor_of,
    read_processor,
    sampled,
)
from saltwort.core.names import slug
from saltwort.core.numbers import LARGEST_HALF, MIDDLE_GREY
from saltwort.core.spaces.difference import delta_e_2000, delta_e_itp
from saltwort.core.views.tone import display_difference

Array = NDArray[np.float64]
FORMATS = {
    "cube": ".cube, 3D",
    "cube-1d": ".cube, 1D",
    "csp": ".csp, 3D with a prelut",
    "3dl": ".3dl, 3D, 12-bit",
    "spi1d": ".spi1d",
    "spi3d": ".spi3d",
    "clf": "CLF",
    "ctf": "CTF",
    "hald": "HALD, 16-bit PNG",
}
SUFFIXES = {"cube-1d": ".cube", "hald": ".png"}
CURVES = ("cube-1d", "spi1d")
WITH_SHAPER = ("cube", "csp", "clf", "ctf", *CURVES)
AUTO, LOG, NO_SHAPER = "auto", "log", "none"
SHAPERS = {AUTO: "logarithm where the input is light", LOG: "logarithm", NO_SHAPER: "none"}
HALD_EDGES = (4, 9, 16, 25, 36, 49, 64)
MEASURED = 100_000
SIZES = (17, 25, 33, 49, 65)
OF_SHAPER = {"shaper": (AUTO, LOG)}
OUTLIERS = 0.001
"""Share of a picture's pixels, its brightest, that a LUT measured over it may clip."""


@dataclass(frozen=True)
class LutSettings(ViewSettings):
    format: str = option("cube", "Format", choices=FORMATS, first=True)
    source: str = option(
        "", "Input space", kind=SPACE, script="from", use="What the application feeds into it.", first=True
    )
    to: str = option("", "Output space", kind=SPACE, use="Instead of a view, such as from display to display.")
    size: int = option(33, "Size", limits=(2, EVEN_STEPS), use="Nodes a side of a cube, up to 129; points of a curve.")
    shaper: str = option(AUTO, "Shaper", choices=SHAPERS)
    lowest: float = option(-10.0, "Darkest stop", limits=(-20.0, -1.0), unit="stops", only=OF_SHAPER)
    highest: float = option(
        6.5,
        "Brightest stop",
        limits=(0.0, 16.0),
        unit="stops",
        only=OF_SHAPER,
        use="From middle grey. Above is clipped.",
    )
    within: float = option(1.0, "Error aimed at", limits=(0.05, 20.0), unit="ΔE", use="A size is suggested for it.")

    @property
    def suffix(self) -> str:
        return SUFFIXES.get(self.format, f".{self.format}")


LARGEST_CUBE = 129
SLACK, NOTICED = 1.2, 0.3
"""How much further off than the recipe's own LUT another may be: of a share, and of ΔE."""
NODE_BYTES = 40
"""Of three numbers as text."""


@dataclass(frozen=True)
class WrittenLut:
    """A LUT as the engine read the file again. `held` is the light or the codes that its input holds; `picture` is the
    error over the picture that was given, if one was; `suggested` is the smallest size of SIZES whose 99th percentile
    is within what was aimed at, None where none is, or nothing is measured in ΔE."""

    size: int
    bytes: int
    input: str
    output: str
    held: tuple[float, float]
    has_shaper: bool
    error: Error
    picture: Error | None
    suggested: int | None
    tried: tuple[tuple[int, float], ...]


@deliverable
class Lut(Deliverable[LutSettings]):
    kind = "lut"
    label = "LUT"
    use = "A view or a change of space for an application that takes no config, with its error measured."
    takes = OPTIONAL
    verifies = True
    settings = LutSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {**vars(chosen.view), "source": chosen.working_space}

    def plan(self, config: ocio.Config, settings: LutSettings) -> None:
        known_space(config, settings.source)
        if settings.to:
            known_space(config, settings.to)
        else:
            check_view(config, settings.choice)
        if settings.format == "hald" and settings.size not in HALD_EDGES:
            raise BadInput(f"A HALD image has {', '.join(map(str, HALD_EDGES))} nodes a side.", "size")
        if settings.format not in CURVES and settings.size > LARGEST_CUBE:
            raise BadInput(f"A cube has up to {LARGEST_CUBE} nodes a side.", "size")
        if settings.shaper == LOG and settings.format not in WITH_SHAPER:
            raise BadInput(f"{FORMATS[settings.format]} holds no shaper. Choose .cube, .csp, CLF or CTF.", "shaper")
        if settings.format not in WITH_SHAPER and _is_light(config, settings.source):
            raise BadInput(
                f"{FORMATS[settings.format]} holds no shaper, and {settings.source} is light, which 0–1 does not hold. "
                "Choose a logarithmic input space, such as ACEScct, or another format.",
                "source",
            )

    def named(self, stem: str, revision: int, settings: LutSettings) -> str:
        target = settings.to or f"{settings.view} {settings.display}"
        return f"{slug(settings.source)}_to_{slug(target)}_r{revision}{settings.suffix}"

    def facts(self, config: ocio.Config, settings: LutSettings) -> Facts:
        return {
            "format": FORMATS[settings.format],
            "feed it": settings.source,
            "gives": settings.to or f"{settings.view} on {settings.display}",
            **({} if settings.to else {"look": settings.look or "look of the view"}),
            "size": str(settings.size),
        }

    def foresee(self, config: ocio.Config, settings: LutSettings, subject: Subject | None) -> Foreseen:
        nodes = settings.size if settings.format in CURVES else settings.size**3
        losses = ["A LUT is not exact: its error is measured once it is made, and a size is suggested."]
        if subject and _is_light(config, settings.source) and settings.shaper in OF_SHAPER["shaper"]:
            light = apply(space_processor(config, subject.space, settings.source), subject.colours)
            above = float(np.mean(light > MIDDLE_GREY * 2.0**settings.highest))
            if above:
                losses.append(f"{percent(above)} of the picture is brighter than the brightest stop, and clipped.")
        return Foreseen(NODE_BYTES * nodes + HEADERS, tuple(losses))

    def make(
        self, config: ocio.Config, sources: Sequence[Source], settings: LutSettings, target: Path, progress: Progress
    ) -> WrittenLut:
        exact = _exact(config, settings)
        picture = _picture_colours(config, sources[0], settings) if sources else None
        shaper = _shaper(config, settings, picture)
        progress(0.0, "Sampling")
        table = sampled(
            exact, settings.size, shaper, cube=settings.format not in CURVES, notes=_notes(settings, shaper)
        )
        progress(0.3, "Writing the file")
        _write_table(table, settings, target)
        progress(0.5, "Measuring against the exact transform")
        readings = _read_again(target, settings)
        judge = _judge(config, settings)
        error = error_of(exact, readings, shaper, judge, size=settings.size)
        high = shaper.high if shaper else 1.0
        own = None if picture is None else error_over(exact, readings, picture, high, judge)
        tried = _tried(exact, shaper, judge, settings, progress)
        fitting = [size for size, p99 in tried if p99 <= settings.within]
        return WrittenLut(
            size=settings.size,
            bytes=target.stat().st_size,
            input=settings.source,
            output=settings.to or f"{settings.view} on {settings.display}",
            held=(0.0, high),
            has_shaper=shaper is not None,
            error=error,
            picture=own,
            suggested=min(fitting, default=None),
            tried=tried,
        )

    def doubts(
        self, config: ocio.Config, settings: LutSettings, says: Mapping[str, Any], file: Path
    ) -> Iterator[Doubt]:
        if file.suffix.lower() != settings.suffix:
            yield Doubt("other-format", f"The recipe makes {settings.suffix}; this is {file.suffix}.")
            return
        exact, shaper, judge = _exact(config, settings), _shaper(config, settings, None), _judge(config, settings)
        own = _readings(sampled(exact, settings.size, shaper, cube=settings.format not in CURVES))
        meant, found = (error_of(exact, readings, shaper, judge) for readings in (own, _read_again(file, settings)))
        if meant.p99 is not None and found.p99 is not None and found.p99 > SLACK * meant.p99 + NOTICED:
            yield Doubt(
                "other-colours",
                f"99 % of colours lie within {found.measure} {found.p99:.2f} of what is meant; those of the recipe "
                f"within {meant.p99:.2f}.",
            )
        elif meant.p99 is None and found.largest_number > SLACK * meant.largest_number + 1e-3:
            yield Doubt("other-colours", f"Its numbers are up to {found.largest_number:.3g} off; the recipe’s are not.")

    def told(self, written: Mapping[str, Any]) -> Facts:
        low, high = written["held"]
        suggested = written["suggested"]
        tried = [f"{size}: {p99:.2f} {written['error']['measure']}" for size, p99 in written["tried"]]
        return {
            "holds": f"{low:g} to {high:.4g}; what lies outside is clipped",
            f"error over {written['error']['colours']:,} colours": _error_told(written["error"]),
            **_by_reading(written["error"]),
            **({"error over the picture": _error_told(written["picture"])} if written["picture"] else {}),
            **({"99 % within, by size": ", ".join(tried)} if tried else {}),
            **({"suggested size": str(suggested) if suggested else "none of these is close enough"} if tried else {}),
            "read back by": "the OCIO library, from the file",
        }


def _by_reading(error: Mapping[str, Any]) -> Facts:
    """Where 99 % of the colours of each sort lie, for each way in which the LUT is read."""
    told = {}
    for reading in dict.fromkeys(one["reading"] for one in error.get("sorts", ())):
        sorts = [one for one in error["sorts"] if one["reading"] == reading]
        if error["measure"] is None:
            told[f"read {reading}"] = ", ".join(f"{one['sort']} {one['largest_number']:.2g}" for one in sorts)
        else:
            told[f"99 % below, read {reading}"] = ", ".join(f"{one['sort']} {one['p99']:.2f}" for one in sorts)
    return told


def _error_told(error: Mapping[str, Any]) -> str:
    clipped = f", {error['clipped']:.2%} clipped" if error["clipped"] else ""
    if error["measure"] is None:
        return f"largest difference {error['largest_number']:.2g}{clipped}"
    most = f"99 % below {error['p99']:.2f}, largest {error['largest']:.2f}"
    return f"{error['measure']} mean {error['mean']:.3f}, {most}{clipped}"


def _is_light(config: ocio.Config, space: str) -> bool:
    return is_linear(config, known_space(config, space)) and not config.getColorSpace(space).isData()


def _exact(config: ocio.Config, settings: LutSettings) -> ocio.CPUProcessor:
    if settings.to:
        return space_processor(config, settings.source, settings.to)
    return view_processor(config, settings.source, settings.choice)


def _shaper(config: ocio.Config, settings: LutSettings, picture: Array | None) -> Shaper | None:
    """The shaper that is asked for; where there is a picture, over its range without its brightest pixels: a hot one
    would take the steps from all others."""
    wanted = settings.shaper == LOG or (settings.shaper == AUTO and _is_light(config, settings.source))
    if not wanted:
        return None
    high = MIDDLE_GREY * 2.0**settings.highest
    if picture is not None and settings.shaper == AUTO:
        peak = float(np.quantile(picture.max(axis=1), 1 - OUTLIERS, method="lower"))
        high = MIDDLE_GREY * 2.0 ** (np.ceil(4 * np.log2(max(peak, 1.0) / MIDDLE_GREY)) / 4)
    return Shaper(MIDDLE_GREY * 2.0**settings.lowest, float(high))


def _notes(settings: LutSettings, shaper: Shaper | None) -> tuple[str, ...]:
    target = settings.to or f"view {settings.view} on {settings.display}"
    held = f"0 to {shaper.high:.4g}" if shaper else "0 to 1"
    return (
        f"Input: {settings.source}, numbers from {held}. What lies outside is clipped.",
        f"Output: {target}. Add no view, display or gamma after it.",
    )


def _write_table(table: Table, settings: LutSettings, target: Path) -> None:
    if settings.format == "hald":
        write_image(target, hald_pixels(table), "uint16")
        return
    content = WRITERS[settings.format.removesuffix("-1d")](table)
    with replacing(target) as temporary:
        temporary.write_bytes(content)


def _read_again(target: Path, settings: LutSettings) -> Readings:
    """The file in each way in which applications read it."""
    if settings.format in CURVES:
        return {LINEAR: read_processor(target)}
    if settings.format == "hald":
        steps = read_back(target).rows()
        return {name: hald_processor(steps, reading) for name, reading in CUBE_READINGS.items()}
    return {name: read_processor(target, interpolation=reading) for name, reading in CUBE_READINGS.items()}


def _readings(table: Table) -> Readings:
    if not table.is_cube:
        return {LINEAR: processor_of(table)}
    return {name: processor_of(table, reading) for name, reading in CUBE_READINGS.items()}


def _picture_colours(config: ocio.Config, source: Source, settings: LutSettings) -> Array:
    """Pixels of a picture as the LUT is fed them, (n, 3), at most MEASURED: within what half floats hold."""
    pixels = read_pixels(source.file, source.layer).reshape(-1, 3)
    few = pixels[:: max(1, -(-len(pixels) // MEASURED))]
    fed = apply(space_processor(config, source.space, settings.source), np.ascontiguousarray(few)[None])[0]
    numbers = np.nan_to_num(fed, posinf=LARGEST_HALF, neginf=-LARGEST_HALF)
    return np.asarray(np.clip(numbers, -LARGEST_HALF, LARGEST_HALF), np.float64)


def _judge(config: ocio.Config, settings: LutSettings) -> Judge:
    if settings.to:
        space = config.getColorSpace(settings.to)
        if space.isData() or space.getReferenceSpaceType() != ocio.REFERENCE_SPACE_DISPLAY:
            return None
        processor = space_processor(config, settings.to, DISPLAY_INTERCHANGE)

        def xyz(numbers: Array) -> Array:
            return np.asarray(apply(processor, numbers.astype(np.float32)[None])[0], np.float64)

        is_hdr = float(xyz(np.ones((1, 3)))[0, 1]) > 1.01
    else:
        if display_kind(config, settings.choice) == NO_LIGHT:
            return None
        return display_difference(config, settings.choice)
    measure = delta_e_itp if is_hdr else delta_e_2000
    return "ΔE ITP" if is_hdr else "ΔE 2000", lambda ours, meant: measure(xyz(ours), xyz(meant))


def _tried(
    exact: ocio.CPUProcessor, shaper: Shaper | None, judge: Judge, settings: LutSettings, progress: Progress
) -> tuple[tuple[int, float], ...]:
    """The 99th percentile of the error of cubes of SIZES, by their size, of the worst sort and reading."""
    if judge is None or settings.format in CURVES:
        return ()
    found, colours = [], colours_of(shaper)
    for number, size in enumerate(SIZES):
        cube = _readings(sampled(exact, size, shaper, cube=True))
        found.append((size, p99_of(exact, cube, colours, judge)))
        progress(0.6 + 0.4 * (number + 1) / len(SIZES), "Trying other sizes")
    return tuple(found)
