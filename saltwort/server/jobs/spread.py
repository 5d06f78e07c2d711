"""Work on many files at once, over the cores of this machine or over several machines, and taken up again after a
crash."""

import logging
import os
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from functools import wraps
from itertools import islice
from threading import Event, local
from typing import Any, Generic, Protocol, Self, TypeVar
from uuid import uuid4

from django.conf import settings
from django.db.models import Count, F, QuerySet, Sum
from django_tasks import task
from django_tasks.base import Task

from saltwort.core.errors import BadInput
from saltwort.server.jobs.models import WAITING, FileInHand
from saltwort.server.jobs.operations import Report

log = logging.getLogger(__name__)

WENT_WRONG = "Something in this file is more than Saltwort can take; its log says what. Save it again."
LOOK_EVERY = 0.2
"""Seconds between two looks at a cancel while nothing ends."""

FileWork = Callable[..., dict[str, Any]]
_here = local()


class Stopped(Exception):
    """Raised inside work on a file whose job has ended: what was begun with it is as if it had not."""


def go_on(share: float = 0.0, doing: str = "") -> None:
    """For work on one file to call now and then. Raises Stopped once the job was cancelled, on this machine; on others
    a file is worked on to its end."""
    stop: Event | None = getattr(_here, "stop", None)
    if stop and stop.is_set():
        raise Stopped


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
    twice for the same file, and refuses by BadInput. What else goes wrong with one file does not stop the others."""

    @wraps(function)
    def answered(lease: str = "", **arguments: Any) -> dict[str, Any]:
        with _held(lease):
            try:
                return {"result": function(**arguments), "refused": ""}
            except BadInput as error:
                return {"result": {}, "refused": str(error)}
            except Stopped:
                return {"result": {}, "refused": "", "stopped": True}
            except Exception:
                log.exception("%s failed with %s", function.__name__, arguments)
                return {"result": {}, "refused": WENT_WRONG}

    return task(backend="files")(answered)


def outcomes(
    work: Task, pieces: Iterable[Piece], *, look: Callable[[], None], at_once: int | None = None
) -> Iterator[Outcome]:
    """Do pieces over all cores, or over all machines where there is a Redis server, or `at_once` at a time, and give
    the outcomes as they come; the next piece is asked for only when there is room for it.

    `look` is called several times a second; what it raises ends the work once the pieces in hand are done.
    """
    workers = _workers(work)
    room = at_once or workers.room
    waiting = iter(pieces)
    stopped: Exception | None = None
    in_hand: dict[str, Piece] = {}
    with workers:
        while True:
            # No more than can be worked on soon: what is not in hand can be left without loss.
            for piece in islice(waiting, 0 if stopped else room - len(in_hand)):
                in_hand[workers.begin(piece.arguments)] = piece
            if not in_hand:
                break
            for key, answer in workers.ended():
                piece = in_hand.pop(key)
                if not answer.pop("stopped", False):
                    yield Outcome(piece.key, **answer)
            try:
                look() if not stopped else None
            except Exception as error:
                stopped = error
                for key in workers.withdrawn():
                    in_hand.pop(key)
    if stopped:
        raise stopped


def _held(lease: str) -> AbstractContextManager[None]:
    if not lease:
        return nullcontext()
    from saltwort.server.jobs.remote import held

    return held(lease)


def _workers(work: Task) -> "Workers":
    if not settings.REDIS_URL:
        return _Cores(work)
    # What talks to Redis takes longer to load than most commands take.
    from saltwort.server.jobs.remote import Machines

    return Machines(work)


class Workers(Protocol):
    """Those who do pieces: told by keys, which `begin` gives."""

    room: int

    def __enter__(self) -> Self: ...

    def __exit__(self, *error: object) -> None: ...

    def begin(self, arguments: dict[str, Any]) -> str: ...

    def ended(self) -> list[tuple[str, dict[str, Any]]]:
        """What has ended since, after a moment's wait."""

    def withdrawn(self) -> list[str]:
        """Take back what nobody has begun with."""


class _Cores:
    """The cores of this machine. Files are read in processes of their own; one more for each core waits its turn."""

    room = 2 * (os.cpu_count() or 1)

    def __init__(self, work: Task) -> None:
        self._work = work
        self._pool = ThreadPoolExecutor(self.room)
        self._running: dict[Future[dict[str, Any]], str] = {}
        self._stop = Event()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self._pool.shutdown()

    def begin(self, arguments: dict[str, Any]) -> str:
        key = uuid4().hex
        self._running[self._pool.submit(self._do, arguments)] = key
        return key

    def _do(self, arguments: dict[str, Any]) -> dict[str, Any]:
        _here.stop = self._stop
        done: dict[str, Any] = self._work.func(**arguments)
        return done

    def ended(self) -> list[tuple[str, dict[str, Any]]]:
        done, _ = wait(self._running, timeout=LOOK_EVERY, return_when=FIRST_COMPLETED)
        return [(self._running.pop(future), future.result()) for future in done]

    def withdrawn(self) -> list[str]:
        self._stop.set()
        return [self._running.pop(future) for future in list(self._running) if future.cancel()]


