"""A small grade, before the view on light or after it on code values: exposure, ASC CDL, and a curve.

ASC Color Decision List (v1.2): slope, offset, power and saturation. On light nothing is clamped, and negative values
pass the power untouched; on code values the result is clamped to 0–1, as the standard has it. Before the view the CDL
and the curve may act on ACEScct (S-2016-001, a logarithm of AP1 light) instead of linear light.

The curve goes through heights at CURVE_PLACES, for all channels alike, as a monotone cubic (F. N. Fritsch and
J. Butland, SIAM J. Sci. Stat. Comput. 5, 1984) and straight on beyond its ends. It acts on ACEScct or on code
values; on linear light, most of whose range lies above 1, it does not act.
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine.applying import apply
from saltwort.core.engine.measured import linear_to_ap0
from saltwort.core.engine.processors import build
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.errors import BadInput
from saltwort.core.luts import as_clf, curve_lut
from saltwort.core.spaces.gamuts import AP0, AP1, Matrix, rgb_to_rgb, solve
from saltwort.core.spaces.typed import Triple

Picture = NDArray[np.float32]

NONE, BEFORE, AFTER = "none", "before", "after"
PLACES = (NONE, BEFORE, AFTER)
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""The weights of ASC saturation, whatever the primaries."""
STRONGEST = 100.0
MOST_STOPS = 20.0
CURVE_PLACES = (0.0, 0.25, 0.5, 0.75, 1.0)
STRAIGHT = CURVE_PLACES
"""The heights of a curve that changes nothing."""
CURVE_REACH = 2.0


@dataclass(frozen=True)
class Grade:
    """A grade and where it stands: one of PLACES. `exposure` is in stops of light before the view; after it, code
    values are multiplied by the same factor. `log` has CDL and curve act on ACEScct, before the view alone."""

    place: str = NONE
    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    exposure: float = 0.0
    log: bool = False
    curve: tuple[float, ...] = STRAIGHT


NO_GRADE = Grade()


def check_grade(grade: Grade) -> None:
    """Raise BadInput, naming it, for a value that no grade has."""
    if grade.place not in PLACES:
        raise BadInput(f"A grade stands {' or '.join(PLACES[1:])} the view.")
    for name, values, lowest in (("slope", grade.slope, 0.0), ("power", grade.power, 1e-3)):
        if not all(lowest <= value <= STRONGEST for value in values):  # not a number is refused as well
            raise BadInput(f"The {name} of a grade lies from {lowest:g} to {STRONGEST:g}.")
    if not all(-STRONGEST <= value <= STRONGEST for value in grade.offset):
        raise BadInput(f"The offset of a grade lies from −{STRONGEST:g} to {STRONGEST:g}.")
    if not 0 <= grade.saturation <= STRONGEST:
        raise BadInput(f"The saturation of a grade lies from 0 to {STRONGEST:g}.")
    if not -MOST_STOPS <= grade.exposure <= MOST_STOPS:
        raise BadInput(f"The exposure of a grade lies from −{MOST_STOPS:g} to {MOST_STOPS:g} stops.")
    if len(grade.curve) != len(CURVE_PLACES) or not all(
        -CURVE_REACH <= height <= CURVE_REACH for height in grade.curve
    ):
        raise BadInput(f"A curve has {len(CURVE_PLACES)} heights from −{CURVE_REACH:g} to {CURVE_REACH:g}.")
    if any(after < before for before, after in zip(grade.curve, grade.curve[1:], strict=False)):
        raise BadInput("A curve must not fall: more light would be shown darker.")


def graded(config: ocio.Config, values: Picture, grade: Grade, place: str) -> Picture:
    """Values, (…, 3), with the grade if it stands at `place`: light in the config's working space before the view, code
    values after it. Raises BadInput for a grade on ACEScct in a config that does not tell what its numbers mean."""
    if grade.place != place:
        return values
    if place == AFTER or not grade.log:
        return on_its_numbers(grade, values)
    exposed = _acescct(config, values * np.float32(2.0**grade.exposure))
    encoded = on_its_numbers(replace(grade, exposure=0.0), exposed)
    return _acescct(config, encoded, ocio.TRANSFORM_DIR_INVERSE)


def on_its_numbers(grade: Grade, values: Picture) -> Picture:
    """The grade on the numbers that it acts on, (…, 3): code values after the view, linear light, or ACEScct, where
    exposure goes by light and back."""
    gain = np.float32(2.0**grade.exposure)
    if grade.place == AFTER:
        return np.asarray(np.clip(_curved(_cdl(values * gain, grade, clamped=True), grade.curve), 0, 1), np.float32)
    if not grade.log:
        return _cdl(values * gain, grade, clamped=False)
    if grade.exposure:
        values = _log_curve(_log_curve(values, ocio.TRANSFORM_DIR_FORWARD) * gain, ocio.TRANSFORM_DIR_INVERSE)
    return _curved(_cdl(values, grade, clamped=False), grade.curve)


