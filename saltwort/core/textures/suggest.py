"""The space a file speaks for, by its header and by what its name says it holds."""

import PyOpenColorIO as ocio

from saltwort.core.images import Header
from saltwort.core.textures.kinds import DATA, KindMatch

# Aliases and interop IDs that configs of many makers carry.
_ENCODED = ("srgb_rec709_scene", "srgb_texture", "srgb_tx")
_LINEAR_REC709 = ("lin_rec709_scene", "lin_rec709", "lin_srgb")


def suggested_space(config: ocio.Config, kind: KindMatch | None, header: Header, *, data: bool = False) -> str | None:
    """The space that fits best, or None when the config has none that does.

    Data maps (by kind, or `data`) go to the config's data space; a file that names its space in an interop ID to that
    one; other float files to the working space, HDR to linear Rec.709; integer files to encoded sRGB.
    """
    if data or (kind and kind.kind.group == DATA):
        return next((space.getName() for space in config.getColorSpaces() if space.isData()), None)
    interop_id = header.tags.get("colorInteropID")
    if isinstance(interop_id, str) and config.getColorSpace(interop_id):
        return str(config.getColorSpace(interop_id).getName())
    if header.format == "HDR":
        return _first(config, _LINEAR_REC709)
    if header.bit_depth in ("half", "float", "double"):
        return _first(config, (ocio.ROLE_SCENE_LINEAR,))
    return _first(config, _ENCODED)


def _first(config: ocio.Config, names: tuple[str, ...]) -> str | None:
    return next((space.getName() for name in names if (space := config.getColorSpace(name))), None)
