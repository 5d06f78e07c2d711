"""Work on many files at once, over the cores of this machine."""

import os
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from functools import wraps
from itertools import islice
from typing import Any

from django_tasks import task
from django_tasks.base import Task

from saltwort.core.errors import BadInput

LOOK_EVERY = 0.2
"""Seconds between two looks at a cancel while nothing ends."""

FileWork = Callable[..., dict[str, Any]]


@dataclass(frozen=True)
class Piece:
    """Work on one file: `key` is the caller's name for it, `arguments` are plain JSON."""

    key: int
    arguments: dict[str, Any]


@dataclass(frozen=True)
class Outcome:
    """What came of a piece: the JSON that its work gave, or the sentence with which it was refused."""

    key: int
    result: dict[str, Any]
    refused: str = ""


def file_task(function: FileWork) -> Task:
    """Work on one file, by its place in this program. It takes and gives plain JSON, touches no database, may run
    twice for the same file, and refuses by BadInput."""

    @wraps(function)
    def answered(**arguments: Any) -> dict[str, Any]:
        try:
            return {"result": function(**arguments), "refused": ""}
        except BadInput as error:
            return {"result": {}, "refused": str(error)}

    return task(backend="files")(answered)


def outcomes(
    work: Task, pieces: Iterable[Piece], *, look: Callable[[], None], at_once: int | None = None
) -> Iterator[Outcome]:
    """Do pieces over all cores, or `at_once` at a time, and give the outcomes as they come; the next piece is asked for
    only when it is begun.

    `look` is called several times a second; what it raises ends the work once the pieces in hand are done.
    """
    many = at_once or os.cpu_count() or 1
    waiting = iter(pieces)
    in_hand: dict[Future[dict[str, Any]], Piece] = {}
    with ThreadPoolExecutor(many) as pool:
        while True:
            # No more than are worked on: what is not in hand can be left without loss.
            for piece in islice(waiting, many - len(in_hand)):
                in_hand[pool.submit(work.func, **piece.arguments)] = piece
            if not in_hand:
                return
            done, _ = wait(in_hand, timeout=LOOK_EVERY, return_when=FIRST_COMPLETED)
            for future in done:
                yield Outcome(in_hand.pop(future).key, **future.result())
            look()
