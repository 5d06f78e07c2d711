"""LUTs that cannot do what they are used for."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.processors import build, scene_spaces
from saltwort.core.engine.transforms import transforms_within
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import CAUTION, Problem, Subjects, check

FEWEST_POINTS, FEWEST_NODES = 1024, 32
"""Of a curve, and of an edge of a cube, on log input. A log curve holds some 16 to 20 stops: with 1024 points there are
50 to a stop, as many as a 10-bit scan has; with 32 nodes a cube has two to a stop, with 17 one."""
ABOVE_WHITE = np.array([1.0, 2.0, 4.0, 8.0, 16.0], np.float32)


@dataclass(frozen=True)
class _UsedLut:
    """A LUT file where it is used: by what, which file, whether what comes in is a logarithm, and whether it is scene
    light itself."""

    user: str
    file: ocio.FileTransform
    on_log: bool
    on_light: bool


@check("lut.too-few-points", CAUTION)
def too_few_points(subjects: Subjects) -> Iterator[Problem]:
    """A LUT on a logarithm has so few points that bands show."""
    for used in _used_luts(subjects.config):
        for table in _tables(subjects.config, used.file) if used.on_log else ():
            is_cube = isinstance(table, ocio.Lut3DTransform)
            points = table.getGridSize() if is_cube else table.getLength()
            enough = FEWEST_NODES if is_cube else FEWEST_POINTS
            if points < enough:
                counted = f"{points} nodes to an edge" if is_cube else f"{points} points"
                yield Problem(
                    used.user,
                    "LUT with too few points",
                    f"“{used.file.getSrc()}” spreads all stops of a logarithm over {counted}; between them colours are "
                    f"guessed, and gradients show bands. Have it made again with {enough} or more.",
                )


@check("lut.out-of-range", CAUTION)
def out_of_range(subjects: Subjects) -> Iterator[Problem]:
    """A LUT is given scene light, and ends at 1: everything brighter is cut off."""
    for used in _used_luts(subjects.config):
        if used.on_light and _cuts_above_white(subjects.config, used.file):
            yield Problem(
                used.user,
                "LUT clips light",
                f"“{used.file.getSrc()}” is given scene light, and gives the same for 1 and for 16: all highlights "
                "become one. Use it on a logarithm: give the look a log process space, or put a log curve before it.",
            )


def _used_luts(config: ocio.Config) -> Iterator[_UsedLut]:
    for space in scene_spaces(config):
        name, is_log = space.getName(), space.getEncoding() == "log"
        yield from _in_chain(name, space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE), is_log, on_light=False)
        holds_light = space.getEncoding() in ("log", "scene-linear")
        from_light = space.getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE)
        yield from _in_chain(name, from_light, on_log=False, on_light=holds_light)
    for look in config.getLooks():
        process = config.getColorSpace(look.getProcessSpace())
        encoding = process.getEncoding() if process else ""
        on_log, on_light = encoding == "log", encoding == "scene-linear"
        yield from _in_chain(look.getName(), look.getTransform(), on_log, on_light)
    for view in config.getViewTransforms():
        shown = view.getTransform(ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
        yield from _in_chain(view.getName(), shown, on_log=False, on_light=False)


def _in_chain(user: str, transform: ocio.Transform | None, on_log: bool, on_light: bool) -> Iterator[_UsedLut]:
    """LUT files of a chain, with what comes in at the start followed as far as it can be told."""
    for part in transforms_within(transform):
        if isinstance(part, ocio.FileTransform):
            yield _UsedLut(user, part, on_log, on_light)
            on_log = on_light = False
        elif isinstance(part, _LOGARITHMS):
            on_log = part.getDirection() == ocio.TRANSFORM_DIR_FORWARD
            on_light = False
        elif not isinstance(part, ocio.MatrixTransform | ocio.RangeTransform):
            on_log = on_light = False


_LOGARITHMS = (ocio.LogTransform, ocio.LogAffineTransform, ocio.LogCameraTransform)


def _tables(config: ocio.Config, file: ocio.FileTransform) -> list[ocio.Transform]:
    """The tables in a LUT file; none when it is missing, which is another check's."""
    try:
        group = build(config, file).createGroupTransform()
    except BadInput:
        return []
    return [part for part in group if isinstance(part, ocio.Lut1DTransform | ocio.Lut3DTransform)]


def _cuts_above_white(config: ocio.Config, file: ocio.FileTransform) -> bool:
    if not _tables(config, file):
        return False
    processor = build(config, file).getDefaultCPUProcessor()
    shown = np.array([processor.applyRGB([float(light)] * 3) for light in ABOVE_WHITE])
    return bool(np.ptp(shown, axis=0).max() == 0)
