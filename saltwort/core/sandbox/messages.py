"""Messages between a program and its workers: the length in eight bytes, then so many bytes."""

import struct
from typing import IO

_LENGTH = struct.Struct(">Q")
LONGEST = 1 << 36
"""Bytes of a message: what says more is not from a worker."""


def send(stream: IO[bytes], message: bytes) -> None:
    """Write a message. Raises OSError when nobody reads any more."""
    stream.write(_LENGTH.pack(len(message)))
    stream.write(message)
    stream.flush()


def receive(stream: IO[bytes]) -> bytes | None:
    """Read a message; None when the other side has ended, before it or within, and
    for what is no message."""
    head = stream.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        return None
    (length,) = _LENGTH.unpack(head)
    if length > LONGEST:
        return None
    message = stream.read(length)
    return message if len(message) == length else None
