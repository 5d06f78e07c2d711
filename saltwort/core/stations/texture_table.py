"""Textures as one station has to be told of them, a row each: thousands of them, so they stand beside the sheet."""

from dataclasses import dataclass
from pathlib import PurePosixPath

import PyOpenColorIO as ocio

from saltwort.core.configs.matching import encoding_of
from saltwort.core.names import slug
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, SRGB
from saltwort.core.stations.abilities.file_rules import FOLLOWS_FILE_RULES
from saltwort.core.stations.abilities.name_tokens import NAME_TOKENS
from saltwort.core.stations.sheet import Chain, TextureLine
from saltwort.core.stations.station import Station

WRONG_SPACE = ("The file is decoded as another space.", "Colours too dark or pale; surfaces with the wrong bumps.")
DATA_TOKEN = "raw"
_TOKENS = {
    "srgb_rec709_scene": "srgb",
    "lin_rec709_scene": "lin_rec709",
    "lin_ap1_scene": "acescg",
    "lin_ap0_scene": "aces2065_1",
}
"""Interop IDs to what stands in names; of others the ID itself does."""


@dataclass(frozen=True)
class TextureRow:
    """What to set for a texture in a station: `value` is the space, or the word that the station has for it; `rename`
    the name that tells it by a token, empty where it does already or needs none."""

    path: str
    kind: str
    set: str
    value: str
    why: str
    by_hand: bool
    rename: str


def needs_hand(station: Station, texture: TextureLine) -> bool:
    """Whether the station must be told of this texture, since the file rules do not."""
    return not texture.by_rule or not station.able(FOLLOWS_FILE_RULES) or station.able(COLOUR_BY) == SRGB


def texture_row(chain: Chain, texture: TextureLine) -> TextureRow:
    """What to set for one texture."""
    station = chain.station
    by_hand = needs_hand(station, texture)
    value, why = chain.called(texture.space), "set this in the application" if by_hand else "by the file rules"
    if station.able(COLOUR_BY) == SRGB:
        value = "linear, or raw" if _is_plain(chain.config, texture.space) else "sRGB"
        why = f"the project reads it as {texture.space}"
    return TextureRow(texture.path, texture.kind, texture.set, value, why, by_hand, _renamed(chain, texture))


def curve_and_primaries(config: ocio.Config, space: str) -> str:
    """A space as applications ask for it that set both one by one."""
    if config.getColorSpace(space).isData():
        return "no curve, no primaries: data"
    encoding = encoding_of(config, space)
    if encoding is None:
        return "no known curve and primaries: convert it to another space"
    return f"{encoding.curve.label}; {encoding.gamut.name}"


def name_token(config: ocio.Config, space: str) -> str:
    """The token that tells a space in a file name."""
    found = config.getColorSpace(space)
    if found is None or found.isData():
        return DATA_TOKEN
    encoding = encoding_of(config, space)
    if encoding is None:
        return slug(space)
    return _TOKENS.get(encoding.interop_id, encoding.interop_id.removesuffix("_scene").replace(":", "_"))


def _renamed(chain: Chain, texture: TextureLine) -> str:
    if not chain.station.able(NAME_TOKENS):
        return ""
    path, token = PurePosixPath(texture.path), name_token(chain.config, texture.space)
    stem, tile = path.stem, ""
    last = stem.rpartition(".")
    if last[2].isdigit() and last[0]:  # a tile or a frame stays at the end
        stem, tile = last[0], f".{last[2]}"
    if stem.lower().endswith(f"_{token}"):
        return ""
    return str(path.with_name(f"{stem}_{token}{tile}{path.suffix}"))


def _is_plain(config: ocio.Config, space: str) -> bool:
    """Whether an application that knows two words reads a file of this space as linear: data, and light."""
    found = config.getColorSpace(space)
    return bool(found) and (found.isData() or found.getEncoding() in ("scene-linear", "data"))
