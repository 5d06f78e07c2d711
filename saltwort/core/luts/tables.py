"""LUTs as the files that applications read: sampled tables with a shaper before them where the input is light.

The shaper is a logarithm that keeps black: code = log2(x / low + 1) / log2(high / low + 1), 0 for no light, 1 for
`high`. What is below 0 or above `high` is clipped by it.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ConfigArchive, apply, load_config
from saltwort.core.engine.processors import build
from saltwort.core.luts.sampling import cube_nodes
from saltwort.core.luts.writing import as_clf

Array = NDArray[np.float64]
SHAPER_STEPS = 4096
EVEN_STEPS = 65_536
"""Of a shaper with even steps of light, which has to hold the darkest and the brightest in one."""


@dataclass(frozen=True)
class Shaper:
    """The logarithm before a table: where it turns from straight to logarithmic, and the light that it maps to 1."""

    low: float
    high: float

    @property
    def stops(self) -> float:
        return float(np.log2(self.high / self.low + 1))

    def code(self, light: Array) -> Array:
        return np.asarray(np.log2(np.clip(light, 0, self.high) / self.low + 1) / self.stops)

    def light(self, code: Array) -> Array:
        return np.asarray(self.low * (2.0 ** (np.clip(code, 0, 1) * self.stops) - 1))

    def transforms(self) -> list[ocio.Transform]:
        """The same as operations of the engine."""
        log = ocio.LogAffineTransform(
            logSideSlope=[1 / self.stops] * 3,
            logSideOffset=[0.0] * 3,
            linSideSlope=[1 / self.low] * 3,
            linSideOffset=[1.0] * 3,
        )
        log.setBase(2.0)
        held = ocio.RangeTransform(minInValue=0.0, maxInValue=self.high, minOutValue=0.0, maxOutValue=self.high)
        return [held, log]


@dataclass(frozen=True)
class Table:
    """A sampled transform: a cube of shape (edge, edge, edge, 3) by red, green and blue, or a curve of shape (n, 3) for
    each channel; behind a shaper or with inputs on 0–1. `notes` stand in the file as comments."""

    values: Array
    shaper: Shaper | None
    notes: tuple[str, ...] = ()

    @property
    def is_cube(self) -> bool:
        return self.values.ndim == 4

    @property
    def edge(self) -> int:
        return len(self.values)

    def in_order(self, *, red_fastest: bool) -> Array:
        """The nodes of a cube in a row, (edge³, 3)."""
        nodes = self.values.transpose(2, 1, 0, 3) if red_fastest else self.values
        return nodes.reshape(-1, 3)


def sampled(
    processor: ocio.CPUProcessor, edge: int, shaper: Shaper | None, *, cube: bool, notes: Sequence[str] = ()
) -> Table:
    """What a processor makes of evenly spaced codes: a cube with `edge` nodes a side, or a curve of `edge` nodes along
    the greys, which lie even in light where there is a shaper."""
    if cube:
        inputs = shaper.light(cube_nodes(edge)) if shaper else cube_nodes(edge)
    else:
        inputs = np.stack([np.linspace(0, shaper.high if shaper else 1.0, edge)] * 3, -1)
    flat = apply(processor, inputs.reshape(1, -1, 3).astype(np.float32))
    values = np.nan_to_num(flat.reshape(inputs.shape).astype(np.float64))
    return Table(values, shaper, tuple(notes))


def cube_text(table: Table) -> bytes:
    """`.cube`: a cube or a curve, with the shaper as a curve before it."""
    lines = [f"# {note}" for note in table.notes]
    shaper = table.shaper
    if table.is_cube and shaper:
        lines += [f"LUT_1D_SIZE {EVEN_STEPS}", f"LUT_1D_INPUT_RANGE 0.0 {shaper.high:.9g}"]
        lines += [f"LUT_3D_SIZE {table.edge}", "LUT_3D_INPUT_RANGE 0.0 1.0"]
        curve = shaper.code(np.linspace(0, shaper.high, EVEN_STEPS))
        lines += _rows(np.stack([curve] * 3, -1))
        lines += _rows(table.in_order(red_fastest=True))
    elif table.is_cube:
        lines += [f"LUT_3D_SIZE {table.edge}", "DOMAIN_MIN 0 0 0", "DOMAIN_MAX 1 1 1"]
        lines += _rows(table.in_order(red_fastest=True))
    else:
        last = shaper.high if shaper else 1.0
        lines += [f"LUT_1D_SIZE {table.edge}", f"LUT_1D_INPUT_RANGE 0.0 {last:.9g}", *_rows(table.values)]
    return _text(lines)


def csp_text(table: Table) -> bytes:
    """`.csp`: a cube with a prelut for each channel, whose points lie as close as the shaper bends."""
    codes = np.linspace(0, 1, SHAPER_STEPS if table.shaper else 2)
    light = table.shaper.light(codes) if table.shaper else codes
    prelut = [str(len(codes)), " ".join(f"{value:.9g}" for value in light), " ".join(f"{code:.9g}" for code in codes)]
    lines = ["CSPLUTV100", "3D", "", "BEGIN METADATA", *table.notes, "END METADATA", "", *prelut * 3, ""]
    lines += [" ".join([str(table.edge)] * 3), *_rows(table.in_order(red_fastest=True))]
    return _text(lines)


def spi3d_text(table: Table) -> bytes:
    """`.spi3d`: a cube with inputs on 0–1. The format holds no comments."""
    places = np.indices((table.edge,) * 3).reshape(3, -1).T
    nodes = table.in_order(red_fastest=False)
    rows = [f"{r} {g} {b} {x:.9g} {y:.9g} {z:.9g}" for (r, g, b), (x, y, z) in zip(places, nodes, strict=True)]
    return _text(["SPILUT 1.0", "3 3", " ".join([str(table.edge)] * 3), *rows])


def spi1d_text(table: Table) -> bytes:
    """`.spi1d`: a curve for each channel, over 0–1 or over the light of the shaper with even steps."""
    last = table.shaper.high if table.shaper else 1.0
    head = ["Version 1", f"From 0.0 {last:.9g}", f"Length {table.edge}", "Components 3", "{"]
    return _text([*head, *(f" {row}" for row in _rows(table.values)), "}"])


THREE_DL_INPUT, THREE_DL_OUTPUT = 1023, 4095
"""Ten bits in and twelve out, which every reader of the format takes."""


def three_dl_text(table: Table) -> bytes:
    """`.3dl`: a cube of whole numbers, blue fastest."""
    mesh = np.round(np.linspace(0, THREE_DL_INPUT, table.edge)).astype(int)
    values = np.round(np.clip(table.in_order(red_fastest=False), 0, 1) * THREE_DL_OUTPUT).astype(int)
    rows = [" ".join(map(str, row)) for row in values]
    return _text([*(f"# {note}" for note in table.notes), " ".join(map(str, mesh)), *rows])


def hald_pixels(table: Table) -> NDArray[np.uint16]:
    """A HALD image of 16 bits: the nodes of a cube of edge level² in a square of level³ pixels, red fastest."""
    side = round(table.edge**1.5)
    steps = np.round(np.clip(table.in_order(red_fastest=True), 0, 1) * 65535)
    return steps.reshape(side, side, 3).astype(np.uint16)


def transforms_of(table: Table, interpolation: ocio.Interpolation = ocio.INTERP_TETRAHEDRAL) -> ocio.GroupTransform:
    """A table as operations of the engine, the shaper exactly; a cube is read in this way."""
    before: list[ocio.Transform] = []
    if table.is_cube:
        lut: ocio.Transform = ocio.Lut3DTransform(table.edge)
        lut.setInterpolation(interpolation)
        before = table.shaper.transforms() if table.shaper else []
    else:
        lut = ocio.Lut1DTransform(table.edge, False)
        lut.setInterpolation(ocio.INTERP_LINEAR)
        before = [ocio.MatrixTransform.Scale([1 / table.shaper.high] * 3 + [1.0])] if table.shaper else []
    lut.setData(np.ascontiguousarray(table.values, np.float32))
    return ocio.GroupTransform([*before, lut])


def processor_of(table: Table, interpolation: ocio.Interpolation = ocio.INTERP_TETRAHEDRAL) -> ocio.CPUProcessor:
    """The processor of a table that stands in no file."""
    return build(ocio.Config.CreateRaw(), transforms_of(table, interpolation)).getDefaultCPUProcessor()


def clf_bytes(table: Table, *, as_ctf: bool = False) -> bytes:
    """Common LUT Format (S-2014-006), or the engine's own form of it, with the notes as descriptions."""
    group = transforms_of(table)
    for note in table.notes:
        group.getFormatMetadata().addChildElement("Description", note)
    if not as_ctf:
        return as_clf(group, ocio.Config.CreateRaw())
    text: str = group.write("Color Transform Format", ocio.Config.CreateRaw())
    return text.encode()


