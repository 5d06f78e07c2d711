"""What a colour space is, in steps and numbers, and what happens to one colour on its way."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import ArrayLike, NDArray

from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, DISPLAY_INTERCHANGE, SCENE_INTERCHANGE, UNITS
from saltwort.core.engine.processors import build, known_space
from saltwort.core.engine.typed import code_values
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import D65, KNOWN_GAMUTS, Chromaticity, adaptation, rgb_to_xyz
from saltwort.core.spaces.typed import Triple, TypedColour

CURVE_POINTS = 65
PRIMARIES_TOLERANCE = 2e-3
"""In xy, between measured primaries and known ones: configs round their matrices, curves are float32."""


NO_PRIMARIES = "Its channels do not add up as light does (a 3D LUT, or a clamp), so it has no primaries."


@dataclass(frozen=True)
class Step:
    """One operation: `kind` is matrix, curve, LUT, range or other; `text` says it in words; `numbers` are the 3×3
    rows of a matrix, else empty."""

    kind: str
    text: str
    numbers: tuple[float, ...] = ()


@dataclass(frozen=True)
class Primaries:
    """Primaries and white as CIE 1931 xy, seen under D65 as the config adapts them; `known` names those the trade
    knows, or is empty."""

    red: Chromaticity
    green: Chromaticity
    blue: Chromaticity
    white: Chromaticity
    known: str


@dataclass(frozen=True)
class SpaceReport:
    """A space explained. `steps` lead to the config's reference space; `curve` holds pairs of a neutral code value,
    0–1, and its luminance. `remark` says what cannot be told, or is empty."""

    steps: tuple[Step, ...]
    primaries: Primaries | None
    curve: tuple[tuple[float, float], ...]
    remark: str


@dataclass(frozen=True)
class Followed:
    """A colour after one step."""

    text: str
    values: Triple


def explain_space(config: ocio.Config, name: str) -> SpaceReport:
    """Explain a space of the config. Raises BadInput for an unknown name, or a space whose LUT is missing."""
    space = config.getColorSpace(known_space(config, name))
    if space.isData():
        return SpaceReport((), None, (), "Plain numbers: no step, no primaries and no curve apply to data.")
    transform = space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)
    direction = ocio.TRANSFORM_DIR_FORWARD
    if transform is None:
        transform = space.getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE)
        direction = ocio.TRANSFORM_DIR_INVERSE
    steps = () if transform is None else tuple(map(_step, _operations(config, transform, direction)))
    try:
        to_xyz = _to_xyz(config, space)
    except BadInput as error:
        return SpaceReport(steps, None, (), str(error))
    codes = np.linspace(0, 1, CURVE_POINTS)
    curve = tuple((float(code), float(to_xyz((code, code, code))[1])) for code in codes)
    primaries = _primaries(to_xyz)
    return SpaceReport(steps, primaries, curve, "" if primaries else NO_PRIMARIES)


def primaries_of(config: ocio.Config, name: str) -> Primaries | None:
    """The primaries of a space, or None where it has none. Raises BadInput for an unknown name, or a space that the
    config cannot compute."""
    return _primaries(_to_xyz(config, config.getColorSpace(known_space(config, name))))


def follow(config: ocio.Config, typed: TypedColour, target: str | ViewChoice) -> list[Followed]:
    """A colour after every step from the space it was typed in to another space, or through a view.

    The last values are those of the engine's own processor for the whole way. Raises BadInput for unknown names or a
    colour that does not parse.
    """
    values = first = code_values(config, typed)
    source = known_space(config, typed.space)
    if isinstance(target, ViewChoice):
        whole = view_processor(config, source, target)
        transform: ocio.Transform = ocio.DisplayViewTransform(src=source, display=target.display, view=target.view)
        if target.look:
            transform.setLooksBypass(True)
            transform = ocio.GroupTransform([ocio.LookTransform(source, source, target.look), transform])
        end = f"{target.view} on {target.display}"
    else:
        whole = space_processor(config, source, target)
        transform = ocio.ColorSpaceTransform(source, known_space(config, target))
        end = known_space(config, target)
    followed = [Followed(f"typed in {source}", values)]
    for operation in _operations(config, transform, ocio.TRANSFORM_DIR_FORWARD):
        processor = build(config, operation).getDefaultCPUProcessor()
        values = apply_to_colour(processor, values)
        followed.append(Followed(_step(operation).text, values))
    return [*followed, Followed(end, apply_to_colour(whole, first))]


def _operations(
    config: ocio.Config, transform: ocio.Transform, direction: ocio.TransformDirection
) -> list[ocio.Transform]:
    """The engine's own operations of a transform, one after the other."""
    return list(build(config, transform, direction).createGroupTransform())


ToXyz = Callable[[Triple], NDArray[np.float64]]


