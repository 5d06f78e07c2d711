"""Spaces and looks that a project adds to its config."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, builtin_text, load_config
from saltwort.core.engine.measured import reference_to_ap0
from saltwort.core.engine.processors import build, check_view, known_space, scene_spaces
from saltwort.core.engine.transforms import matrix_transform, transforms_within
from saltwort.core.errors import BadInput
from saltwort.core.luts import LUT_FOLDER, add_lut_folder
from saltwort.core.spaces.gamuts import AP0, Gamut, rgb_to_rgb, solve

Triple = tuple[float, float, float]

FIRST_WITH_INTEROP_IDS = (2, 5)
"""OCIO version."""


@dataclass(frozen=True)
class AddedSpace:
    """A scene-referred space from primaries with their white, and a transfer function; or from an interop ID.

    `chromaticities` are eight numbers, CIE 1931 xy of red, green, blue and white. `curve` is a key of CURVES; `power`
    counts for `power` alone. White is adapted to the config's by Bradford's method. An `interop_id`, one of
    `known_interop_ids`, brings the engine's own definition instead of these; and a `view` with its `display` makes the
    space of what that view shows, decoded by undoing it.
    """

    name: str
    chromaticities: tuple[float, ...] = ()
    curve: str = "linear"
    power: float = 2.2
    aliases: tuple[str, ...] = ()
    family: str = ""
    description: str = ""
    interop_id: str = ""
    display: str = ""
    view: str = ""


@dataclass(frozen=True)
class AddedLook:
    """A look from ASC CDL values, or from a LUT file: `lut` is its name, `lut_sha256` the hash of its content, and
    the CDL values do not count. `process_space` is where it is applied; empty is the config's grading space."""

    name: str
    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    description: str = ""
    lut: str = ""
    lut_sha256: str = ""
    process_space: str = ""


OWN_LOOKS = (
    AddedLook(
        "Lamplight",
        slope=(1.01, 1.0, 0.985),
        offset=(0.006, 0.001, -0.006),
        saturation=1.05,
        description="Warm and a little richer, as under oil lamps.",
    ),
    AddedLook(
        "Salt Air",
        slope=(0.97, 1.0, 1.03),
        offset=(-0.004, 0.0, 0.006),
        saturation=0.82,
        description="Cool and pale, for daylight by the sea.",
    ),
    AddedLook(
        "Quay Fog",
        slope=(0.86, 0.86, 0.87),
        offset=(0.045, 0.045, 0.05),
        saturation=0.7,
        description="Low contrast and lifted shadows.",
    ),
)


def _no_curve(space: AddedSpace) -> list[ocio.Transform]:
    return []


def _power_curve(space: AddedSpace) -> list[ocio.Transform]:
    if not 0.1 <= space.power <= 10:
        raise BadInput(f"Space “{space.name}”: a power lies between 0.1 and 10.", "power")
    return [ocio.ExponentTransform([space.power] * 3 + [1.0], ocio.NEGATIVE_PASS_THRU)]


def _offset_power(gamma: float, offset: float) -> Callable[[AddedSpace], list[ocio.Transform]]:
    def curve(space: AddedSpace) -> list[ocio.Transform]:
        exponents, offsets = [gamma] * 3 + [1.0], [offset] * 3 + [0.0]
        return [ocio.ExponentWithLinearTransform(exponents, offsets, ocio.NEGATIVE_LINEAR)]

    return curve


def _engines_own(style: str) -> Callable[[AddedSpace], list[ocio.Transform]]:
    return lambda space: [ocio.BuiltinTransform(style=style)]


@dataclass(frozen=True)
class Curve:
    """A transfer function: from code values to light, and the OCIO encoding of a space that has it."""

    label: str
    encoding: str
    to_light: Callable[[AddedSpace], list[ocio.Transform]]


CURVES = {
    "linear": Curve("linear", "scene-linear", _no_curve),
    "srgb": Curve("sRGB (IEC 61966-2-1)", "sdr-video", _offset_power(2.4, 0.055)),
    "power": Curve("power", "sdr-video", _power_curve),
    "rec709": Curve("camera curve (BT.709)", "sdr-video", _offset_power(1 / 0.45, 0.099)),
    "acescct": Curve("ACEScct (S-2016-001)", "log", _engines_own("CURVE - ACEScct-LOG_to_LINEAR")),
    "pq": Curve("PQ (SMPTE ST 2084), 1 is 100 nits", "hdr-video", _engines_own("CURVE - ST-2084_to_LINEAR")),
}


