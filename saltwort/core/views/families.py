"""View families, and how each is written into a config as operations that OCIO files hold."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.engine.displays import SDR_WHITE
from saltwort.core.engine.measured import (
    AP0_TO_XYZ_D65,
    DISPLAY_INTERCHANGE,
    display_to_xyz,
    linear_to_ap0,
    reference_to_ap0,
)
from saltwort.core.engine.transforms import clamp_transform, log2_transform, matrix_transform
from saltwort.core.errors import BadInput
from saltwort.core.luts import Files, add_lut_folder, spi1d_file
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.gamuts import AP0, REC2020, Matrix, rgb_to_rgb, solve
from saltwort.core.views import agx, filmic
from saltwort.core.views.design import Design, check_design
from saltwort.core.views.gamut_fit import fit_transform
from saltwort.core.views.log_range import CURVE_POINTS, Array

ACES_PREFIX = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - "


@dataclass(frozen=True)
class AddedView:
    """A view that the project adds: `family` is a key of FAMILIES; `rendering`, for ACES, one of `aces_renderings`;
    `design`, for AgX and filmic, what differs from the family's own."""

    display: str
    name: str
    family: str
    rendering: str = ""
    design: Design | None = None


@dataclass(frozen=True)
class ViewFamily:
    """A kind of view transform, with a sentence on when to choose it."""

    key: str
    label: str
    use: str


FAMILIES = {
    family.key: family
    for family in (
        ViewFamily("agx", "AgX", "Bright saturated lights go softly to white; middle grey is shown at 0.22."),
        ViewFamily("filmic", "Filmic", "A firm S-curve with a straight middle; middle grey is shown at 0.18."),
        ViewFamily("aces", "ACES", "The Academy's renderings, SDR and HDR, as the OCIO library has them."),
        ViewFamily("un-tone-mapped", "Un-tone-mapped", "Light as it is, cut at white: for checking colours."),
        ViewFamily("raw", "Raw", "The numbers themselves, for data."),
    )
}


def aces_renderings() -> dict[str, str]:
    """The engine's ACES output renderings: name to its description."""
    return {
        style.removeprefix(ACES_PREFIX): description
        for style, description in ocio.BuiltinTransformRegistry().getBuiltins()
        if style.startswith(ACES_PREFIX)
    }


def add_views(config: ocio.Config, views: tuple[AddedView, ...]) -> Files:
    """Write views into a config that is to be changed, and give back the LUT files they need, by path.

    The config's role scene_linear must be set already: filmic works in its primaries. Raises BadInput, naming the
    view, for a display or rendering there is not, or a name that is taken.
    """
    files: Files = {}
    for view in views:
        if view.display not in config.getDisplaysAll():
            raise BadInput(f"View “{view.name}”: the config has no display “{view.display}”.")
        if view.name in config.getViews(ocio.VIEW_DISPLAY_DEFINED, view.display) or view.name in config.getViews(
            ocio.VIEW_SHARED, view.display
        ):
            raise BadInput(f"The display “{view.display}” has a view “{view.name}” already. Choose another name.")
        if not view.name.strip() or any(mark in view.name for mark in ",:"):
            raise BadInput("A view needs a name, without commas and colons.")
        files |= _add(config, view)
        if list(config.getActiveViews()):
            config.addActiveView(view.name)
    return files


def _add(config: ocio.Config, view: AddedView) -> Files:
    if view.family == "raw":
        data = next((space.getName() for space in config.getColorSpaces() if space.isData()), None)
        if data is None:
            raise BadInput(f"View “{view.name}”: the config has no data space to show numbers in.")
        config.addDisplayView(view.display, view.name, data, "")
        return {}
    write = _WRITERS.get(view.family)
    if write is None:
        raise BadInput(f"View “{view.name}”: there is no family “{view.family}”.")
    space = display_space(config, view.display)
    if view.design is not None:
        check_design(view.family, view.design)
    transforms, files, label = write(config, view, space)
    name = f"{label} for {space}" if view.family in ("agx", "filmic") else label
    if view.design is not None:
        name = f"{view.name} ({label}) for {space}"
        if config.getViewTransform(name) is not None:
            raise BadInput(f"The config has a view transform “{name}” already. Choose another name.")
    if config.getViewTransform(name) is None:
        group = ocio.GroupTransform(transforms)
        config.addViewTransform(ocio.ViewTransform(ocio.REFERENCE_SPACE_SCENE, name, fromReference=group))
    if files:
        add_lut_folder(config)
    config.addDisplayView(view.display, view.name, name, space, "", "", "")
    return files


