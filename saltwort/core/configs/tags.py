"""What a file in a space of the config, or with one of its views in it, may say of its colour: no more than is true."""

import PyOpenColorIO as ocio

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.configs.matching import encoding_of, primaries_of_space
from saltwort.core.engine import ViewChoice
from saltwort.core.engine.measured import space_of_view
from saltwort.core.images.tags import exr_tags, picture_tags
from saltwort.core.images.writing import Attribute


def still_tags(config: ocio.Config, choice: ViewChoice, suffix: str) -> dict[str, Attribute]:
    """Attributes of a picture with a view in it, for the format of a suffix. A view whose numbers are no picture for
    its display, such as raw ones, and a display of no known encoding, are left untagged rather than tagged wrongly."""
    space = space_of_view(config, choice)
    encoding = encoding_of(config, space) if space else None
    return picture_tags(encoding, suffix) if encoding else {}


def texture_tags(config: ocio.Config, space: str, suffix: str) -> dict[str, Attribute]:
    """Attributes of a picture that holds the numbers of a space, for the format of a suffix. Data says nothing."""
    if suffix in (".exr", ".tx"):
        return handoff_tags(config, space)
    encoding = encoding_of(config, space)
    return picture_tags(encoding, suffix) if encoding else {}


def handoff_tags(config: ocio.Config, space: str) -> dict[str, Attribute]:
    """Attributes of an EXR: chromaticities where the space is scene-linear, and its interop ID. Data says nothing."""
    found = config.getColorSpace(space)
    if found.isData():
        return {"compression": "zip"}
    gamut = gamut_of(config, space) or primaries_of_space(config, space)
    return {"compression": "zip", **exr_tags(found.getInteropID(), gamut)}
