"""Two pictures of the same scene: how far they are apart, and what brings one closest to the other."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.engine.displays import HDR, display_kind
from saltwort.core.errors import BadInput
from saltwort.core.spaces.difference import colour_science, delta_e_2000, delta_e_itp, ictcp
from saltwort.core.views.grade import (
    AFTER,
    BEFORE,
    CURVE_PLACES,
    CURVE_REACH,
    STRAIGHT,
    Grade,
    graded,
)
from saltwort.core.views.tone import display_xyz

Picture = NDArray[np.float32]
Array = NDArray[np.float64]

SEEN = 1.0
"""ΔE below which a difference is hardly seen, of both measures."""
SAME_SHAPE = 0.01
"""By which the shapes of two pictures may differ, as a share."""
EXPOSURE, CDL, CURVE = "exposure", "cdl", "curve"
MATCHES = (EXPOSURE, CDL, CURVE)
MATCHED_PIXELS = 6000
ROUNDS = 40
ITP = 720
"""ΔE ITP for a distance of 1 in ICtCp (ITU-R BT.2124)."""
STEP, FINE = 1e-3, 1e-6


@dataclass(frozen=True)
class Shown:
    """A picture as a pane shows it: light in the working space of a config, exposure in it, (height, width, 3), through
    a view."""

    config: ocio.Config
    choice: ViewChoice
    light: Picture

    def xyz(self, grade: Grade) -> Array:
        """CIE XYZ of the display, (height · width, 3), Y = 1 at 100 cd/m². Raises BadInput for a view whose numbers are
        no display light."""
        light = graded(self.config, self.light, grade, BEFORE)
        codes = apply(view_processor(self.config, ocio.ROLE_SCENE_LINEAR, self.choice), light)
        codes = np.clip(np.nan_to_num(graded(self.config, codes, grade, AFTER)), 0, 1)
        return display_xyz(self.config, self.choice, codes.reshape(-1, 3).astype(np.float64))


@dataclass(frozen=True)
class PictureDifference:
    """ΔE of each pixel, (height, width), by a `measure`; its mean, its 95th percentile, the largest, and the share of
    pixels above SEEN."""

    measure: str
    picture: Array
    mean: float
    most: float
    largest: float
    seen: float


@dataclass(frozen=True)
class Match:
    """The grade that brings a picture closest to another, with the difference before and after it."""

    grade: Grade
    before: PictureDifference
    after: PictureDifference


def difference_between(first: Shown, second: Shown, grade: Grade) -> PictureDifference:
    """How far two pictures are apart, the grade on both. In ΔE ITP (BT.2124) where a display is HDR, else in ΔE 2000.

    The second is sampled to the size of the first. Raises BadInput for pictures of different shapes, or views whose
    numbers are no display light.
    """
    second = _sampled_as(second, first)
    return _difference(first, first.xyz(grade), second.xyz(grade), _is_hdr(first, second))


def match(kind: str, ours: Shown, reference: Shown, place: str, log: bool) -> Match:
    """Find the grade of a kind that brings `ours` closest to `reference`, which stays as it is.

    An EXPOSURE is before the view. A CDL (slope, offset, power for each channel and saturation) and a CURVE stand at
    `place`, before the view on ACEScct if `log`; a curve always so. The least squares of CIELAB differences are
    sought (Levenberg and Marquardt), of ICtCp where a display is HDR; the difference is then told in ΔE. Raises
    BadInput as `difference_between` does.
    """
    if kind not in MATCHES:
        raise BadInput(f"A match is by {', '.join(MATCHES)}.")
    reference = _sampled_as(reference, ours)
    is_hdr = _is_hdr(ours, reference)
    nothing = Grade(BEFORE if kind == EXPOSURE else place, log=place == BEFORE and (log or kind == CURVE))
    few = _thinned(ours)
    wanted = _perceptual(_thinned(reference).xyz(Grade()), is_hdr)
    start, to_grade = _parameters(kind, nothing)

    def missing(moved: Array) -> Array:
        return (_perceptual(few.xyz(to_grade(moved - 1)), is_hdr) - wanted).ravel()

    from scipy.optimize import least_squares  # slow to import, seldom needed

    # Steps are shares of the numbers, so these are moved away from zero; smaller ones would drown in the float32 of the
    # engine.
    found = least_squares(missing, start + 1, diff_step=STEP, loss="soft_l1", max_nfev=ROUNDS, xtol=FINE)
    grade = _rounded(to_grade(found.x - 1))
    target = reference.xyz(Grade())
    before = _difference(ours, ours.xyz(Grade()), target, is_hdr)
    after = _difference(ours, ours.xyz(grade), target, is_hdr)
    if after.mean > before.mean:
        return Match(nothing, before, before)
    return Match(grade, before, after)


def _parameters(kind: str, nothing: Grade) -> tuple[Array, Callable[[Array], Grade]]:
    """Where a search starts, and the grade of its numbers."""
    if kind == EXPOSURE:
        return np.zeros(1), lambda numbers: replace(nothing, exposure=float(np.clip(numbers[0], -16, 16)))
    if kind == CURVE:
        return np.diff(STRAIGHT, prepend=0.0), lambda numbers: replace(nothing, curve=_rising(numbers))
    return np.array([0.0] * 3 + [0.0] * 3 + [0.0] * 3 + [1.0]), lambda numbers: _cdl(nothing, numbers)


def _cdl(nothing: Grade, numbers: Array) -> Grade:
    """Slopes and powers are sought as logarithms, so that they stay above zero."""
    slope, power = np.exp(np.clip(numbers[:3], -4, 4)), np.exp(np.clip(numbers[6:9], -3, 3))
    triples = {"slope": slope, "offset": np.clip(numbers[3:6], -4, 4), "power": power}
    values: dict[str, Any] = {name: tuple(triple.tolist()) for name, triple in triples.items()}
    return replace(nothing, saturation=float(np.clip(numbers[9], 0, 4)), **values)


def _rising(numbers: Array) -> tuple[float, ...]:
    """Heights of a curve from its foot and its rises."""
    heights = np.cumsum([numbers[0], *np.maximum(numbers[1 : len(CURVE_PLACES)], 0)])
    return tuple(np.clip(heights, -CURVE_REACH, CURVE_REACH).tolist())


def _rounded(grade: Grade) -> Grade:
    """With the four places that the screen shows and a file holds."""

    def short(values: tuple[float, ...]) -> Any:
        return tuple(round(value, 4) for value in values)

    return replace(
        grade,
        slope=short(grade.slope),
        offset=short(grade.offset),
        power=short(grade.power),
        saturation=round(grade.saturation, 4),
        exposure=round(grade.exposure, 4),
        curve=short(grade.curve),
    )


def _thinned(shown: Shown) -> Shown:
    """Every so many pixels, so that a search takes a second or two."""
    pixels = shown.light.reshape(-1, 3)
    step = max(1, len(pixels) // MATCHED_PIXELS)
    return replace(shown, light=np.ascontiguousarray(pixels[::step])[np.newaxis])


def _sampled_as(shown: Shown, other: Shown) -> Shown:
    """A picture with the pixels of another: the nearest of its own."""
    (height, width), (rows, columns) = other.light.shape[:2], shown.light.shape[:2]
    if abs((columns / rows) / (width / height) - 1) > max(SAME_SHAPE, 1 / min(height, rows)):
        raise BadInput(
            f"The pictures have different shapes, {width} : {height} and {columns} : {rows}. "
            "Compare two that show the same frame."
        )
    down, across = np.arange(height) * rows // height, np.arange(width) * columns // width
    return replace(shown, light=np.ascontiguousarray(shown.light[down][:, across]))


def _is_hdr(*pictures: Shown) -> bool:
    return any(display_kind(shown.config, shown.choice) == HDR for shown in pictures)


def _difference(shape: Shown, first: Array, second: Array, is_hdr: bool) -> PictureDifference:
    found = (delta_e_itp if is_hdr else delta_e_2000)(first, second)
    return PictureDifference(
        "ΔE ITP" if is_hdr else "ΔE 2000",
        found.reshape(shape.light.shape[:2]),
        float(found.mean()),
        float(np.percentile(found, 95)),
        float(found.max()),
        float((found > SEEN).mean()),
    )


def _perceptual(xyz: Array, is_hdr: bool) -> Array:
    """Numbers whose distances are differences as an eye sees them, of about the same size."""
    if is_hdr:
        return ictcp(xyz) * ITP
    return np.asarray(colour_science().XYZ_to_Lab(np.maximum(xyz, 0)), np.float64)
