"""In which space the station reads what it is fed: textures, or renders; and then the next one what this one wrote."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.file_rules import FOLLOWS_FILE_RULES
from saltwort.core.stations.sheet import Chain, Setting, section
from saltwort.core.stations.station import READS_TEXTURES

_BY_HAND = "set this in the application"


@section(30, "reading", "Reading")
def reading(chain: Chain) -> Iterator[Setting]:
    yield from _textures(chain) if chain.station.reads == READS_TEXTURES else _renders(chain)


@section(60, "next-reading", "Then, in the {next}")
def reading_next(chain: Chain) -> Iterator[Setting]:
    if chain.next_station:
        yield from _renders(chain)


def _textures(chain: Chain) -> Iterator[Setting]:
    textures = chain.textures
    if not textures:
        yield Setting("textures", "Textures", "none in the project yet", "choice")
        return
    if not chain.station.able(FOLLOWS_FILE_RULES):
        for texture in textures:
            yield Setting(f"texture:{texture.path}", texture.path, texture.space, "space", _BY_HAND)
        return
    by_rule = sum(texture.by_rule for texture in textures)
    right = f"right for {by_rule} of {len(textures)} files"
    yield Setting("textures", "Texture colour space", "from file rules (auto)", "choice", right)
    for texture in sorted(textures, key=lambda texture: texture.by_rule):
        why = "by the file rules" if texture.by_rule else _BY_HAND
        yield Setting(f"texture:{texture.path}", texture.path, texture.space, "space", why)


def _renders(chain: Chain) -> Iterator[Setting]:
    why = "already scene-linear: nothing is decoded"
    yield Setting("space", "Read EXR renders as", chain.working_space, "space", why)
    dark = "a second decode would darken the picture"
    yield Setting("conversion", "Conversion on reading", "none beyond that space", "choice", dark)
