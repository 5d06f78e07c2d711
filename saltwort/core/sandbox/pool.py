"""The workers of this program: as many as there are cores, started when there is work for them."""

import atexit
import os
import pickle
import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import CancelledError, Future
from functools import partial
from pathlib import Path
from queue import SimpleQueue
from typing import Any, Generic, TypeVar

from saltwort.core.errors import BadInput
from saltwort.core.sandbox.limits import Limits, limited_by_kernel
from saltwort.core.sandbox.process import Died, Exceeded, WorkerProcess
from saltwort.core.threads import CORES

Result = TypeVar("Result")

END_SECONDS = 2.0
"""Seconds that the end of a program waits for a thread whose worker was killed."""


def run_sandboxed(work: Callable[..., Result], *arguments: object, limits: Limits, called: str, advice: str) -> Result:
    """Do `work`, a function of a module of core, in a worker process; arguments and result are pickled.

    Raises what the work raises, BadInput, calling what was brought by `called` and ending with `advice`, when it
    takes more than its limits or brings the process down, and NoPython where no worker can be started.
    """
    return Sandboxed(work, arguments, limits, called, advice).result()


class Sandboxed(Generic[Result]):
    """Work of `run_sandboxed` that is begun and not waited for, until its result is asked for."""

    def __init__(
        self, work: Callable[..., Result], arguments: tuple[object, ...], limits: Limits, called: str, advice: str
    ) -> None:
        self._limits, self._called, self._advice = limits, called, advice
        if _is_in_process:
            self._task = _Task(b"", limits)
            self._task.settle(lambda: _limited(work, arguments, limits))
        else:
            self._task = _Task(pickle.dumps((work, arguments, limits, _current_folder())), limits)
            _pool.submit(self._task)

    def result(self) -> Result:
        """What the work gives, waited for; raises as `run_sandboxed` does, and CancelledError where it was stopped."""
        try:
            result: Result = self._task.future.result()
        except MemoryError:
            raise self._refusal("memory") from None
        except Exceeded as exceeded:
            raise self._refusal(exceeded.what) from None
        except Died:
            raise BadInput(
                f"{self._called} brings down the library that reads it, so it is not taken. {self._advice}"
            ) from None
        return result

    def _refusal(self, exceeded: str) -> BadInput:
        takes = (
            f"takes longer than {self._limits.seconds:.3g} s to read"
            if exceeded == "seconds"
            else f"needs more than {self._limits.memory / 1e9:.2g} GB to be read"
        )
        return BadInput(f"{self._called} {takes}, so it is not taken. {self._advice}")

    @property
    def is_done(self) -> bool:
        """Whether the result would be given, or refused, at once."""
        return self._task.future.done()

    def stop(self) -> None:
        """End the work, if it is not done."""
        self._task.stop()


def _current_folder() -> str:
    """Where relative paths begin; empty for a folder that was deleted."""
    try:
        return str(Path.cwd())
    except OSError:
        return ""


def run_in_process() -> None:
    """Let work be done in this process, which is a worker, or one of its own already."""
    global _is_in_process
    _is_in_process = True


_is_in_process = False


def _limited(work: Callable[..., Result], arguments: tuple[object, ...], limits: Limits) -> Result:
    with limited_by_kernel(limits):
        return work(*arguments)


class _Task:
    def __init__(self, message: bytes, limits: Limits) -> None:
        self.message, self.limits = message, limits
        self.future: Future[Any] = Future()
        self._worker: WorkerProcess | None = None
        self._is_stopped = False
        self._lock = threading.Lock()

    def given_to(self, worker: WorkerProcess) -> None:
        """Say which worker does it. Raises CancelledError when it was stopped before."""
        with self._lock:
            if self._is_stopped:
                raise CancelledError
            self._worker = worker

    def is_over(self) -> None:
        """Say that no worker does it any more: from here on, stopping it ends none."""
        with self._lock:
            self._worker = None

    def settle(self, outcome: Callable[[], Any]) -> None:
        try:
            result = outcome()
        except BaseException as error:
            self.future.set_exception(CancelledError() if self._is_stopped else error)
        else:
            self.future.set_result(result)

    def stop(self) -> None:
        with self._lock:
            self._is_stopped = True
            if self._worker:
                self._worker.kill()


class _Pool:
    """A thread for each worker. Work goes to the one that was busy last, so that a few pieces start one worker only."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._threads: list[_WorkerThread] = []
        self._idle: list[_WorkerThread] = []
        self._waiting: deque[_Task] = deque()

    def submit(self, task: _Task) -> None:
        with self._lock:
            if self._idle:
                self._idle.pop().tasks.put(task)
            elif len(self._threads) < CORES:
                thread = _WorkerThread(self)
                self._threads.append(thread)
                thread.tasks.put(task)
                thread.start()
            else:
                self._waiting.append(task)

    def is_idle(self, thread: "_WorkerThread") -> None:
        """Give what waits to a thread that has nothing to do."""
        with self._lock:
            if self._waiting:
                thread.tasks.put(self._waiting.popleft())
            else:
                self._idle.append(thread)

    def workers(self) -> list[WorkerProcess]:
        return [thread.worker for thread in self._threads if thread.worker]

    def end(self) -> None:
        """End all workers, and the threads: one that is there when Python ends keeps what libraries wait to delete."""
        with self._lock:
            self._waiting.clear()
        for worker in self.workers():
            worker.kill()
        for thread in self._threads:
            thread.tasks.put(None)
        for thread in self._threads:
            thread.join(END_SECONDS)


class _WorkerThread(threading.Thread):
    def __init__(self, pool: _Pool) -> None:
        # A daemon: when the program ends, nobody waits for what is being read.
        super().__init__(name="sandbox", daemon=True)
        self._pool = pool
        self.tasks: SimpleQueue[_Task | None] = SimpleQueue()
        self.worker: WorkerProcess | None = None

    def run(self) -> None:
        while (task := self.tasks.get()) is not None:
            task.settle(partial(self._do, task))
            del task  # what came of it may be large
            self._pool.is_idle(self)

    def _do(self, task: _Task) -> Any:
        self.worker = worker = self.worker or WorkerProcess()
        try:
            task.given_to(worker)
            return worker.do(task.message, task.limits)
        finally:
            task.is_over()
            if worker.is_spent:
                self.worker = None
                worker.close()


_pool = _Pool()


@atexit.register
def _end() -> None:
    _pool.end()


def _after_fork() -> None:
    """Start with a pool of its own in a forked process, which has none of the threads; the workers are its parent's."""
    global _pool
    for worker in _pool.workers():
        worker.leave_to_parent()
    _pool = _Pool()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_after_fork)
