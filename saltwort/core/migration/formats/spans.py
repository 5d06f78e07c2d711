"""Changes in a text, or in bytes, by where they stand."""

from collections.abc import Iterable
from typing import AnyStr


def replaced(text: AnyStr, changes: Iterable[tuple[int, int, AnyStr]]) -> AnyStr:
    """Text with spans replaced; what lies within a span that is removed is gone with it."""
    listed = sorted(set(changes))
    removed = [(start, end) for start, end, new in listed if not new and end > start]
    for start, end, new in reversed(listed):
        is_within = any(one <= start and end <= other and (one, other) != (start, end) for one, other in removed)
        if not is_within:
            text = text[:start] + new + text[end:]
    return text
