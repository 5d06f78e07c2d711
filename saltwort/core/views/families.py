"""View families, and how each is written into a config as operations that OCIO files hold."""

from collections.abc import Callable
from dataclasses import dataclass
from hashlib import sha256

import PyOpenColorIO as ocio

from saltwort.core.engine.measured import (
    AP0_TO_XYZ_D65,
    DISPLAY_INTERCHANGE,
    display_to_xyz,
    linear_to_ap0,
    reference_to_ap0,
)
from saltwort.core.engine.transforms import clamp_transform, log2_transform, matrix_transform, power_transform
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import AP0, REC2020, Matrix, rgb_to_rgb, solve
from saltwort.core.views import agx, filmic
from saltwort.core.views.design import Design, check_design
from saltwort.core.views.log_range import MIDDLE_GREY, Array

LUT_FOLDER = "luts"
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

Files = dict[str, bytes]


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


def add_lut_folder(config: ocio.Config) -> None:
    """Have the config look for its LUTs in LUT_FOLDER, besides where it looks already."""
    if LUT_FOLDER not in list(config.getSearchPaths()):
        config.addSearchPath(LUT_FOLDER)


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


def _write_agx(config: ocio.Config, view: AddedView, space: str) -> Written:
    to_rec2020 = rgb_to_rgb(AP0, REC2020) @ reference_to_ap0(config)
    to_display, to_xyz = _display_matrices(config, space, AP0_TO_XYZ_D65 @ rgb_to_rgb(REC2020, AP0))
    design = view.design or agx.DESIGN
    curve, files = _curve("agx", agx.sampled_curve(design))
    return (
        [
            matrix_transform(design.drawn_in() @ to_rec2020),
            *_log_range(design),
            curve,
            matrix_transform(design.let_out()),
            _floor(),
            power_transform(agx.DISPLAY_POWER),
            matrix_transform(to_display),
            clamp_transform(),
            matrix_transform(to_xyz),
        ],
        files,
        "AgX",
    )


def _write_filmic(config: ocio.Config, view: AddedView, space: str) -> Written:
    working_to_ap0 = linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
    if working_to_ap0 is None:
        raise BadInput("Filmic works in the primaries of the working space, which this config does not tell.")
    to_working = solve(working_to_ap0, reference_to_ap0(config))
    to_display, to_xyz = _display_matrices(config, space, AP0_TO_XYZ_D65 @ working_to_ap0)
    design = view.design or filmic.DESIGN
    curve, files = _curve("filmic", filmic.sampled_curve(design))
    return (
        [
            matrix_transform(design.drawn_in() @ to_working),
            *_log_range(design),
            curve,
            power_transform(filmic.DISPLAY_POWER),
            matrix_transform(design.let_out()),
            _floor(),
            matrix_transform(to_display),
            clamp_transform(),
            matrix_transform(to_xyz),
        ],
        files,
        "Filmic",
    )


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


def _display_matrices(config: ocio.Config, space: str, light_to_xyz: Matrix) -> tuple[Matrix, Matrix]:
    """From display light in some primaries to the display's own, and from those to the display reference, XYZ-D65."""
    if not config.hasRole(DISPLAY_INTERCHANGE):
        raise BadInput(f"The config has no role {DISPLAY_INTERCHANGE}, which a view needs.")
    to_xyz = display_to_xyz(config, space)
    to_display = solve(to_xyz, light_to_xyz)
    # Both whites are D65 to four places; the last step makes white exactly white, so that greys stay grey.
    return to_display / to_display.sum(axis=1, keepdims=True), to_xyz


def _log_range(design: Design) -> list[ocio.Transform]:
    """The logarithmic range of `log_range.to_log_range`, clamped."""
    return [log2_transform(design.darkest, design.brightest, MIDDLE_GREY), clamp_transform()]


def _floor() -> ocio.RangeTransform:
    return ocio.RangeTransform(minInValue=0.0, minOutValue=0.0)


def _curve(name: str, values: Array) -> tuple[ocio.FileTransform, Files]:
    """A curve on 0–1 as an spi1d file, named after its content so that two never meet under one name."""
    lines = [
        f"Version 1\nFrom 0.0 1.0\nLength {len(values)}\nComponents 1\n{{",
        *(f" {value:.9f}" for value in values),
        "}\n",
    ]
    content = "\n".join(lines).encode()
    file = f"{name}_{sha256(content).hexdigest()[:8]}.spi1d"
    return ocio.FileTransform(file, interpolation=ocio.INTERP_LINEAR), {f"{LUT_FOLDER}/{file}": content}
