"""Textures as one station has to be told of them, a row each: thousands of them, so they stand beside the sheet."""

from dataclasses import dataclass
from pathlib import PurePosixPath

import PyOpenColorIO as ocio

from saltwort.core.configs.matching import encoding_of
from saltwort.core.names import slug
from saltwort.core.spaces.curves import SRGB as SRGB_CURVE
from saltwort.core.spaces.gamuts import REC709
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, SRGB, loads_config
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
    return not texture.by_rule or not station.able(FOLLOWS_FILE_RULES) or not loads_config(station)


def texture_row(chain: Chain, texture: TextureLine) -> TextureRow:
    """What to set for one texture."""
    station = chain.station
    by_hand = needs_hand(station, texture)
    value, why = chain.called(texture.space), "set this in the application" if by_hand else "by the file rules"
    if not loads_config(station):
        value, why = _without_config(chain, texture.space)
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


AS_IT_IS, AS_SRGB, AS_LINEAR = "as it is", "sRGB", "linear, or raw"
CONVERTED, BY_PROFILE = "convert it first", "by the profile of its package"


def must_be_converted(chain: Chain, space: str) -> str | None:
    """The space that textures of a space are converted to before the station reads them; None where it reads them
    right. An application without a config decodes the curve of sRGB at most, and knows no primaries."""
    found = chain.config.getColorSpace(space)
    if loads_config(chain.station) or found is None or found.isData() or space == chain.own_space:
        return None
    managed = chain.station.able(COLOUR_BY)
    if managed in (ICC, SRGB) and _is_srgb(chain.config, space):
        return None
    return chain.own_space


def _without_config(chain: Chain, space: str) -> tuple[str, str]:
    """What a station without a config is told of a texture: its own word, and why."""
    why = f"the project reads it as {space}"
    if target := must_be_converted(chain, space):
        return CONVERTED, f"{why}; this application decodes nothing of that kind: give it a copy in {target}"
    found = chain.config.getColorSpace(space)
    managed = chain.station.able(COLOUR_BY)
    if managed in (ICC, SRGB) and _is_srgb(chain.config, space):
        return AS_SRGB, why
    if managed == ICC and not (found and found.isData()):
        return BY_PROFILE, why
    return (AS_LINEAR if managed == SRGB else AS_IT_IS), why


def _is_srgb(config: ocio.Config, space: str) -> bool:
    """Whether a space has the curve of sRGB and the primaries of Rec.709."""
    encoding = encoding_of(config, space)
    return encoding is not None and encoding.curve.kind == SRGB_CURVE and encoding.gamut == REC709
