"""Pictures that a renderer wrote: which space they are in, and what stands under a point."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, display_to_xyz, linear_to_ap0, space_of_view
from saltwort.core.engine.processors import look_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import Header
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.difference import REFERENCE_WHITE
from saltwort.core.spaces.gamuts import is_inside, solve
from saltwort.core.spaces.typed import Triple
from saltwort.core.textures.declared import declared
from saltwort.core.textures.evidence import named_space
from saltwort.core.textures.rules import RuleBook
from saltwort.core.views.tone import display_xyz

CODE_BITS = (8, 10, 12, 16)


@dataclass(frozen=True)
class RenderSpace:
    """The space of a render and what told it: `header`, `chromaticities`, `name`, a rule, or `working space` where
    nothing did."""

    space: str
    told_by: str


def render_space(config: ocio.Config, rules: RuleBook, name: str, header: Header) -> RenderSpace:
    """The colour space of a picture: as its header declares, else by a space that its file name names, else by a file
    rule, else the rules' default for integers and the working space for floats. What the header declares and the
    config lacks is read so too, and a check says it."""
    said = declared(config, header)
    if said and said.space:
        return RenderSpace(said.space, "chromaticities" if said.code == "header.chromaticities" else "header")
    if named := named_space(config, name):
        return RenderSpace(named, "name")
    ruled = rules.assign(name)
    if ruled.reason.kind == "rule" and config.getColorSpace(ruled.space):
        return RenderSpace(ruled.space, f"rule {ruled.reason.name}")
    if header.bit_depth.endswith("-bit") and config.getColorSpace(ruled.space):
        return RenderSpace(ruled.space, "the rules’ default, since it holds integers")
    return RenderSpace(config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName(), "working space")


@dataclass(frozen=True)
class Followed:
    """Light followed through a view. `light` is what the render holds, in the working space, `stops` its distance from
    middle grey per channel with the exposure, None at and below zero. `looked` is light after exposure and look,
    `values` what the view makes of it, `code_values` those as integers of each of CODE_BITS, `clipped` which channels
    those cut. `nits` and `xy` are the display's light, None for a view whose numbers are none. `in_gamut` says whether
    the light after the look is a colour that the display can make; None where nobody can tell."""

    light: Triple
    stops: tuple[float | None, ...]
    looked: Triple
    values: Triple
    code_values: tuple[tuple[int, ...], ...]
    clipped: tuple[bool, ...]
    nits: float | None
    xy: tuple[float, float] | None
    in_gamut: bool | None


def mean_of(pixels: NDArray[np.float32]) -> Triple:
    """The mean of a sample, (…, 3), of a picture's own numbers, which for a scene-linear picture is the mean of
    light. What is no number does not count, unless all is."""
    sample = pixels.reshape(-1, 3)
    finite = sample[np.isfinite(sample).all(axis=1)]
    red, green, blue = (finite if len(finite) else sample[:1]).mean(axis=0, dtype=np.float64).tolist()
    return red, green, blue


def follow(config: ocio.Config, numbers: Triple, space: str, choice: ViewChoice, exposure: float) -> Followed:
    """A colour of a space followed through exposure (stops), look and view, each by the engine. Raises BadInput for
    unknown names."""
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    light = apply_to_colour(space_processor(config, space, working), numbers)
    values = apply_to_colour(view_processor(config, working, choice, exposure, numbers_in=space), light)
    looked = apply_to_colour(look_processor(config, choice, exposure), light)
    seen = np.clip(np.nan_to_num(values, posinf=1.0, neginf=0.0), 0, 1)
    nits, xy = _display_light(config, choice, seen)
    gain = 2.0**exposure
    return Followed(
        light=light,
        stops=tuple(float(np.log2(value * gain / MIDDLE_GREY)) if value > 0 else None for value in light),
        looked=looked,
        values=values,
        code_values=tuple(tuple(np.round(seen * (2**bits - 1)).astype(int).tolist()) for bits in CODE_BITS),
        clipped=tuple(bool(value >= 1.0 or value < 0.0) for value in values),
        nits=nits,
        xy=xy,
        in_gamut=_display_can_make(config, choice, looked),
    )


def _display_light(
    config: ocio.Config, choice: ViewChoice, seen: NDArray[np.float64]
) -> tuple[float | None, tuple[float, float] | None]:
    if space_of_view(config, choice) is None:
        return None, None
    x, y, z = display_xyz(config, choice, seen[np.newaxis])[0].tolist()
    total = x + y + z
    return y * REFERENCE_WHITE, (x / total, y / total) if total > 0 else None


def _display_can_make(config: ocio.Config, choice: ViewChoice, light: Triple) -> bool | None:
    """Whether light has a colour within the display's gamut, at whatever brightness."""
    space, to_ap0 = space_of_view(config, choice), linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
    if space is None or to_ap0 is None or not np.isfinite(light).all():
        return None
    try:
        to_display = solve(display_to_xyz(config, space), AP0_TO_XYZ_D65 @ to_ap0)
    except BadInput:
        return None
    made = to_display @ np.array(light)
    return is_inside(made.tolist())