def _to_xyz(config: ocio.Config, space: ocio.ColorSpace) -> ToXyz:
    """A function from code values to CIE XYZ under D65, white at Y = 1 for full linear light."""
    is_display = space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    processor = space_processor(config, space.getName(), DISPLAY_INTERCHANGE if is_display else SCENE_INTERCHANGE)
    matrix = np.eye(3) if is_display else AP0_TO_XYZ_D65
    return lambda colour: matrix @ np.array(apply_to_colour(processor, colour))


def _primaries(to_xyz: ToXyz) -> Primaries | None:
    """What full red, green and blue add to black, if together they add what white does."""
    black = to_xyz((0.0, 0.0, 0.0))
    columns = [to_xyz(unit) - black for unit in UNITS]
    white = to_xyz((1.0, 1.0, 1.0)) - black
    if not np.allclose(np.sum(columns, axis=0), white, rtol=5e-3, atol=1e-4 * abs(white[1])):
        return None
    red, green, blue, seen_white = (_xy(xyz) for xyz in (*columns, white))
    return Primaries(red, green, blue, seen_white, _known(red, green, blue))


def _known(*measured: Chromaticity) -> str:
    for gamut in KNOWN_GAMUTS:
        columns = (adaptation(gamut.white, D65) @ rgb_to_xyz(gamut)).T
        if np.allclose([_xy(column) for column in columns], measured, atol=PRIMARIES_TOLERANCE):
            return gamut.name
    return ""


def _xy(xyz: NDArray[np.float64]) -> Chromaticity:
    total = float(xyz.sum())
    return (float(xyz[0]) / total, float(xyz[1]) / total) if total else (0.0, 0.0)


def _step(transform: ocio.Transform) -> Step:
    """An operation in words."""
    undone = " undone" if transform.getDirection() == ocio.TRANSFORM_DIR_INVERSE else ""
    if isinstance(transform, ocio.MatrixTransform):
        matrix = np.reshape(transform.getMatrix(), (4, 4))[:3, :3]
        numbers = tuple(map(float, matrix.ravel()))
        offset = transform.getOffset()[:3]
        if np.allclose(matrix, np.diag(np.diag(matrix))):
            return Step("matrix", f"scale by {_listed(np.diag(matrix))}{_plus(offset)}{undone}", numbers)
        return Step("matrix", f"matrix{_plus(offset)}{undone}", numbers)
    if isinstance(transform, ocio.ExponentTransform):
        return Step("curve", f"power {_listed(transform.getValue()[:3])}{undone}")
    if isinstance(transform, ocio.ExponentWithLinearTransform):
        gamma, offset = transform.getGamma()[0], transform.getOffset()[0]
        return Step("curve", f"power {gamma:g}, straight near black (offset {offset:g}){undone}")
    if isinstance(transform, ocio.LogCameraTransform):
        return Step("curve", f"logarithm to base {transform.getBase():g}, straight near black{undone}")
    if isinstance(transform, ocio.LogAffineTransform | ocio.LogTransform):
        return Step("curve", f"logarithm to base {transform.getBase():g}{undone}")
    if isinstance(transform, ocio.Lut1DTransform):
        return Step("LUT", f"1D LUT of {transform.getLength():,} points{undone}")
    if isinstance(transform, ocio.Lut3DTransform):
        size = transform.getGridSize()
        return Step("LUT", f"3D LUT of {size} × {size} × {size} points{undone}")
    if isinstance(transform, ocio.RangeTransform):
        return Step("range", _range(transform))
    if isinstance(transform, ocio.CDLTransform):
        return Step("other", f"ASC CDL, saturation {transform.getSat():g}{undone}")
    if isinstance(transform, ocio.FixedFunctionTransform):
        style = str(transform.getStyle()).removeprefix("FixedFunctionStyle.FIXED_FUNCTION_")
        return Step("other", f"{style.replace('_', ' ').capitalize()}{undone}")
    name = type(transform).__name__.removesuffix("Transform")
    return Step("other", f"{name}{undone}")


def _range(transform: ocio.RangeTransform) -> str:
    bounds = []
    if transform.hasMinInValue():
        bounds.append(f"below {transform.getMinInValue():g}")
    if transform.hasMaxInValue():
        bounds.append(f"above {transform.getMaxInValue():g}")
    moved = transform.hasMinOutValue() and transform.getMinInValue() != transform.getMinOutValue()
    scaled = f", scaled to begin at {transform.getMinOutValue():g}" if moved else ""
    return f"cut {' and '.join(bounds)}{scaled}"


def _listed(values: ArrayLike) -> str:
    numbers = [f"{value:g}" for value in np.round(np.asarray(values, np.float64), 6)]
    return numbers[0] if len(set(numbers)) == 1 else ", ".join(numbers)


def _plus(offset: ArrayLike) -> str:
    return f", plus {_listed(offset)}" if np.any(np.asarray(offset)) else ""
