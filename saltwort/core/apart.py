"""Work on what strangers bring, in a process of its own that is ended when it takes too much: a hostile file may keep a
library busy without end, eat all memory, or bring it down."""

import ctypes
import multiprocessing
import os
import pickle
import resource
import signal
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from concurrent.futures import TimeoutError as TookTooLong
from contextlib import contextmanager
from dataclasses import dataclass
from math import ceil
from multiprocessing import forkserver, util
from pathlib import Path
from threading import Lock
from typing import Generic, TypeVar

from pebble import ProcessExpired, ProcessPool

from saltwort.core.errors import BadInput
from saltwort.core.threads import CORES

Result = TypeVar("Result")

CLOCK_FOR_EACH = 20
"""Seconds by the clock for each second of computing: on a busy machine a process waits for its turn."""
MAX_TASKS = 500
"""Pieces of work after which a process makes place for a fresh one, so that what a library leaks stays small."""
_PRELOADED = ["saltwort.core.images", "saltwort.core.engine"]


@dataclass(frozen=True)
class Limits:
    """The most that a piece of work may take: seconds of computing, and bytes of memory."""

    seconds: float
    memory: int


def run_apart(work: Callable[..., Result], *arguments: object, limits: Limits, called: str, advice: str) -> Result:
    """Do `work`, a function of a module of core, in a process of its own; arguments and result are pickled.

    Raises what the work raises, and BadInput, calling what was brought by `called` and ending with `advice`, when it
    takes more than its limits or brings the process down.
    """
    return Apart(work, arguments, limits, called, advice).result()


class Apart(Generic[Result]):
    """Work of `run_apart` that is begun and not waited for, until its result is asked for."""

    def __init__(
        self, work: Callable[..., Result], arguments: tuple[object, ...], limits: Limits, called: str, advice: str
    ) -> None:
        self._limits, self._called, self._advice = limits, called, advice
        if _is_apart:
            self._task: Future[Result] = Future()
            self._task.set_result(_limited(work, arguments, limits))
        else:
            clock = limits.seconds * CLOCK_FOR_EACH
            self._task = _pool().schedule(_told, (work, arguments, limits), timeout=clock)

    def result(self) -> Result:
        """What the work gives, waited for; raises as `run_apart` does."""
        limits, called, advice = self._limits, self._called, self._advice
        try:
            result: Result = self._task.result()
        except TookTooLong:
            raise _too_slow(limits, called, advice) from None
        except MemoryError:
            raise _too_large(limits, called, advice) from None
        except ProcessExpired as ended:
            if ended.exitcode == -signal.SIGXCPU:
                raise _too_slow(limits, called, advice) from None
            if ended.exitcode == -signal.SIGABRT:  # how libraries end that are given no memory
                raise _too_large(limits, called, advice) from None
            raise BadInput(f"{called} brings down the library that reads it, so it is not taken. {advice}") from None
        return result

    @property
    def is_done(self) -> bool:
        """Whether the result would be given, or refused, at once."""
        return self._task.done()

    def stop(self) -> None:
        """End the work, if it is not done."""
        self._task.cancel()


def _too_slow(limits: Limits, called: str, advice: str) -> BadInput:
    return BadInput(f"{called} takes longer than {limits.seconds:.3g} s to read, so it is not taken. {advice}")


def _too_large(limits: Limits, called: str, advice: str) -> BadInput:
    return BadInput(f"{called} needs more than {limits.memory / 1e9:.2g} GB to be read, so it is not taken. {advice}")


def stay_here() -> None:
    """Let work be done in this process, which is one of its own already."""
    global _is_apart
    _is_apart = True


_is_apart = False
_kept: ProcessPool | None = None
_keeping = Lock()


def _pool() -> ProcessPool:
    global _kept
    with _keeping:
        if _kept is None or not _kept.active:
            # Of a server of processes: to fork one that has threads may leave their locks closed for ever.
            context = multiprocessing.get_context("forkserver")
            context.set_forkserver_preload(_PRELOADED)
            with _one_thread_each():
                forkserver.ensure_running()
            _kept = ProcessPool(CORES, max_tasks=MAX_TASKS, context=context, initializer=_begin)
            # Called at the end of whatever process this is, also of one that was forked.
            util.Finalize(None, _end, (_kept,), exitpriority=100)
    return _kept


@contextmanager
def _one_thread_each() -> Iterator[None]:
    """Start what is started with one thread for linear algebra: there is a process for each core already."""
    before = os.environ.get(_BLAS_THREADS)
    os.environ[_BLAS_THREADS] = "1"
    try:
        yield
    finally:
        os.environ.pop(_BLAS_THREADS) if before is None else os.environ.update({_BLAS_THREADS: before})


_BLAS_THREADS = "OPENBLAS_NUM_THREADS"


def _end(pool: ProcessPool) -> None:
    pool.stop()  # type: ignore[no-untyped-call]
    pool.join()


def _begin() -> None:
    stay_here()
    end_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the process that gives work
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # what libraries say of damaged files


def end_with_parent() -> None:
    """Have this process killed when the one that started it ends, however that ends (prctl(2), PR_SET_PDEATHSIG)."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)


_PR_SET_PDEATHSIG = 1


def _told(work: Callable[..., Result], arguments: tuple[object, ...], limits: Limits) -> Result:
    """The result, or an error that can be sent: one that cannot would end the pool."""
    try:
        return _limited(work, arguments, limits)
    except Exception as error:
        try:
            pickle.loads(pickle.dumps(error))
        except Exception:
            raise RuntimeError(f"{type(error).__name__}: {error}") from None
        raise


def _limited(work: Callable[..., Result], arguments: tuple[object, ...], limits: Limits) -> Result:
    used = sum(os.times()[:2])
    # The system counts in whole seconds; one that is not over would end the work before it began.
    seconds = ceil(used + limits.seconds)
    with _limit(resource.RLIMIT_CPU, seconds), _limit(resource.RLIMIT_DATA, _data_in_use() + limits.memory):
        return work(*arguments)


@contextmanager
def _limit(kind: int, most: int) -> Iterator[None]:
    soft, hard = resource.getrlimit(kind)
    resource.setrlimit(kind, (most, hard))
    try:
        yield
    finally:
        resource.setrlimit(kind, (soft, hard))


def _data_in_use() -> int:
    """Bytes that this process may write, as RLIMIT_DATA counts them (proc(5), statm)."""
    return int(Path("/proc/self/statm").read_text().split()[5]) * resource.getpagesize()
