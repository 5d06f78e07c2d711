"""What a written file says of its own colour."""

import PyOpenColorIO as ocio

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.images.writing import Attribute

# Display spaces by interop ID, to colour primaries, transfer characteristics, matrix coefficients and full range
# (ITU-T H.273). A display that H.273 has no exact code for is left untagged rather than tagged nearly right.
CODE_POINTS = {
    "srgb_rec709_display": (1, 13, 0, 1),
    "srgb_p3d65_display": (12, 13, 0, 1),
    "g22_rec709_display": (1, 4, 0, 1),
    "g24_rec709_display": (1, 1, 0, 1),
    "pq_rec2020_display": (9, 16, 0, 1),
    "pq_p3d65_display": (12, 16, 0, 1),
}


def still_tags(config: ocio.Config, display: str) -> dict[str, Attribute]:
    """Attributes of a picture in a display's code values: the cICP code points, and for sRGB the sRGB chunk too."""
    space = config.getColorSpace(display)
    interop_id = space.getInteropID() if space else ""
    if interop_id not in CODE_POINTS:
        return {}
    tags: dict[str, Attribute] = {"CICP": CODE_POINTS[interop_id]}
    if interop_id == "srgb_rec709_display":
        tags["oiio:ColorSpace"] = interop_id
    return tags


def handoff_tags(config: ocio.Config, space: str) -> dict[str, Attribute]:
    """Attributes of a scene-linear EXR: chromaticities where the primaries are known, and the interop ID."""
    tags: dict[str, Attribute] = {"compression": "zip"}
    gamut = gamut_of(config, space)
    if gamut:
        tags["chromaticities"] = gamut.chromaticities
    interop_id = config.getColorSpace(space).getInteropID()
    if interop_id:
        tags["colorInteropID"] = interop_id
    return tags