@lru_cache(maxsize=1)
def _newest_studio() -> ocio.Config:
    return load_config(builtin_text(ocio.ResolveConfigPath("ocio://studio-config-latest").removeprefix("ocio://")))


@lru_cache(maxsize=1)
def known_interop_ids() -> dict[str, str]:
    """Interop IDs of scene-referred spaces and data that the engine can define, with what they are called."""
    spaces = scene_spaces(_newest_studio())
    return {space.getInteropID(): space.getName() for space in spaces if space.getInteropID()}


def check_space_name(name: str) -> None:
    """Raise BadInput for what cannot be the name or alias of a colour space."""
    if not name.strip() or any(mark in name for mark in ",:/"):
        raise BadInput("A colour space needs a name, without commas, colons and slashes; so does each alias.", "name")


def check_free(config: ocio.Config, name: str) -> None:
    """Raise BadInput when a space, role or named transform goes by this name already."""
    if config.getColorSpace(name) or config.hasRole(name) or config.getNamedTransform(name):
        raise BadInput(f"The config has something named “{name}” already. Choose another name.", "name")


def add_spaces(config: ocio.Config, spaces: tuple[AddedSpace, ...]) -> None:
    """Write spaces into a config that is to be changed. Raises BadInput, naming the space, for a name that is taken
    or primaries that span no gamut."""
    for space in spaces:
        for name in (space.name, *space.aliases):
            check_space_name(name)
            check_free(config, name)
        made = _made(config, space)
        made.setFamily(space.family)
        made.setDescription(space.description)
        for alias in space.aliases:
            made.addAlias(alias)
        config.addColorSpace(made)


def _made(config: ocio.Config, space: AddedSpace) -> ocio.ColorSpace:
    if space.view:
        return _by_undoing(config, space)
    return _by_interop_id(config, space) if space.interop_id else _by_primaries(config, space)


def _by_undoing(config: ocio.Config, space: AddedSpace) -> ocio.ColorSpace:
    """Code values of a display, through the inverse of a view to scene light. The view may come into the config later;
    `check_undone` tells then whether it did."""
    linear = config.getColorSpace(ocio.ROLE_SCENE_LINEAR)
    undone = ocio.DisplayViewTransform(
        src=linear.getName(), display=space.display, view=space.view, direction=ocio.TRANSFORM_DIR_INVERSE
    )
    forth = linear.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)
    back = linear.getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE)
    if forth is None and back is not None:
        forth = ocio.GroupTransform([back], ocio.TRANSFORM_DIR_INVERSE)
    made = ocio.ColorSpace(
        ocio.REFERENCE_SPACE_SCENE, space.name, toReference=ocio.GroupTransform([undone, *filter(None, [forth])])
    )
    made.setEncoding("sdr-video")
    return made


def check_undone(config: ocio.Config, spaces: tuple[AddedSpace, ...]) -> None:
    """Raise BadInput, naming the space, for one that undoes a view which the config lacks, or that has no way back."""
    for space in spaces:
        if not space.view:
            continue
        try:
            check_view(config, ViewChoice(space.display, space.view))
        except BadInput as error:
            raise BadInput(f"Space “{space.name}” undoes a view that is not there. {error}", "view") from error
        build(config, ocio.ColorSpaceTransform(space.name, ocio.ROLE_SCENE_LINEAR))


def undone_view(space: ocio.ColorSpace) -> ViewChoice | None:
    """The view that a space undoes to decode what it shows; None for all others."""
    for part in transforms_within(space.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)):
        if isinstance(part, ocio.DisplayViewTransform) and part.getDirection() == ocio.TRANSFORM_DIR_INVERSE:
            return ViewChoice(part.getDisplay(), part.getView())
    return None


def _by_primaries(config: ocio.Config, space: AddedSpace) -> ocio.ColorSpace:
    curve = CURVES.get(space.curve)
    if curve is None:
        raise BadInput(f"Space “{space.name}”: there is no curve “{space.curve}”.")
    to_reference = matrix_transform(solve(reference_to_ap0(config), rgb_to_rgb(_gamut(space), AP0)))
    transform = ocio.GroupTransform([*curve.to_light(space), to_reference])
    made = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, space.name, toReference=transform)
    made.setEncoding(curve.encoding)
    return made


