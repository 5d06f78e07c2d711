"""What a written file says of its own colour: no more than is true, and the same as `textures.declared` reads."""

import PyOpenColorIO as ocio

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.configs.matching import encoding_of, primaries_of_space
from saltwort.core.engine import ViewChoice
from saltwort.core.engine.measured import space_of_view
from saltwort.core.images.writing import Attribute
from saltwort.core.spaces import curves
from saltwort.core.spaces.encodings import FULL_RANGE, RGB_MATRIX, Encoding
from saltwort.core.spaces.icc import write_profile

SRGB_CHUNKS = "srgb_rec709_display"
"""By this name the image library writes the PNG chunks sRGB, gAMA and cHRM, which agree with each other."""


def still_tags(config: ocio.Config, choice: ViewChoice, suffix: str) -> dict[str, Attribute]:
    """Attributes of a picture with a view in it, for the format of a suffix. A view whose numbers are no picture for
    its display, such as raw ones, and a display of no known encoding, are left untagged rather than tagged wrongly."""
    space = space_of_view(config, choice)
    encoding = encoding_of(config, space) if space else None
    if encoding is None:
        return {}
    if suffix == ".exr":
        return {"colorInteropID": encoding.interop_id, "chromaticities": encoding.gamut.chromaticities}
    return _picture_tags(encoding, suffix)


def texture_tags(config: ocio.Config, space: str, suffix: str) -> dict[str, Attribute]:
    """Attributes of a picture that holds the numbers of a space, for the format of a suffix. Data says nothing."""
    if suffix in (".exr", ".tx"):
        return handoff_tags(config, space)
    encoding = encoding_of(config, space)
    return _picture_tags(encoding, suffix) if encoding else {}


def handoff_tags(config: ocio.Config, space: str) -> dict[str, Attribute]:
    """Attributes of an EXR: chromaticities where the space is scene-linear, and its interop ID. Data says nothing."""
    tags: dict[str, Attribute] = {"compression": "zip"}
    found = config.getColorSpace(space)
    if found.isData():
        return tags
    gamut = gamut_of(config, space) or primaries_of_space(config, space)
    if gamut:
        tags["chromaticities"] = gamut.chromaticities
    if interop_id := found.getInteropID():
        tags["colorInteropID"] = interop_id
    return tags


def _picture_tags(encoding: Encoding, suffix: str) -> dict[str, Attribute]:
    """cICP, and for sRGB its own chunks, in PNG; in PNG, TIFF and JPEG a profile, but for what PNG says better."""
    tags: dict[str, Attribute] = {}
    is_png, is_hdr = suffix == ".png", encoding.curve.kind in (curves.PQ, curves.HLG)
    if suffix not in (".png", ".tif", ".tiff", ".jpg", ".jpeg"):
        return tags
    if is_png and encoding.code_points:
        tags["CICP"] = (*encoding.code_points, RGB_MATRIX, FULL_RANGE)
    if is_png and encoding.curve.kind == curves.SRGB and encoding.code_points == (1, 13):
        tags["oiio:ColorSpace"] = SRGB_CHUNKS
    elif not (is_png and is_hdr):
        tags["ICCProfile"] = write_profile(encoding)
    return tags
