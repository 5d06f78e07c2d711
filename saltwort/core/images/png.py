"""What a PNG says of its colour, chunk by chunk (W3C PNG, third edition, 11.3.2): the image library gives only what it
made of them."""

import struct
from pathlib import Path

SIGNATURE = 8
MAX_CHUNKS = 1_000
MAX_CHUNK_BYTES = 1 << 16
"""Of those read here; a profile, which may be larger, is only named."""

Tags = dict[str, str | float | tuple[float, ...]]


def png_tags(path: Path) -> Tags:
    """The colour chunks before the pixels: `png:sRGB` (rendering intent), `png:gAMA` (as the exponent of light),
    `png:cHRM` (xy of red, green, blue and white), `png:iCCP` (the profile's name). Damaged ones are left out."""
    tags: Tags = {}
    with path.open("rb") as file:
        file.seek(SIGNATURE)
        for _ in range(MAX_CHUNKS):
            head = file.read(8)
            if len(head) < 8:
                break
            size, name = struct.unpack(">I4s", head)
            if name in (b"IDAT", b"IEND"):
                break
            content = file.read(min(size, MAX_CHUNK_BYTES))
            file.seek(size - len(content) + 4, 1)
            if name in _READERS:
                tags |= _READERS[name](content)
    return tags


def _srgb(content: bytes) -> Tags:
    return {"png:sRGB": float(content[0])} if len(content) == 1 else {}


def _gamma(content: bytes) -> Tags:
    value = int.from_bytes(content, "big") if len(content) == 4 else 0
    return {"png:gAMA": 100_000 / value} if value else {}


def _chromaticities(content: bytes) -> Tags:
    if len(content) != 32:
        return {}
    white_x, white_y, *primaries = (value / 100_000 for value in struct.unpack(">8I", content))
    return {"png:cHRM": (*primaries, white_x, white_y)}


def _profile(content: bytes) -> Tags:
    name = content.split(b"\0", 1)[0][:79]
    return {"png:iCCP": name.decode("latin-1")} if name else {}


_READERS = {b"sRGB": _srgb, b"gAMA": _gamma, b"cHRM": _chromaticities, b"iCCP": _profile}
