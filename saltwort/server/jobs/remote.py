"""Files worked on by several machines, through a Redis server that all of them reach.

The machine that runs Saltwort hands files out and alone writes to the database; the others need the program, the
media folder and the folders that are read in place, under the same paths. Whoever works on a file holds a lease on it,
a key in Redis that it renews. A file whose lease has run out is handed out again.
"""

import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from threading import Event, Thread
from typing import Any, Self
from uuid import uuid4

import django_rq
from django.conf import settings
from django_tasks import TaskResultStatus
from django_tasks.base import Task, TaskResult
from redis import Redis
from redis.exceptions import ConnectionError as NoConnection
from rq.exceptions import NoSuchJobError
from rq.job import Job

from saltwort.core.errors import BadInput
from saltwort.core.sandbox import run_in_process

LEASE_SECONDS = 6
RENEW_EVERY = 1.0
LOOK_EVERY = 0.1
AHEAD = 64
"""Files in the queue at a time: enough for many workers, few enough to take back."""
MAX_BEGUN = 3
"""Times a file is handed out: one that stops every worker is told as such."""
STOPS_WORKERS = "Every worker that began with this file stopped. Save it again and import the new file."


@contextmanager
def held(lease: str) -> Iterator[None]:
    """Hold a lease while the block runs."""
    run_in_process()  # the worker does each file in a process of its own already
    connection, done = _connection(), Event()

    def renew() -> None:
        connection.set(lease, 1, ex=LEASE_SECONDS)
        while not done.wait(RENEW_EVERY):
            connection.set(lease, 1, ex=LEASE_SECONDS)

    connection.set(lease, 1, ex=LEASE_SECONDS)
    keeper = Thread(target=renew, daemon=True)
    keeper.start()
    try:
        yield
    finally:
        done.set()
        keeper.join()
        connection.delete(lease)


class _Handed:
    """A file in the queue or with a worker. `begun` counts how often it was handed out; `missed` is when it was first
    found with neither."""

    def __init__(self, arguments: dict[str, Any]) -> None:
        self.arguments = arguments
        self.begun = 0
        self.lease = ""
        self.result: TaskResult
        self.missed: float | None = None


class Machines:
    """All workers that listen to the Redis server."""

    room = AHEAD

    def __init__(self, work: Task) -> None:
        self._work = work
        self._handed: dict[str, _Handed] = {}

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        with suppress(NoConnection):
            self.withdrawn()

    def begin(self, arguments: dict[str, Any]) -> str:
        """Put a file into the queue. Raises BadInput when the Redis server does not answer."""
        key, handed = uuid4().hex, _Handed(arguments)
        self._hand_out(handed)
        self._handed[key] = handed
        return key

    def ended(self) -> list[tuple[str, dict[str, Any]]]:
        """What has ended since; what is lost is handed out again. Raises BadInput when the Redis server is gone."""
        time.sleep(LOOK_EVERY)
        try:
            return self._ended()
        except NoConnection:
            raise _no_answer() from None

    def _ended(self) -> list[tuple[str, dict[str, Any]]]:
        found: list[tuple[str, Any]] = []
        queued = set(django_rq.get_queue(settings.FILE_QUEUE).job_ids)
        for key, handed in list(self._handed.items()):
            handed.result.refresh()
            if handed.result.status == TaskResultStatus.SUCCESSFUL:
                found.append((key, handed.result.return_value))
                del self._handed[key]
            elif _is_lost(handed, queued):
                if handed.begun < MAX_BEGUN:
                    self._hand_out(handed)
                else:
                    found.append((key, {"result": {}, "refused": STOPS_WORKERS}))
                    del self._handed[key]
        return found

    def withdrawn(self) -> list[str]:
        """Take back what nobody has begun with."""
        waiting = [key for key, handed in self._handed.items() if handed.result.status == TaskResultStatus.READY]
        for key in waiting:
            _take_back(self._handed.pop(key).result)
        return waiting

    def _hand_out(self, handed: _Handed) -> None:
        handed.begun += 1
        handed.missed = None
        handed.lease = f"saltwort:lease:{uuid4().hex}"
        try:
            handed.result = self._work.enqueue(lease=handed.lease, **handed.arguments)
        except NoConnection:
            raise _no_answer() from None


def _no_answer() -> BadInput:
    return BadInput(
        f"The Redis server at {settings.REDIS_URL} does not answer. Start it, or start Saltwort without SALTWORT_REDIS "
        "to work on this machine alone."
    )


def _is_lost(handed: _Handed, queued: set[str]) -> bool:
    """Whether a file is neither in the queue nor worked on any more."""
    waits = handed.result.id in queued
    is_held = handed.result.status == TaskResultStatus.RUNNING and _connection().exists(handed.lease)
    if waits or is_held:
        handed.missed = None
        return False
    handed.missed = handed.missed or time.monotonic()
    # Moments lie between taking a file and holding its lease, and between letting it go and saying so.
    return time.monotonic() - handed.missed > LEASE_SECONDS


def _take_back(result: TaskResult) -> None:
    with suppress(NoSuchJobError):  # a worker has just taken it
        Job.fetch(result.id, connection=_connection()).delete()


def _connection() -> Redis:
    return django_rq.get_connection(settings.FILE_QUEUE)
