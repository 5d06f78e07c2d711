"""What light a scene makes of the numbers in it: of a picture's, and of a typed colour's."""

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.matching import spaces_with
from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, linear_to_ap0
from saltwort.core.errors import BadInput
from saltwort.core.images import Header
from saltwort.core.migration.formats.usd_reading import UV_TEXTURE
from saltwort.core.migration.graph import Document
from saltwort.core.migration.spaces import Meant, meant_by, says_nothing
from saltwort.core.migration.uses import GammaNode, PictureUse
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.gamuts import REC709
from saltwort.core.textures.evidence import ENCODED_SRGB, data_space

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Reading:
    """How numbers become light: decoded from `space` of the config, or taken as light of the working space where that
    is empty; then raised to `exponent` in the working space `working`. `is_data` are plain numbers, which are no light
    but pass the gamma nodes all the same."""

    space: str
    working: str
    exponent: float = 1.0
    is_data: bool = False


def light_of(config: ocio.Config, reading: Reading, numbers: Array) -> Array:
    """CIE XYZ under D65, (n, 3), of numbers, (n, 3); of data the numbers as they reach the input. Raises BadInput for a
    working space whose primaries cannot be told."""
    light = np.asarray(numbers, np.float64)
    if reading.space and not reading.is_data:
        processor = space_processor(config, reading.space, reading.working)
        light = apply(processor, np.ascontiguousarray(light[np.newaxis], np.float32))[0].astype(np.float64)
    if reading.exponent != 1.0:
        light = np.sign(light) * np.abs(light) ** reading.exponent
    if reading.is_data:
        return light
    return light @ to_xyz(config, reading.working).T


def to_xyz(config: ocio.Config, space: str) -> Array:
    """3×3 from light of a scene-linear space to CIE XYZ under D65. Raises BadInput where it cannot be told."""
    known = _matrices.setdefault(config, {})
    if space not in known:
        matrix = linear_to_ap0(config, space)
        if matrix is None:
            raise BadInput(f"The config does not tell what the numbers of “{space}” mean. Choose a scene-linear space.")
        known[space] = np.asarray(AP0_TO_XYZ_D65 @ matrix)
    return known[space]


# Thousands of colours of a scene are in the same few spaces.
_matrices: WeakKeyDictionary[ocio.Config, dict[str, Array]] = WeakKeyDictionary()


def working_space_of(config: ocio.Config, document: Document, old: ocio.Config | None = None) -> str:
    """The space in which a document's typed colours are light: the one it says, else linear Rec.709, in which scenes
    without colour management are. Raises BadInput where the config has neither."""
    said = meant_by(config, document.space, old).space if document.space else None
    if said and linear_to_ap0(config, said) is not None:
        return said
    return linear_rec709(config)


def linear_rec709(config: ocio.Config) -> str:
    """The config's linear Rec.709. Raises BadInput where it has none."""
    found = next(iter(spaces_with(config, REC709, Curve("linear"))), None)
    if found is None:
        raise BadInput("The config has no linear Rec.709, which scenes without colour management are in. Add it first.")
    return found


def exponent_of(gammas: tuple[GammaNode, ...]) -> float | None:
    """What several gamma nodes raise to together; None where one is driven by something else."""
    product = 1.0
    for gamma in gammas:
        if gamma.exponent is None:
            return None
        product *= gamma.exponent
    return product


def reading_of(
    config: ocio.Config, picture: PictureUse, working: str, header: Header | None, old: ocio.Config | None = None
) -> tuple[Reading, Meant | None]:
    """How a scene as it is reads a picture, and what it means by the space it says. Where it says none, a
    `UsdUVTexture` decodes 8-bit colour as sRGB by the specification of USD; everything else, and whatever a gamma node
    decodes behind it, is read as it is."""
    exponent = (exponent_of(picture.ways[0].gammas) if picture.ways else 1.0) or 1.0
    corrected = any(gamma.corrects for way in picture.ways for gamma in way.gammas)
    if not says_nothing(picture.said):
        meant = meant_by(config, picture.said, old)
        is_data = meant.space is not None and meant.space == data_space(config)
        # `raw` on a picture that ends in a colour is colour that nobody decoded.
        if is_data and not picture.is_data:
            return Reading("", working, exponent), meant
        return Reading(meant.space or "", working, exponent, picture.is_data or is_data), meant
    if picture.is_data:
        return Reading("", working, exponent, is_data=True), None
    if picture.node.category == UV_TEXTURE and not corrected and header is not None and _is_automatically_srgb(header):
        return Reading(config_srgb(config), working, exponent), None
    return Reading("", working, exponent), None


def config_srgb(config: ocio.Config) -> str:
    """The config's space of textures encoded as sRGB; empty where it has none."""
    meant = meant_by(config, ENCODED_SRGB)
    return meant.space or ""


def _is_automatically_srgb(header: Header) -> bool:
    """Specification of UsdPreviewSurface, `sourceColorSpace` auto: 8 bits of three or four channels are sRGB."""
    return header.channel_types[:1] == ("uint8",) and header.channels >= 3
