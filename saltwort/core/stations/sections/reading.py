"""In which space the station reads what it is fed: textures, or renders; and then the next one what this one wrote."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.colour_by import COLOUR_BY, SRGB
from saltwort.core.stations.abilities.depth_decides import DEPTH_DECIDES
from saltwort.core.stations.abilities.file_rules import FOLLOWS_FILE_RULES
from saltwort.core.stations.abilities.own_rules import OWN_RULES
from saltwort.core.stations.sheet import Chain, Level, Setting, section
from saltwort.core.stations.station import READS_TEXTURES

_BY_HAND = "set this in the application"
_WRONG_SPACE = ("The file is decoded as another space.", "Colours too dark or pale; surfaces with the wrong bumps.")


@section(30, "reading", "Reading")
def reading(chain: Chain) -> Iterator[Setting]:
    yield from _textures(chain) if chain.station.reads == READS_TEXTURES else _renders(chain)
    if chain.station.able(OWN_RULES):
        yield Setting(
            "own-rules",
            "Its own rules for the space of a file",
            "off",
            "choice",
            "the config, or this sheet, decides",
            "preference",
            ("file",),
            "They decide before the config does.",
            "“Auto” reads another space here than in the renderer.",
        )
    if chain.station.able(DEPTH_DECIDES):
        yield from _by_depth(chain)


@section(60, "next-reading", "Then, in the {next}")
def reading_next(chain: Chain) -> Iterator[Setting]:
    if chain.next_station:
        yield from _renders(chain)


def _by_depth(chain: Chain) -> Iterator[Setting]:
    value = "linear for data of 8 and 16 bits, encoded for colour of 32 bits"
    if chain.station.reads != READS_TEXTURES:
        value = "linear for float EXR, encoded for 8- and 16-bit pictures"
    yield Setting(
        "depth-decides",
        "Files that its rule of bit depth reads wrongly",
        value,
        "choice",
        "it takes 8 and 16 bits as encoded and 32 bits as linear; say otherwise for each such file",
        "file",
        (),
        *_WRONG_SPACE,
    )


def _textures(chain: Chain) -> Iterator[Setting]:
    textures = chain.textures
    if not textures:
        yield Setting("textures", "Textures", "none in the project yet", "choice")
        return
    level: Level = "file"
    if chain.station.able(COLOUR_BY) == SRGB:
        for texture in textures:
            word = "linear, or raw" if _is_plain(chain, texture.space) else "sRGB"
            why = f"the project reads it as {texture.space}"
            yield Setting(f"texture:{texture.path}", texture.path, word, "choice", why, level)
        return
    if not chain.station.able(FOLLOWS_FILE_RULES):
        for texture in textures:
            yield Setting(f"texture:{texture.path}", texture.path, texture.space, "space", _BY_HAND, level)
        return
    by_rule = sum(texture.by_rule for texture in textures)
    right = f"right for {by_rule} of {len(textures)} files"
    yield Setting(
        "textures",
        "Texture colour space",
        "from file rules (auto)",
        "choice",
        right,
        "preference",
        ("file",),
        *_WRONG_SPACE,
    )
    for texture in sorted(textures, key=lambda texture: texture.by_rule):
        why = "by the file rules" if texture.by_rule else _BY_HAND
        yield Setting(f"texture:{texture.path}", texture.path, texture.space, "space", why, level)


def _is_plain(chain: Chain, space: str) -> bool:
    """Whether an application that knows two words reads a file of this space as linear: data, and light."""
    found = chain.config.getColorSpace(space)
    return bool(found) and (found.isData() or found.getEncoding() in ("scene-linear", "data"))


def _renders(chain: Chain) -> Iterator[Setting]:
    why = "already scene-linear: nothing is decoded"
    yield Setting("space", "Read EXR renders as", chain.working_space, "space", why, "file", (), *_WRONG_SPACE)
    dark = "a second decode would darken the picture"
    yield Setting("conversion", "Conversion on reading", "none beyond that space", "choice", dark, "node")