def _log_curve(values: Picture, direction: ocio.TransformDirection) -> Picture:
    processor = build(ocio.Config.CreateRaw(), log_curve(direction)).getDefaultCPUProcessor()
    return apply(processor, np.ascontiguousarray(values).reshape(1, -1, 3)).reshape(values.shape)


def as_cdl(grade: Grade) -> ocio.CDLTransform:
    """The CDL of a grade, without clamps. Exposure on light or codes is part of the slope; that on ACEScct is not."""
    gain = 1.0 if grade.log else 2.0**grade.exposure
    cdl = ocio.CDLTransform(
        slope=[gain * slope for slope in grade.slope],
        offset=list(grade.offset),
        power=list(grade.power),
        sat=grade.saturation,
    )
    cdl.setStyle(ocio.CDL_NO_CLAMP)
    return cdl


def _cdl(values: Picture, grade: Grade, *, clamped: bool) -> Picture:
    slope, offset, power = (np.array(part, np.float32) for part in (grade.slope, grade.offset, grade.power))
    changed = values * slope + offset
    if clamped:
        changed = np.clip(changed, 0, 1)
    changed = np.where(changed > 0, np.maximum(changed, 1e-10) ** power, changed)
    luma = (changed @ LUMA)[..., None]
    changed = luma + np.float32(grade.saturation) * (changed - luma)
    return np.asarray(np.clip(changed, 0, 1) if clamped else changed, np.float32)


def _curved(values: Picture, heights: tuple[float, ...]) -> Picture:
    if heights == STRAIGHT:
        return values
    curve = _spline(heights)
    inside = curve(np.clip(values, 0, 1))
    low, high = curve.derivative()([0.0, 1.0])
    return np.asarray(inside + np.minimum(values, 0) * low + np.maximum(values - 1, 0) * high, np.float32)


def _spline(heights: tuple[float, ...]) -> Any:
    from scipy.interpolate import PchipInterpolator  # slow to import, seldom needed

    return PchipInterpolator(CURVE_PLACES, heights)


def _acescct(
    config: ocio.Config, values: Picture, direction: ocio.TransformDirection = ocio.TRANSFORM_DIR_FORWARD
) -> Picture:
    """Light in the working space as ACEScct, or back."""
    steps = [matrix_transform(working_to_ap1(config)), log_curve(ocio.TRANSFORM_DIR_INVERSE)]
    processor = build(config, ocio.GroupTransform(steps), direction).getDefaultCPUProcessor()
    return apply(processor, np.ascontiguousarray(values).reshape(1, -1, 3)).reshape(values.shape)


def working_to_ap1(config: ocio.Config) -> Matrix:
    """3×3 matrix from the working space to AP1. Raises BadInput when the config does not tell what its numbers mean."""
    to_ap0 = linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
    if to_ap0 is None:
        raise BadInput("The config does not tell the primaries of its working space, so no grade can act on ACEScct.")
    return solve(rgb_to_rgb(AP1, AP0), to_ap0)


def log_curve(direction: ocio.TransformDirection) -> ocio.BuiltinTransform:
    """ACEScct to AP1 light, each channel."""
    return ocio.BuiltinTransform(style="CURVE - ACEScct-LOG_to_LINEAR", direction=direction)


CURVE_SAMPLES = 4096
CURVE_SPAN = (-0.5, 1.5)
"""What of ACEScct a written curve covers: all that half floats hold lies on −0.36 to 1.47."""


def grade_as_clf(grade: Grade) -> bytes:
    """What the grade does in its space, light or ACEScct, as a Common LUT Format file (S-2014-006) that the engine
    wrote: exposure and CDL as such, the curve as a LUT between two scalings. On ACEScct the exposure, which is of
    light, is done by its own curve and back."""
    gain = 2.0**grade.exposure
    exposed = ocio.MatrixTransform.Scale([gain, gain, gain, 1.0])
    cdl = as_cdl(replace(grade, exposure=0.0))
    steps: list[ocio.Transform] = [exposed, cdl]
    if grade.log:
        steps = [cdl]
        if grade.exposure:
            steps = [log_curve(ocio.TRANSFORM_DIR_FORWARD), exposed, log_curve(ocio.TRANSFORM_DIR_INVERSE), cdl]
        if grade.curve != STRAIGHT:
            steps += _curve_as_lut(grade.curve)
    group = ocio.GroupTransform(steps)
    return as_clf(group, ocio.Config.CreateRaw())


def _curve_as_lut(heights: tuple[float, ...]) -> list[ocio.Transform]:
    low, high = CURVE_SPAN
    lut = curve_lut((_curved(np.linspace(low, high, CURVE_SAMPLES, dtype=np.float32), heights) - low) / (high - low))
    span = high - low
    there = ocio.MatrixTransform(np.diag([1 / span] * 3 + [1.0]).ravel().tolist(), [-low / span] * 3 + [0.0])
    back = ocio.MatrixTransform(np.diag([span] * 3 + [1.0]).ravel().tolist(), [low] * 3 + [0.0])
    return [there, lut, back]
