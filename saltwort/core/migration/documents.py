"""The documents of a draft as they will be. They are changed, validated and compared in processes of their own, as they
are read: what a scene brings is not trusted, and textures can be written meanwhile."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, TypeVar

from saltwort.core.migration.differences import unified
from saltwort.core.migration.formats.registry import format_of
from saltwort.core.migration.graph import Edit, RemoveNode, SetSetting
from saltwort.core.migration.plan import Draft
from saltwort.core.migration.scene import ADVICE, LIMITS
from saltwort.core.sandbox import Sandboxed

Result = TypeVar("Result")

TO_CHANGE = replace(LIMITS, seconds=4 * LIMITS.seconds)
"""Each is read several times over, to hold what is changed in its text beside what its library changes."""

MOST_DIFF = 4_000
"""Lines of a difference that are shown of each document."""


@dataclass(frozen=True)
class DocumentDifference:
    """What changed in the text of a document, as a unified diff, and what its format's own rules find wrong that they
    did not before."""

    document: str
    diff: str
    problems: tuple[str, ...]


class Documents:
    """Work on the documents of a draft, begun at once."""

    def __init__(self, draft: Draft) -> None:
        self._before = draft.scene.contents
        edits = {path: _settled(draft.edits[path]) for path in self._before if draft.edits.get(path)}
        self._after = {path: _begun(path, _rewritten, self._before[path], each) for path, each in edits.items()}
        self._unchecked = deque(self._after.values())
        self._problems = {path: _begun(path, _problems, self._before[path]) for path in edits}
        self._compared: dict[str, Sandboxed[tuple[str, list[str]]]] = {}

    @cached_property
    def contents(self) -> dict[str, bytes]:
        """Every document by its path, waited for. Raises BadInput for one that cannot hold its changes."""
        after = {path: self._after[path].result() if path in self._after else it for path, it in self._before.items()}
        for path in self._after:
            if after[path] != self._before[path]:
                self._compared[path] = _begun(path, _compared, self._before[path], after[path])
        return after

    def differences(self) -> list[DocumentDifference]:
        """Every document that changes, before and after."""
        found = []
        for path in self.contents:
            if path in self._compared:
                diff, problems = self._compared[path].result()
                known = set(self._problems[path].result())
                found.append(DocumentDifference(path, diff, tuple(each for each in problems if each not in known)))
        return found

    def check(self) -> None:
        """Raise BadInput if a document is known by now not to hold its changes."""
        while self._unchecked and self._unchecked[0].is_done:
            self._unchecked.popleft().result()

    def stop(self) -> None:
        """End what is not done."""
        begun: list[Sandboxed[Any]] = [*self._after.values(), *self._problems.values(), *self._compared.values()]
        for work in begun:
            work.stop()


@contextmanager
def rewriting(draft: Draft) -> Iterator[Documents]:
    """The documents of a draft. They are to be asked for within: what is not done when they are left is stopped."""
    documents = Documents(draft)
    try:
        yield documents
    finally:
        documents.stop()


def _begun(path: str, work: Callable[..., Result], *arguments: object) -> Sandboxed[Result]:
    return Sandboxed(work, (path, *arguments), TO_CHANGE, called=path, advice=ADVICE)


def _rewritten(path: str, content: bytes, edits: Sequence[Edit]) -> bytes:
    return format_of(path).rewritten(content, edits)


def _problems(path: str, content: bytes) -> list[str]:
    return format_of(path).problems(content)


def _compared(path: str, before: bytes, after: bytes) -> tuple[str, list[str]]:
    """How a document differs, and what is wrong with it afterwards."""
    told = list(unified(_lines(before), _lines(after)))
    diff = "\n".join(told[:MOST_DIFF])
    if len(told) > MOST_DIFF:
        diff += f"\n… {len(told) - MOST_DIFF:,} lines more"
    return diff, _problems(path, after)


def _lines(content: bytes) -> list[str]:
    try:
        return content.decode().splitlines()
    except UnicodeDecodeError:
        return [f"({len(content):,} bytes, not text)"]


def _settled(edits: Iterable[Edit]) -> list[Edit]:
    """Of several changes of one place, the last; none of what stands in a node that is removed."""
    last: dict[tuple[object, ...], Edit] = {}
    gone = {edit.node for edit in edits if isinstance(edit, RemoveNode)}
    for edit in edits:
        if isinstance(edit, SetSetting):
            last[type(edit), edit.path] = edit
        elif isinstance(edit, RemoveNode):
            last[type(edit), edit.node] = edit
        elif edit.node not in gone or edit.node.startswith("row "):
            last[type(edit), edit.node, edit.input] = edit
    return list(last.values())
