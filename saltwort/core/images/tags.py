"""What a picture file says of its own colour, as attributes that the image library writes.

What a header is read as stands in `textures.declared`; both go by the tables of `spaces.encodings`.
"""

from saltwort.core.images.writing import Attribute
from saltwort.core.spaces import curves
from saltwort.core.spaces.encodings import FULL_RANGE, RGB_MATRIX, Encoding
from saltwort.core.spaces.gamuts import Gamut
from saltwort.core.spaces.icc import write_profile

SRGB_CHUNKS = "srgb_rec709_display"
"""By this name the image library writes the PNG chunks sRGB, gAMA and cHRM, which agree with each other."""
PROFILE_FORMATS = (".png", ".tif", ".tiff", ".jpg", ".jpeg", ".avif", ".jxl")
CODE_POINT_FORMATS = (".png", ".avif")


def exr_tags(interop_id: str, gamut: Gamut | None) -> dict[str, Attribute]:
    """Attributes of an EXR: its interop ID and chromaticities, as far as there are any."""
    tags: dict[str, Attribute] = {}
    if gamut:
        tags["chromaticities"] = gamut.chromaticities
    if interop_id:
        tags["colorInteropID"] = interop_id
    return tags


def picture_tags(encoding: Encoding, suffix: str) -> dict[str, Attribute]:
    """Code points in PNG and AVIF, and in JPEG XL for HDR; for sRGB the chunks of its own in PNG; a profile in all
    formats that hold one, but for what code points say better. Other formats say nothing."""
    if suffix == ".exr":
        # Whoever finds primaries in an EXR takes its numbers for light.
        return exr_tags(encoding.interop_id, encoding.gamut if encoding.curve.is_linear else None)
    tags: dict[str, Attribute] = {}
    is_hdr = encoding.curve.kind in (curves.PQ, curves.HLG)
    # JPEG XL holds a profile or code points, and what is not HDR is told more exactly by a profile.
    has_points = suffix in CODE_POINT_FORMATS or (suffix == ".jxl" and is_hdr)
    if suffix not in PROFILE_FORMATS:
        return tags
    if has_points and encoding.code_points:
        tags["CICP"] = (*encoding.code_points, RGB_MATRIX, FULL_RANGE)
    if suffix == ".png" and encoding.curve.kind == curves.SRGB and encoding.code_points == (1, 13):
        tags["oiio:ColorSpace"] = SRGB_CHUNKS
    elif not (has_points and is_hdr):
        tags["ICCProfile"] = write_profile(encoding)
    return tags