MAX_TRIES = 2
"""A file that was in hand at two crashes is not tried a third time."""
STOPPED_TWICE = "Saltwort stopped twice while it worked on this file. Save it again and import the new file."

Row = TypeVar("Row", bound=FileInHand)


Settle = Callable[[Sequence[tuple[Row, Outcome]]], None]
"""Keeps what came of some files, in one transaction, and sets the state of their rows."""


def work_through(
    work: Task,
    rows: QuerySet[Row],
    arguments: Callable[[Row], dict[str, Any]],
    settle: Settle[Row],
    report: Report,
) -> None:
    """Do the work on all files that still wait, and have the outcomes settled, some together. Where `arguments` of a
    file cannot be told, its BadInput is the outcome. Rows are read a few at a time, so that their number does not
    decide the memory.

    What was in hand at a crash is done alone first, so that the file to blame is found and left out next time.
    """
    progress = _Progress(rows)
    in_hand: dict[int, Row] = {}
    ended = _Ended(settle, progress)

    def pieces(batch: Iterable[Row]) -> Iterator[Piece]:
        for row in batch:
            try:
                piece = Piece(row.pk, arguments(row))
            except BadInput as error:
                ended.add(row, Outcome(row.pk, {}, str(error)))
                continue
            in_hand[row.pk] = row
            yield piece

    def look() -> None:
        ended.settle_in_time()
        report(*progress.said())

    waiting = rows.filter(state=WAITING)
    for row in _few_at_a_time(waiting.filter(tries__gte=MAX_TRIES), AT_A_TIME):
        ended.add(row, Outcome(row.pk, {}, STOPPED_TWICE))
    ended.settle()
    suspects, fresh = waiting.filter(tries__gt=0, tries__lt=MAX_TRIES), waiting.filter(tries=0)
    for batch, at_once in ((_begun(suspects, 1), 1), (_begun(fresh, AT_A_TIME), None)):
        for outcome in outcomes(work, pieces(batch), look=look, at_once=at_once):
            ended.add(in_hand.pop(outcome.key), outcome)
            if at_once:
                ended.settle()  # what is not kept would be suspected again
        ended.settle()


AT_A_TIME = 16
SETTLED_TOGETHER = 64
SETTLE_EVERY = 0.5
"""Seconds, after which what has ended is settled even if it is little."""


def _few_at_a_time(rows: QuerySet[Row], count: int) -> Iterator[Row]:
    """Rows by their number; each few are read anew, since those before have changed meanwhile."""
    for few in _groups(rows, count):
        yield from few


def _begun(rows: QuerySet[Row], count: int) -> Iterator[Row]:
    """The same, each few noted as begun before the first of them is."""
    for few in _groups(rows, count):
        rows.model._default_manager.filter(pk__in=[row.pk for row in few]).update(tries=F("tries") + 1)
        yield from few


def _groups(rows: QuerySet[Row], count: int) -> Iterator[list[Row]]:
    last = 0
    while few := list(rows.filter(pk__gt=last).order_by("pk")[:count]):
        yield few
        last = few[-1].pk


class _Ended(Generic[Row]):
    """Outcomes on their way to be settled: to write each by itself takes longer than to read a small picture."""

    def __init__(self, settle: Settle[Row], progress: "_Progress") -> None:
        self._settle, self._progress = settle, progress
        self._waiting: list[tuple[Row, Outcome]] = []
        self._settled = time.monotonic()

    def add(self, row: Row, outcome: Outcome) -> None:
        self._waiting.append((row, outcome))
        if len(self._waiting) >= SETTLED_TOGETHER:
            self.settle()

    def settle_in_time(self) -> None:
        if time.monotonic() - self._settled > SETTLE_EVERY:
            self.settle()

    def settle(self) -> None:
        waiting, self._waiting = self._waiting, []
        if waiting:
            self._settle(waiting)
            for row, _ in waiting:
                self._progress.add(row)
        self._settled = time.monotonic()


class _Progress:
    """How many files and bytes of all are done, counted once and then along."""

    def __init__(self, rows: QuerySet[Row]) -> None:
        every = rows.aggregate(files=Count("pk"), size=Sum("size"))
        left = rows.filter(state=WAITING).aggregate(files=Count("pk"), size=Sum("size"))
        self.files, self.size = every["files"], every["size"] or 0
        self.done, self.done_size = self.files - left["files"], self.size - (left["size"] or 0)

    def add(self, row: FileInHand) -> None:
        self.done += 1
        self.done_size += row.size

    def said(self) -> tuple[float, str]:
        """The share of bytes that are done, and how many files and megabytes that is."""
        doing = f"{self.done:,} of {self.files:,} files, {self.done_size / 1e6:,.0f} of {self.size / 1e6:,.0f} MB"
        return self.done_size / max(self.size, 1), doing
