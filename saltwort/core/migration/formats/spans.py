"""Changes in a text, or in bytes, by where they stand."""

from collections.abc import Iterable
from typing import AnyStr


def replaced(text: AnyStr, changes: Iterable[tuple[int, int, AnyStr]]) -> AnyStr:
    """Text with spans replaced. What lies within a span that is removed is gone with it; else none overlaps another."""
    kept = [text[:0]]
    done = 0
    # Of what begins at one place, insertions first, and what is removed whole before what lies within it.
    for start, end, new in sorted(set(changes), key=lambda change: (change[0], change[1] > change[0], -change[1])):
        if start < done:
            continue
        kept += (text[done:start], new)
        done = end
    kept.append(text[done:])
    return text[:0].join(kept)
