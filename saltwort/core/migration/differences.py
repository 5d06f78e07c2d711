"""The difference of two long texts, line by line, in the unified form that patches have."""

from collections import Counter
from collections.abc import Iterator, Sequence
from difflib import SequenceMatcher
from typing import Any

CONTEXT = 2


def unified(before: Sequence[str], after: Sequence[str]) -> Iterator[str]:
    """Lines that differ with CONTEXT lines around them. Lines that stand once in both texts, in the same order, are
    taken for the same; only what lies between is searched, so that the time grows with what has changed."""
    for group in _Known(list(_opcodes(before, after))).get_grouped_opcodes(CONTEXT):
        first, last = group[0], group[-1]
        yield f"@@ -{first[1] + 1},{last[2] - first[1]} +{first[3] + 1},{last[4] - first[3]} @@"
        for tag, start, end, other_start, other_end in group:
            if tag == "equal":
                yield from (f" {line}" for line in before[start:end])
            else:
                yield from (f"-{line}" for line in before[start:end])
                yield from (f"+{line}" for line in after[other_start:other_end])


class _Known(SequenceMatcher[str]):
    """A comparison whose outcome is known."""

    def __init__(self, opcodes: list[Any]) -> None:
        super().__init__()
        self._known = opcodes

    def get_opcodes(self) -> list[Any]:
        return self._known


def _opcodes(before: Sequence[str], after: Sequence[str]) -> Iterator[tuple[str, int, int, int, int]]:
    at, other = 0, 0
    for anchor, other_anchor in [*_anchors(before, after), (len(before), len(after))]:
        between = SequenceMatcher(None, before[at:anchor], after[other:other_anchor], autojunk=False)
        for tag, start, end, other_start, other_end in between.get_opcodes():
            yield tag, at + start, at + end, other + other_start, other + other_end
        if anchor < len(before):
            yield "equal", anchor, anchor + 1, other_anchor, other_anchor + 1
        at, other = anchor + 1, other_anchor + 1


def _anchors(before: Sequence[str], after: Sequence[str]) -> Iterator[tuple[int, int]]:
    once = {line for line, count in Counter(before).items() if count == 1}
    counted = Counter(after)
    places = {line: number for number, line in enumerate(after) if line in once and counted[line] == 1}
    reached = -1
    for number, line in enumerate(before):
        place = places.get(line, -1)
        if place > reached:
            reached = place
            yield number, place