def display_space(config: ocio.Config, display: str) -> str:
    """The display-referred space that the display's other views write to."""
    for view in config.getViews(display):
        name = config.getResolvedDisplayViewColorSpaceName(display, view)
        space = config.getColorSpace(name)
        if space and space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY:
            found: str = space.getName()
            return found
    raise BadInput(f"The display “{display}” has no display-referred colour space (OCIO 2), which a view needs.")


Written = tuple[list[ocio.Transform], Files, str]


@dataclass(frozen=True)
class _Screen:
    """A display that is written for: from display light in some primaries to its own, and from those, where 1 is 100
    cd/m², to the display reference. `white` is where light of 1 lies, `peak` the brightest that is shown."""

    to_display: Matrix
    to_xyz: Matrix
    is_hdr: bool
    white: float
    peak: float

    def finish(self) -> list[ocio.Transform]:
        """From light in the display's primaries, white at 1, to the display reference, cut to what is shown."""
        return [
            ocio.RangeTransform(minInValue=0.0, maxInValue=self.peak, minOutValue=0.0, maxOutValue=self.peak),
            matrix_transform(self.to_xyz),
        ]


def _write_agx(config: ocio.Config, view: AddedView, space: str) -> Written:
    to_rec2020 = rgb_to_rgb(AP0, REC2020) @ reference_to_ap0(config)
    design = for_display(config, space, view.design or agx.DESIGN)
    screen = _screen(config, space, AP0_TO_XYZ_D65 @ rgb_to_rgb(REC2020, AP0), design)
    values = agx.hdr_curve(_hdr_stops(design), design) if screen.is_hdr else agx.sampled_curve(design)
    curve, files = spi1d_file("agx", values)
    power, power_file = _power(agx.DISPLAY_POWER, _most(design.let_out()) * float(values[-1]))
    return (
        [
            matrix_transform(design.drawn_in() @ to_rec2020),
            *_log_range(design, screen),
            curve,
            matrix_transform(design.let_out()),
            _floor(),
            power,
            matrix_transform(screen.to_display * screen.white),
            *screen.finish(),
        ],
        files | power_file,
        _label("AgX", design, screen),
    )


def _write_filmic(config: ocio.Config, view: AddedView, space: str) -> Written:
    working_to_ap0 = linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
    if working_to_ap0 is None:
        raise BadInput("Filmic works in the primaries of the working space, which this config does not tell.")
    to_working = solve(working_to_ap0, reference_to_ap0(config))
    design = for_display(config, space, view.design or filmic.DESIGN)
    screen = _screen(config, space, AP0_TO_XYZ_D65 @ working_to_ap0, design)
    values = filmic.hdr_curve(_hdr_stops(design), design) if screen.is_hdr else filmic.sampled_curve(design)
    curve, files = spi1d_file("filmic", values**filmic.DISPLAY_POWER)
    return (
        [
            matrix_transform(design.drawn_in() @ to_working),
            *_log_range(design, screen),
            curve,
            matrix_transform(design.let_out()),
            _floor(),
            matrix_transform(screen.to_display * screen.white),
            fit_transform(),
            *screen.finish(),
        ],
        files,
        _label("Filmic", design, screen),
    )


def _label(family: str, design: Design, screen: _Screen) -> str:
    """What a view transform is called; on HDR displays with its peak, and where its white lies."""
    return f"{family} {design.peak_nits:g} nits, white at {design.white_nits:g}" if screen.is_hdr else family


def _hdr_stops(design: Design) -> Array:
    return np.linspace(design.darkest, design.hdr_brightest, HDR_CURVE_POINTS)