def _by_interop_id(config: ocio.Config, space: AddedSpace) -> ocio.ColorSpace:
    """The engine's own definition of an interop ID, through AP0 to the reference of this config."""
    called = known_interop_ids().get(space.interop_id)
    if called is None:
        raise BadInput(
            f"Space “{space.name}”: the engine does not know the interop ID “{space.interop_id}”.", "interop_id"
        )
    defined = _newest_studio().getColorSpace(called)
    made = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, space.name, isData=defined.isData())
    made.setEncoding(defined.getEncoding())
    if (config.getMajorVersion(), config.getMinorVersion()) >= FIRST_WITH_INTEROP_IDS:
        made.setInteropID(space.interop_id)
        if config.getColorSpace(space.interop_id) is None:
            made.addAlias(space.interop_id)  # the engine wants an ID to be a name of some space
    if not defined.isData():
        to_ap0 = reference_to_ap0(config)
        forth = defined.getTransform(ocio.COLORSPACE_DIR_TO_REFERENCE)
        back = defined.getTransform(ocio.COLORSPACE_DIR_FROM_REFERENCE)
        if forth is None and back is not None:
            steps = ocio.GroupTransform([matrix_transform(to_ap0), back])
            made.setTransform(steps, ocio.COLORSPACE_DIR_FROM_REFERENCE)
        else:
            steps = ocio.GroupTransform([*filter(None, [forth]), matrix_transform(solve(to_ap0, np.eye(3)))])
            made.setTransform(steps, ocio.COLORSPACE_DIR_TO_REFERENCE)
    return made


def _gamut(space: AddedSpace) -> Gamut:
    where = f"Space “{space.name}”: "
    numbers = space.chromaticities
    if len(numbers) != 8 or not all(np.isfinite(numbers)):
        raise BadInput(f"{where}primaries and white are eight finite numbers, x and y each.", "chromaticities")
    red, green, blue, white = ((numbers[start], numbers[start + 1]) for start in (0, 2, 4, 6))
    area = (green[0] - red[0]) * (blue[1] - red[1]) - (blue[0] - red[0]) * (green[1] - red[1])
    if abs(area) < 1e-3 or min(abs(white[1]), 1.0) < 1e-3:
        raise BadInput(f"{where}the primaries lie on a line, or white has no y: they span no gamut.", "chromaticities")
    return Gamut(space.name, red, green, blue, white)


def add_looks(config: ocio.Config, looks: tuple[AddedLook, ...], luts: Mapping[str, bytes]) -> dict[str, bytes]:
    """Write looks into a config that is to be changed, and give back the LUT files they need, by path; `luts` holds
    their contents by hash. They act in their process space; without one, in that of the role color_timing, a logarithm
    in most configs, else in the working space. Raises BadInput, naming the look, for values a CDL cannot have."""
    role = ocio.ROLE_COLOR_TIMING if config.hasRole(ocio.ROLE_COLOR_TIMING) else ocio.ROLE_SCENE_LINEAR
    files = {}
    for look in looks:
        if not look.name.strip() or any(mark in look.name for mark in ",:|+-"):
            raise BadInput("A look needs a name, without commas, colons, bars, plus and minus signs.", "name")
        if config.getLook(look.name):
            raise BadInput(f"The config has a look “{look.name}” already. Choose another name.", "name")
        if look.lut:
            transform: ocio.Transform = ocio.FileTransform(lut_file(look), interpolation=ocio.INTERP_BEST)
            files[f"{LUT_FOLDER}/{lut_file(look)}"] = luts[look.lut_sha256]
        else:
            transform = _cdl(look)
        if look.process_space and config.getColorSpace(look.process_space) is None:
            raise BadInput(
                f"The look “{look.name}” acts in “{look.process_space}”, which the config does not have. Choose "
                "another space for it.",
                "process_space",
            )
        process = known_space(config, look.process_space or role)
        added = ocio.Look(name=look.name, processSpace=process, transform=transform, description=look.description)
        config.addLook(added)
    if files:
        add_lut_folder(config)
    return files


def lut_file(look: AddedLook) -> str:
    """Name of a look's LUT in the config's folder; of its content, so that two never meet under one name."""
    stem, _, suffix = look.lut.rpartition(".")
    return f"{re.sub(r'[^A-Za-z0-9_-]+', '_', stem)[:60]}_{look.lut_sha256[:8]}.{suffix.lower()}"


def _cdl(look: AddedLook) -> ocio.CDLTransform:
    numbers = (*look.slope, *look.offset, *look.power, look.saturation)
    if not all(np.isfinite(numbers)) or min(look.slope) < 0 or min(look.power) <= 0 or look.saturation < 0:
        raise BadInput(
            f"Look “{look.name}”: slope and saturation are 0 or more, power is above 0, and all are finite numbers."
        )
    cdl = ocio.CDLTransform(
        slope=list(look.slope), offset=list(look.offset), power=list(look.power), sat=look.saturation
    )
    cdl.setStyle(ocio.CDL_NO_CLAMP)
    return cdl
