"""One colour carried along the whole colour path: as typed, as the renderer works, through the view, in the file."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply_to_colour, view_processor
from saltwort.core.engine.typed import code_values, typed_in
from saltwort.core.spaces.gamuts import GAMUT_TOLERANCE
from saltwort.core.spaces.typed import Triple, TypedColour

CHANNEL_NAMES = ("red", "green", "blue")
_SETTLED = 1e-5  # of code values; the engine's own renderings end at 1.000007


@dataclass(frozen=True)
class Joint:
    """The colour between two steps of the path. `values` are its numbers there, in `space`; `remarks` say, one
    sentence each, where a channel was clipped or left the gamut."""

    key: str
    title: str
    space: str
    values: Triple
    remarks: tuple[str, ...]


def trace(config: ocio.Config, typed: TypedColour, choice: ViewChoice, bits: int = 8) -> list[Joint]:
    """The five joints of the path for one colour.

    In order: the code values typed; scene-linear light in the working space; the same as a half-float render holds
    it; display code values through the view; and those as an integer file of `bits` per channel holds them, on the
    0–1 scale. Raises BadInput for an unknown space or view, or a colour that does not parse.
    """
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    values = code_values(config, typed)
    light = typed_in(config, typed, working)
    with np.errstate(over="ignore"):
        half = np.array(light).astype(np.float16)
    rendered = _triple(half)
    shown = apply_to_colour(view_processor(config, working, choice), rendered)
    brighter = apply_to_colour(view_processor(config, working, choice, exposure=0.25), rendered)
    written = np.clip(np.nan_to_num(shown, nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)
    steps = 2**bits - 1
    return [
        Joint("typed", "as typed", typed.space, values, ()),
        Joint("working", "in the working space", working, light, _below_zero(light, working)),
        Joint("render", "in a half-float render", working, rendered, _overflowed(rendered)),
        Joint("view", f"through {choice.view}", choice.display, shown, _at_limit(shown, brighter, choice)),
        Joint("file", f"in a {bits}-bit file", choice.display, _triple(np.round(written * steps) / steps), _cut(shown)),
    ]


def _triple(values: object) -> Triple:
    red, green, blue = np.asarray(values, np.float64).tolist()
    return red, green, blue


def _below_zero(light: Triple, working: str) -> tuple[str, ...]:
    return tuple(
        f"{name} is negative: the colour lies outside the gamut of {working}"
        for name, value in zip(CHANNEL_NAMES, light, strict=True)
        if value < -GAMUT_TOLERANCE * max(*light, 0.0)  # above, it is rounding of the conversion
    )


def _overflowed(rendered: Triple) -> tuple[str, ...]:
    return tuple(
        f"{name} is above 65,504, the brightest a half float holds"
        for name, value in zip(CHANNEL_NAMES, rendered, strict=True)
        if not np.isfinite(value)
    )


def _at_limit(shown: Triple, brighter: Triple, choice: ViewChoice) -> tuple[str, ...]:
    """Channels that the view has clipped: they show something, or nothing at all, and more light does not move them."""
    remarks = []
    for name, value, moved in zip(CHANNEL_NAMES, shown, brighter, strict=True):
        if abs(moved - value) > _SETTLED:
            continue
        if value > _SETTLED:
            remarks.append(f"{name} is clipped at {value:.3g} by {choice.view}: more light does not show")
        elif abs(value) < _SETTLED and max(shown) > _SETTLED:
            remarks.append(f"{name} is clipped at 0: the colour lies outside the gamut of {choice.display}")
    return tuple(remarks)


def _cut(shown: Triple) -> tuple[str, ...]:
    """Channels that the view let through and an integer file cannot hold."""
    remarks = []
    for name, value in zip(CHANNEL_NAMES, shown, strict=True):
        if value > 1 + _SETTLED:
            remarks.append(f"{name} was {value:.3g} and is clipped at 1 when written")
        elif value < -_SETTLED:
            remarks.append(f"{name} was {value:.3g} and is clipped at 0 when written")
    return tuple(remarks)
