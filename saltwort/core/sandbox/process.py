"""A worker process, as the program that gives it work sees it."""

import json
import pickle
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import saltwort
from saltwort.core.sandbox.interpreter import no_python, worker_command, worker_environment
from saltwort.core.sandbox.limits import Limits, Usage
from saltwort.core.sandbox.messages import receive, send

CLOCK_FOR_EACH = 20
"""Seconds by the clock for each second of computing: on a busy machine a process waits for its turn."""
START_SECONDS = 120.0
"""Seconds by the clock in which a worker starts."""
POLL = 0.05
"""Seconds between two checks of what a worker uses, where its system holds no limits."""
MAX_TASKS = 500
"""Pieces of work after which a worker is replaced, to keep what a library leaks small."""


class Exceeded(Exception):
    """The work took more than its limits; `what` is `seconds` or `memory`."""

    def __init__(self, what: str) -> None:
        super().__init__(what)
        self.what = what


class Died(Exception):
    """The work ended the process that did it."""


class WorkerProcess:
    """A worker that has started. Raises NoPython when it does not start."""

    def __init__(self) -> None:
        command = worker_command()
        try:
            self._process = subprocess.Popen(
                command,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                env=worker_environment(),
                creationflags=getattr(subprocess, "CREATE_NO_WINDOW", 0),
            )
        except OSError as error:
            raise no_python(f"“{command[0]}” cannot be started: {error.strerror}") from error
        assert self._process.stdin and self._process.stdout
        self._requests, self._results = self._process.stdin, self._process.stdout
        self._done = 0
        with _Watch(self.kill, START_SECONDS):
            introduction = receive(self._results)
        try:
            self._pid, self._is_limited_by_kernel = _checked(introduction)
        except BadIntroduction as error:
            self.close()
            raise no_python(f"“{command[0]}” {error}") from None

    def do(self, message: bytes, limits: Limits) -> Any:
        """The result of a piece of work, pickled as (function, arguments, limits,
        folder that relative paths begin in). Raises what the work raises, and
        Exceeded or Died, after which the process has ended."""
        self._done += 1
        exceeds = None if self._is_limited_by_kernel else Usage(self._pid, limits).exceeded
        with _Watch(self.kill, limits.seconds * CLOCK_FOR_EACH, exceeds) as watch:
            try:
                send(self._requests, message)
                answer = receive(self._results)
            except OSError:
                answer = None
        if answer is None:
            self.kill()
            raise self._reason(watch.exceeded)
        is_done, outcome = pickle.loads(answer)
        if not is_done:
            raise outcome
        return outcome

    def _reason(self, exceeded: str) -> Exception:
        code = self._process.returncode
        if exceeded:
            return Exceeded(exceeded)
        if code == -getattr(signal, "SIGXCPU", 0):
            return Exceeded("seconds")
        if code == -signal.SIGABRT:  # how libraries end that are given no memory
            return Exceeded("memory")
        return Died()

    @property
    def is_spent(self) -> bool:
        """Whether another is to do the next piece of work."""
        return self._process.poll() is not None or self._done >= MAX_TASKS

    def kill(self) -> None:
        """End the process, whatever it does. Any thread may call this, more than once."""
        self._process.kill()
        self._process.wait()

    def close(self) -> None:
        self.kill()
        for stream in (self._requests, self._results):
            with suppress(OSError):  # what was still to be sent
                stream.close()

    def leave_to_parent(self) -> None:
        """In a forked process, let go of the pipes without a word in them: what this process has of a message that a
        thread of its parent was sending is not to be sent twice."""
        for stream in (self._requests, self._results):
            stream.raw.close()  # type: ignore[attr-defined]


class BadIntroduction(Exception):
    """What a process said first is not what a worker of this Saltwort says."""


def _checked(introduction: bytes | None) -> tuple[int, bool]:
    """The process number of a worker, and whether its system holds all limits."""
    try:
        told = json.loads(introduction or b"")
        pid, versions, kernel = told["pid"], (told["saltwort"], tuple(told["python"])), told["kernel"]
    except (ValueError, TypeError, KeyError):
        raise BadIntroduction("does not start it") from None
    if versions != (saltwort.__version__, sys.version_info[:2]):
        raise BadIntroduction(f"has Saltwort {versions[0]} with Python {'.'.join(map(str, versions[1]))}")
    return pid, all(kernel.values())


class _Watch:
    """Kills a worker that takes too long by the clock, or for which `exceeds` names a limit."""

    def __init__(self, kill: Callable[[], None], seconds: float, exceeds: Callable[[], str] | None = None) -> None:
        self._kill, self._exceeds = kill, exceeds
        self._deadline = time.monotonic() + seconds
        self._is_over = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self.exceeded = ""

    def __enter__(self) -> "_Watch":
        self._thread.start()
        return self

    def __exit__(self, *error: object) -> None:
        self._is_over.set()
        self._thread.join()

    def _run(self) -> None:
        while not self.exceeded:
            left = self._deadline - time.monotonic()
            if left <= 0:
                self.exceeded = "seconds"
            elif self._is_over.wait(min(left, POLL) if self._exceeds else left):
                return
            elif self._exceeds:
                self.exceeded = self._exceeds()
        self._kill()
