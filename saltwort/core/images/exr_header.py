"""What the image library cannot write into an EXR's header beside colour: which channels are whole numbers.

A channel of 32-bit whole numbers is stored as one of floats is, byte for byte, in all exact compressions (OpenEXR file
layout). So the library writes it as floats of the same bits, and here the list of channels says what they are.
"""

import struct
from collections.abc import Iterator, Sequence
from pathlib import Path

UINT = 0
"""The pixel type of whole numbers in the list of channels."""
_MULTIPART = 0x1000
"""The bit of the version that tells of several headers."""
_START, _CHANNEL_END = 8, 16
"""Bytes of the magic number and version; of a channel after its name."""
LARGEST_HEADER = 1 << 26


def declare_whole_numbers(path: Path, names: Sequence[Sequence[str]]) -> None:
    """Have channels of an EXR, which are written as floats, be whole numbers of 32 bits: by the names for each part."""
    if not any(names):
        return
    with path.open("r+b") as file:
        content = file.read(LARGEST_HEADER)
        for part, place in enumerate(_channel_lists(content)):
            if part < len(names):
                for name, type_at in _channels(content, place):
                    if name in names[part]:
                        file.seek(type_at)
                        file.write(struct.pack("<i", UINT))


def _channel_lists(content: bytes) -> Iterator[int]:
    """Where the list of channels of each part begins."""
    has_several = struct.unpack_from("<I", content, 4)[0] & _MULTIPART
    at = _START
    while content[at : at + 1] not in (b"\0", b""):
        while content[at : at + 1] not in (b"\0", b""):
            name_end = content.index(b"\0", at)
            type_end = content.index(b"\0", name_end + 1)
            (size,) = struct.unpack_from("<i", content, type_end + 1)
            value = type_end + 5
            if content[at:name_end] == b"channels":
                yield value
            at = value + size
        at += 1
        if not has_several:
            return


def _channels(content: bytes, at: int) -> Iterator[tuple[str, int]]:
    """Channels of a list by their names, and where their type stands."""
    while content[at : at + 1] != b"\0":
        end = content.index(b"\0", at)
        yield content[at:end].decode(), end + 1
        at = end + 1 + _CHANNEL_END