WRITERS: dict[str, Callable[[Table], bytes]] = {
    "cube": cube_text,
    "csp": csp_text,
    "3dl": three_dl_text,
    "spi1d": spi1d_text,
    "spi3d": spi3d_text,
    "clf": clf_bytes,
    "ctf": lambda table: clf_bytes(table, as_ctf=True),
}


def read_processor(
    file: Path,
    clamps: ocio.CDLStyle = ocio.CDL_NO_CLAMP,
    interpolation: ocio.Interpolation = ocio.INTERP_TETRAHEDRAL,
) -> ocio.CPUProcessor:
    """The processor of a LUT or CDL file, as the engine reads it; `clamps` are those of a CDL, `interpolation` that of
    a cube. Raises BadInput for a file that the engine cannot read."""
    # Through an archive: what the engine reads from a path it keeps, also when the file is written anew.
    name = f"file{file.suffix}"
    config = load_config(ConfigArchive(ocio.Config.CreateRaw().serialize(), {name: file.read_bytes()}))
    transform = ocio.FileTransform(name, interpolation=interpolation)
    transform.setCDLStyle(clamps)
    return build(config, transform).getDefaultCPUProcessor()


def hald_processor(
    steps: NDArray[np.float32], interpolation: ocio.Interpolation = ocio.INTERP_TETRAHEDRAL
) -> ocio.CPUProcessor:
    """The processor of a HALD image, (side, side, 3) on 0–1."""
    edge = round(steps.shape[0] ** (2 / 3))
    cube = steps.reshape(edge, edge, edge, 3).transpose(2, 1, 0, 3).astype(np.float64)
    return processor_of(Table(cube, None), interpolation)


def _rows(values: Array) -> list[str]:
    return [f"{red:.9g} {green:.9g} {blue:.9g}" for red, green, blue in values]


def _text(lines: Sequence[str]) -> bytes:
    return ("\n".join(lines) + "\n").encode()
