"""Pictures that a renderer wrote: which space they are in, and what stands under a point."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.describe import working_spaces
from saltwort.core.configs.gamut import gamut_of
from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import Header
from saltwort.core.spaces.typed import Triple
from saltwort.core.textures.evidence import named_space
from saltwort.core.textures.rules import RuleBook

MIDDLE_GREY = 0.18
CHROMATICITY_TOLERANCE = 1e-3  # files write them with three to five decimals


@dataclass(frozen=True)
class RenderSpace:
    """The space of a render and what told it: `header`, `chromaticities`, `name`, a rule, or `working space` where
    nothing did."""

    space: str
    told_by: str


def render_space(config: ocio.Config, rules: RuleBook, name: str, header: Header) -> RenderSpace:
    """The colour space of a picture: by interop ID, else by chromaticities, else by a space that its file name names,
    else by a file rule, else the working space."""
    interop_id = header.tags.get("colorInteropID")
    if isinstance(interop_id, str):
        named = config.getColorSpace(interop_id)
        if named is not None:
            return RenderSpace(named.getName(), "header")
    chromaticities = header.tags.get("chromaticities")
    if isinstance(chromaticities, tuple) and len(chromaticities) == 8:
        for space in working_spaces(config):
            gamut = gamut_of(config, space)
            if gamut and np.allclose(gamut.chromaticities, chromaticities, atol=CHROMATICITY_TOLERANCE):
                return RenderSpace(space, "chromaticities")
    if named := named_space(config, name):
        return RenderSpace(named, "name")
    ruled = rules.assign(name)
    if ruled.reason.kind == "rule" and config.getColorSpace(ruled.space):
        return RenderSpace(ruled.space, f"rule {ruled.reason.name}")
    return RenderSpace(config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName(), "working space")


@dataclass(frozen=True)
class ProbeView:
    """What one view makes of the probed light: code values on 0–1, the same as 8-bit, and which channels an integer
    file would clip."""

    values: Triple
    code_values: tuple[int, int, int]
    clipped: tuple[bool, bool, bool]


@dataclass(frozen=True)
class Probe:
    """Light under a point. `light` is the mean of the sample in the working space; `stops` its distance from middle
    grey per channel, None at and below zero."""

    x: int
    y: int
    sample: int
    light: Triple
    stops: tuple[float | None, ...]
    views: tuple[ProbeView, ...]


def probe(
    config: ocio.Config,
    pixels: NDArray[np.float32],
    space: str,
    at: tuple[int, int],
    sample: int,
    choices: list[tuple[ViewChoice, float]],
) -> Probe:
    """Measure `sample`×`sample` pixels around `at` (x, y from the top left), through each view with its exposure.

    The mean is taken of the picture's own numbers, which for a scene-linear picture is the mean of light; the sample
    is cut at the edges. Raises BadInput for a point outside the picture.
    """
    height, width = pixels.shape[:2]
    x, y = at
    if not (0 <= x < width and 0 <= y < height):
        raise BadInput(f"The point {x}, {y} lies outside the picture of {width} × {height} pixels.")
    reach = sample // 2
    window = pixels[max(0, y - reach) : y + reach + 1, max(0, x - reach) : x + reach + 1]
    red, green, blue = window.reshape(-1, 3).mean(axis=0, dtype=np.float64).tolist()
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    light = apply_to_colour(space_processor(config, space, working), (red, green, blue))
    return Probe(
        x=x,
        y=y,
        sample=sample,
        light=light,
        stops=tuple(float(np.log2(value / MIDDLE_GREY)) if value > 0 else None for value in light),
        views=tuple(
            _through(apply_to_colour(view_processor(config, working, choice, exposure), light))
            for choice, exposure in choices
        ),
    )


def _through(values: Triple) -> ProbeView:
    finite = np.nan_to_num(np.asarray(values), nan=0.0, posinf=1.0, neginf=0.0)
    red, green, blue = np.round(np.clip(finite, 0, 1) * 255).astype(int).tolist()
    clipped = tuple(bool(value >= 1.0 or value < 0.0) for value in values)
    return ProbeView(values, (red, green, blue), (clipped[0], clipped[1], clipped[2]))
