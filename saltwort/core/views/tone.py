"""Where a view puts light: its tone curve for greys, and what it does to hue and saturation on the way to white."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.displays import HDR, display_kind
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, DISPLAY_INTERCHANGE, SCENE_INTERCHANGE, colours_of_view
from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.difference import delta_e_2000, delta_e_itp, ictcp
from saltwort.core.spaces.gamuts import REC709, REC2020, rgb_to_xyz, solve

Array = NDArray[np.float64]

LOWEST, HIGHEST, PER_STOP = -14, 14, 8
"""Stops around middle grey that a curve covers, and points for each."""
JUMP = 0.1
"""Of the code values, within 1/PER_STOP of a stop: three times what the steepest views in use rise by."""
STEP = 1 / 1023
"""One step of 10 bits: nearer to the limit than this, a value is at it."""
HUES = 24
HUE_NAMES = ("red", "yellow", "green", "cyan", "blue", "magenta")
SWEPT = np.arange(-6.0, 8.01, 0.5)
"""Stops over which hues are followed."""
ORDER_HUES, ORDER_SATURATIONS, ORDER_STOPS = 72, (0.5, 0.8, 1.0), np.arange(-4.0, 4.1, 1.0)
"""Where the order of hues is counted: by 5 degrees, up to colours that no display shows."""
SAME_HUE = np.radians(0.01)
"""Between neighbours; below, both lie on one hue, as where a display cuts them off."""
COLOURLESS = 0.02
"""Distance from the neutral axis in ICtCp below which a colour has no hue to speak of."""
REVERSAL = np.radians(1.0)
"""By how much neighbouring hues must lie the other way round; below, they are one hue."""


@dataclass(frozen=True)
class ToneCurve:
    """A view's answer to greys. `stops` around middle grey, and for each the display light, luminance with the
    display's diffuse white at 1. `grey` is what middle grey is shown at, `slope` how many stops of display light a stop
    of scene light makes there, `black_at` and `white_at` the stops at which code values reach their ends; None where
    they do not within the curve. `tint` is the largest difference between the channels of a grey, as code values on
    0–1, and `falls_at` the first stop at which more light is shown darker; None for a curve that never falls. `step_at`
    is the first stop at which it jumps, by JUMP and more; None where it does not."""

    stops: tuple[float, ...]
    light: tuple[float, ...]
    grey: float
    slope: float
    black_at: float | None
    white_at: float | None
    tint: float
    falls_at: float | None
    step_at: float | None = None

    @property
    def dynamic_range(self) -> float | None:
        """Stops between black and white."""
        return None if self.black_at is None or self.white_at is None else self.white_at - self.black_at


@dataclass(frozen=True)
class HueTurn:
    """One saturated hue followed over exposure: its angle in ICtCp when dim, in degrees, the largest turn away from
    it, with the stop where that is, and the stop from which it has no hue left (None where it keeps one)."""

    angle: float
    turn: float
    at: float
    white_from: float | None


@dataclass(frozen=True)
class Sweep:
    """All hues followed: `shown` are display code values, (exposures, hues, 3), exposures as of SWEPT, `saturation` the
    mean distance of all hues from the neutral axis in ICtCp at each of them. `reversed_at` is the first stop at which
    two neighbouring hues have changed places; None where they keep their order. `out_of_order` counts the neighbours,
    of ORDER_HUES hues of Rec.2020 in each of ORDER_SATURATIONS, that lie the other way round at each of ORDER_STOPS."""

    shown: NDArray[np.float32]
    saturation: tuple[float, ...]
    hues: tuple[HueTurn, ...]
    reversed_at: float | None
    out_of_order: int = 0

    @property
    def named(self) -> tuple[tuple[str, HueTurn], ...]:
        """The primaries and what lies half way between two of them."""
        return tuple(zip(HUE_NAMES, self.hues[:: HUES // len(HUE_NAMES)], strict=True))

    @property
    def largest(self) -> HueTurn:
        """The hue that turns most."""
        return max(self.hues, key=lambda hue: abs(hue.turn))


def tone_curve(config: ocio.Config, choice: ViewChoice) -> ToneCurve:
    """The tone curve of a view for greys of the working space. Raises BadInput for a view whose numbers are no display
    light, such as raw ones."""
    stops = np.arange(LOWEST * PER_STOP, HIGHEST * PER_STOP + 1) / PER_STOP
    greys = np.repeat((MIDDLE_GREY * 2.0**stops)[:, None], 3, axis=1)
    codes = _through(config, choice, greys)
    light = display_xyz(config, choice, codes)[:, 1]
    middle = -LOWEST * PER_STOP
    with np.errstate(divide="ignore"):
        shown = np.log2(np.maximum(light, 1e-12))
    mean = codes.mean(axis=1)
    dark = np.flatnonzero(mean <= mean.min() + STEP)
    bright = np.flatnonzero(mean >= mean.max() - STEP)
    falls = np.flatnonzero(np.diff(mean) < -STEP / 4)
    jumps = np.flatnonzero(np.abs(np.diff(mean)) > JUMP)
    return ToneCurve(
        stops=tuple(stops.tolist()),
        light=tuple(light.tolist()),
        grey=float(light[middle]),
        slope=float((shown[middle + 1] - shown[middle - 1]) * PER_STOP / 2),
        black_at=float(stops[dark[-1]]) if len(dark) > 1 else None,
        white_at=float(stops[bright[0]]) if len(bright) > 1 else None,
        tint=float(np.ptp(codes, axis=1).max()),
        falls_at=float(stops[falls[0]]) if len(falls) else None,
        step_at=float(stops[jumps[0]]) if len(jumps) else None,
    )


def sweep(config: ocio.Config, choice: ViewChoice) -> Sweep:
    """Saturated hues of Rec.709 over exposure, through a view. Raises BadInput as `tone_curve` does, and when the
    config does not tell what its numbers mean."""
    if not config.hasRole(SCENE_INTERCHANGE):
        raise BadInput(f"The config has no role {SCENE_INTERCHANGE}, so nobody can tell what its hues are.")
    to_ap0 = solve(AP0_TO_XYZ_D65, rgb_to_xyz(REC709))
    to_working = space_processor(config, SCENE_INTERCHANGE, ocio.ROLE_SCENE_LINEAR)
    colours = saturated_hues() @ to_ap0.T
    light = MIDDLE_GREY * 2.0 ** SWEPT[:, None, None] * colours
    working = apply(to_working, light.astype(np.float32))
    codes = _through(config, choice, working.reshape(-1, 3))
    paths = ictcp(display_xyz(config, choice, codes)).reshape(len(SWEPT), HUES, 3)
    shown = np.asarray(codes, np.float32).reshape(len(SWEPT), HUES, 3)
    saturation = np.hypot(paths[..., 1], paths[..., 2]).mean(axis=1)
    turns = tuple(_turn(paths[:, hue]) for hue in range(HUES))
    ordered = _out_of_order(config, choice, to_working)
    return Sweep(shown, tuple(saturation.tolist()), turns, _reversed_at(paths), ordered)


def _out_of_order(config: ocio.Config, choice: ViewChoice, to_working: ocio.CPUProcessor) -> int:
    """See Sweep.out_of_order."""
    turn = np.arange(ORDER_HUES) / ORDER_HUES * 6
    full = np.clip(np.abs((turn[:, None] + np.array([0, 4, 2])) % 6 - 3) - 1, 0, 1)
    hues = np.stack([1 - share * (1 - full) for share in ORDER_SATURATIONS])
    light = MIDDLE_GREY * 2.0 ** ORDER_STOPS[:, None, None, None] * (hues @ _REC2020_TO_AP0.T)
    working = apply(to_working, light.reshape(1, -1, 3).astype(np.float32))[0]
    seen = ictcp(display_xyz(config, choice, _through(config, choice, working)))
    return int(_wrong_way(seen.reshape(-1, ORDER_HUES, 3), SAME_HUE).sum())


_REC2020_TO_AP0 = solve(AP0_TO_XYZ_D65, rgb_to_xyz(REC2020))


@lru_cache(maxsize=1)
def saturated_hues() -> Array:
    """HUES linear Rec.709 colours around the edge of its gamut, nine tenths saturated, (HUES, 3)."""
    turn = np.arange(HUES) / HUES * 6
    rgb = np.clip(np.abs((turn[:, None] + np.array([0, 4, 2])) % 6 - 3) - 1, 0, 1)
    return np.asarray(0.1 + 0.9 * rgb, np.float64)


def _turn(path: Array) -> HueTurn:
    """How far a hue turns along its path, (exposures, ICtCp), from where it is first seen."""
    chroma, angle = np.hypot(path[:, 1], path[:, 2]), np.arctan2(path[:, 2], path[:, 1])
    seen = np.flatnonzero(chroma > COLOURLESS)
    if not len(seen):
        return HueTurn(0.0, 0.0, float(SWEPT[0]), float(SWEPT[0]))
    turned = np.degrees((angle[seen] - angle[seen[0]] + np.pi) % (2 * np.pi) - np.pi)
    worst = int(np.abs(turned).argmax())
    fades = seen[-1] + 1 < len(SWEPT)
    return HueTurn(
        float(np.degrees(angle[seen[0]])),
        float(turned[worst]),
        float(SWEPT[seen[worst]]),
        float(SWEPT[seen[-1] + 1]) if fades else None,
    )


def _reversed_at(paths: Array) -> float | None:
    """The first exposure at which neighbouring hues, (exposures, hues, ICtCp), have changed places."""
    wrong = np.flatnonzero(_wrong_way(paths, REVERSAL).any(axis=1))
    return float(SWEPT[wrong[0]]) if len(wrong) else None


def _wrong_way(rings: Array, least: float) -> NDArray[np.bool_]:
    """Which hues of rings, (rings, hues, ICtCp), lie by more than an angle on the wrong side of the next: the sign of
    the angle between them is not that of most."""
    angle, chroma = np.arctan2(rings[..., 2], rings[..., 1]), np.hypot(rings[..., 1], rings[..., 2])
    steps = (np.roll(angle, -1, axis=1) - angle + np.pi) % (2 * np.pi) - np.pi
    seen = (chroma > COLOURLESS) & (np.roll(chroma, -1, axis=1) > COLOURLESS)
    around = np.sign(np.where(seen, steps, 0).sum())
    return np.asarray(seen & (steps * around < -least))


def _through(config: ocio.Config, choice: ViewChoice, light: Array | NDArray[np.float32]) -> Array:
    processor = view_processor(config, ocio.ROLE_SCENE_LINEAR, choice)
    shown = apply(processor, np.asarray(light, np.float32)[np.newaxis])[0]
    return np.asarray(np.clip(np.nan_to_num(shown.astype(np.float64)), 0, 1))


def display_xyz(config: ocio.Config, choice: ViewChoice, codes: Array) -> Array:
    """CIE XYZ, (n, 3), that a view's display makes of code values, (n, 3), with Y = 1 at 100 cd/m². Raises BadInput for
    a view whose numbers are no display light."""
    return _light_of_display(config, choice)(codes)


def _light_of_display(config: ocio.Config, choice: ViewChoice) -> Callable[[Array], Array]:
    """`display_xyz` of many code values: its processor is built once."""
    processor = space_processor(config, colours_of_view(config, choice), DISPLAY_INTERCHANGE)
    return lambda codes: np.asarray(apply(processor, codes.astype(np.float32)[np.newaxis])[0], np.float64)


def display_difference(config: ocio.Config, choice: ViewChoice) -> tuple[str, Callable[[Array, Array], Array]]:
    """How far apart two colours look on a view's display, as a name and a function of code values, (n, 3) to (n,): ΔE
    2000, and ΔE ITP on an HDR display, where ΔE 2000 is not defined. Raises BadInput for a view whose numbers are no
    display light."""
    is_hdr = display_kind(config, choice) == HDR
    measure, light = delta_e_itp if is_hdr else delta_e_2000, _light_of_display(config, choice)

    def apart(one: Array, other: Array) -> Array:
        return measure(light(one), light(other))

    return "ΔE ITP" if is_hdr else "ΔE 2000", apart
