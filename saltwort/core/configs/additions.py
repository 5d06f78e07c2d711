"""Spaces and looks that a project adds to its config."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.measured import reference_to_ap0
from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import AP0, KNOWN_GAMUTS, Gamut, rgb_to_rgb, solve

Triple = tuple[float, float, float]

GAMUTS = {gamut.name: gamut for gamut in KNOWN_GAMUTS}


@dataclass(frozen=True)
class AddedSpace:
    """A scene-referred space from primaries with their white, and a transfer function.

    `chromaticities` are eight numbers, CIE 1931 xy of red, green, blue and white. `curve` is a key of CURVES; `power`
    counts for `power` alone. White is adapted to the config's by Bradford's method.
    """

    name: str
    chromaticities: tuple[float, ...]
    curve: str = "linear"
    power: float = 2.2
    aliases: tuple[str, ...] = ()
    family: str = ""
    description: str = ""


@dataclass(frozen=True)
class AddedLook:
    """A look from ASC CDL values, applied in the config's grading space."""

    name: str
    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0
    description: str = ""


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

_GAMMA_SRGB, _OFFSET_SRGB = 2.4, 0.055


def _no_curve(space: AddedSpace) -> list[ocio.Transform]:
    return []


def _srgb_curve(space: AddedSpace) -> list[ocio.Transform]:
    gamma = [_GAMMA_SRGB] * 3 + [1.0]
    offset = [_OFFSET_SRGB] * 3 + [0.0]
    return [ocio.ExponentWithLinearTransform(gamma, offset, ocio.NEGATIVE_LINEAR)]


def _power_curve(space: AddedSpace) -> list[ocio.Transform]:
    if not 0.1 <= space.power <= 10:
        raise BadInput(f"Space “{space.name}”: a power lies between 0.1 and 10.")
    return [ocio.ExponentTransform([space.power] * 3 + [1.0], ocio.NEGATIVE_PASS_THRU)]


# From code values to light. Source of the sRGB curve: IEC 61966-2-1.
CURVES: dict[str, Callable[[AddedSpace], list[ocio.Transform]]] = {
    "linear": _no_curve,
    "srgb": _srgb_curve,
    "power": _power_curve,
}


def add_spaces(config: ocio.Config, spaces: tuple[AddedSpace, ...]) -> None:
    """Write spaces into a config that is to be changed. Raises BadInput, naming the space, for a name that is taken
    or primaries that span no gamut."""
    for space in spaces:
        for name in (space.name, *space.aliases):
            if not name.strip() or any(mark in name for mark in ",:/"):
                raise BadInput("A colour space needs a name, without commas, colons and slashes; so does each alias.")
            if config.getColorSpace(name) or config.hasRole(name) or config.getNamedTransform(name):
                raise BadInput(f"The config has something named “{name}” already. Choose another name.")
        curve = CURVES.get(space.curve)
        if curve is None:
            raise BadInput(f"Space “{space.name}”: there is no curve “{space.curve}”.")
        to_reference = solve(reference_to_ap0(config), rgb_to_rgb(_gamut(space), AP0))
        padded = np.eye(4)
        padded[:3, :3] = to_reference
        transform = ocio.GroupTransform([*curve(space), ocio.MatrixTransform(padded.ravel().tolist())])
        made = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, space.name, toReference=transform)
        made.setEncoding("scene-linear" if space.curve == "linear" else "sdr-video")
        made.setFamily(space.family)
        made.setDescription(space.description)
        for alias in space.aliases:
            made.addAlias(alias)
        config.addColorSpace(made)


def _gamut(space: AddedSpace) -> Gamut:
    where = f"Space “{space.name}”: "
    numbers = space.chromaticities
    if len(numbers) != 8 or not all(np.isfinite(numbers)):
        raise BadInput(f"{where}primaries and white are eight finite numbers, x and y each.")
    red, green, blue, white = ((numbers[start], numbers[start + 1]) for start in (0, 2, 4, 6))
    area = (green[0] - red[0]) * (blue[1] - red[1]) - (blue[0] - red[0]) * (green[1] - red[1])
    if abs(area) < 1e-3 or min(abs(white[1]), 1.0) < 1e-3:
        raise BadInput(f"{where}the three primaries lie on a line, or white has no y; together they span no gamut.")
    return Gamut(space.name, red, green, blue, white)


def add_looks(config: ocio.Config, looks: tuple[AddedLook, ...]) -> None:
    """Write looks into a config that is to be changed. They act in the space of the role color_timing, a logarithm in
    most configs, else in the working space. Raises BadInput, naming the look, for values a CDL cannot have."""
    role = ocio.ROLE_COLOR_TIMING if config.hasRole(ocio.ROLE_COLOR_TIMING) else ocio.ROLE_SCENE_LINEAR
    process = known_space(config, role)
    for look in looks:
        if not look.name.strip() or any(mark in look.name for mark in ",:|+-"):
            raise BadInput("A look needs a name, without commas, colons, bars, plus and minus signs.")
        if config.getLook(look.name):
            raise BadInput(f"The config has a look “{look.name}” already. Choose another name.")
        numbers = (*look.slope, *look.offset, *look.power, look.saturation)
        if not all(np.isfinite(numbers)) or min(look.slope) < 0 or min(look.power) <= 0 or look.saturation < 0:
            raise BadInput(
                f"Look “{look.name}”: slope and saturation are 0 or more, power is above 0, and all are finite numbers."
            )
        cdl = ocio.CDLTransform(
            slope=list(look.slope), offset=list(look.offset), power=list(look.power), sat=look.saturation
        )
        cdl.setStyle(ocio.CDL_NO_CLAMP)
        config.addLook(ocio.Look(name=look.name, processSpace=process, transform=cdl, description=look.description))