def _write_aces(config: ocio.Config, view: AddedView, space: str) -> Written:
    if view.rendering not in aces_renderings():
        raise BadInput(f"View “{view.name}”: the engine has no ACES rendering “{view.rendering}”.")
    rendering = ocio.BuiltinTransform(style=ACES_PREFIX + view.rendering)
    return [matrix_transform(reference_to_ap0(config)), rendering], {}, f"ACES {view.rendering}"


def _write_untoned(config: ocio.Config, view: AddedView, space: str) -> Written:
    return [matrix_transform(AP0_TO_XYZ_D65 @ reference_to_ap0(config))], {}, "Un-tone-mapped by matrix"


_WRITERS: dict[str, Callable[[ocio.Config, AddedView, str], Written]] = {
    "agx": _write_agx,
    "filmic": _write_filmic,
    "aces": _write_aces,
    "un-tone-mapped": _write_untoned,
}


HDR_CURVE_POINTS = 4 * CURVE_POINTS - 3
"""So that the points of an SDR curve are among them, and as near to each other up to a peak of many stops."""
EXTENDED = "edr-video"
"""OCIO encoding of a display that takes values above 1 for light above white."""


def _screen(config: ocio.Config, space: str, light_to_xyz: Matrix, design: Design) -> _Screen:
    if not config.hasRole(DISPLAY_INTERCHANGE):
        raise BadInput(f"The config has no role {DISPLAY_INTERCHANGE}, which a view needs.")
    to_xyz = display_to_xyz(config, space)
    to_display = solve(to_xyz, light_to_xyz)
    # Both whites are D65 to four places; the last step makes white exactly white, so that greys stay grey.
    to_display = to_display / to_display.sum(axis=1, keepdims=True)
    if not shows_hdr(config, space):
        return _Screen(to_display, to_xyz, False, 1.0, 1.0)
    return _Screen(to_display, to_xyz, True, design.white_nits / SDR_WHITE, design.peak_nits / SDR_WHITE)


def shows_hdr(config: ocio.Config, space: str) -> bool:
    """Whether a display-referred space goes beyond 100 cd/m²: its full code values do, or it says that it takes values
    above 1."""
    return config.getColorSpace(space).getEncoding() == EXTENDED or _brightest(config, space) > 1.5 * SDR_WHITE


def for_display(config: ocio.Config, space: str, design: Design) -> Design:
    """The design with no higher peak than the display's code values hold."""
    if config.getColorSpace(space).getEncoding() == EXTENDED:
        return design
    return replace(design, peak_nits=min(design.peak_nits, max(_brightest(config, space), design.white_nits * 1.01)))


def _brightest(config: ocio.Config, space: str) -> float:
    """cd/m² of full code values, rounded to whole ones as displays are told."""
    white = apply_to_colour(space_processor(config, space, DISPLAY_INTERCHANGE), (1.0, 1.0, 1.0))
    return float(round(white[1] * SDR_WHITE))


def _log_range(design: Design, screen: _Screen) -> list[ocio.Transform]:
    """The logarithmic range of `log_range.to_log_range`, or that of HDR displays, clamped."""
    brightest = design.hdr_brightest if screen.is_hdr else design.brightest
    return [log2_transform(design.darkest, brightest, MIDDLE_GREY), clamp_transform()]


def _floor() -> ocio.RangeTransform:
    return ocio.RangeTransform(minInValue=0.0, minOutValue=0.0)


def _most(matrix: Matrix) -> float:
    """The largest number that a matrix makes of numbers on 0–1."""
    return float(np.maximum(matrix, 0).sum(axis=1).max())


def _power(power: float, most: float) -> tuple[ocio.FileTransform, Files]:
    """Numbers from 0 to `most` to a power. As a curve: the engine's own power is a fast one, and where strong channels
    take each other away, its error of some 2e-5 is seen in the shadows."""
    return spi1d_file("power", np.linspace(0, most, POWER_POINTS) ** power, most)


POWER_POINTS = 16_384
