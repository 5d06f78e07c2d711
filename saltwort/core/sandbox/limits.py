"""How much a piece of work may take, and what each system has to hold it to that."""

import ctypes
import os
import signal
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from math import ceil
from pathlib import Path
from types import ModuleType
from typing import Any

resource: ModuleType | None
try:
    import resource
except ImportError:  # Windows
    resource = None

_MEMORY_IN_USE = Path("/proc/self/statm")
_PARENT_POLL = 0.5
"""Seconds between two checks that the parent is still there."""


@dataclass(frozen=True)
class Limits:
    """The most that a piece of work may take: seconds of computing, and bytes of memory."""

    seconds: float
    memory: int


def kernel_limits() -> dict[str, bool]:
    """Which limits the system holds by itself: `seconds` everywhere but on Windows, `memory` on Linux alone."""
    return {"seconds": resource is not None, "memory": resource is not None and _MEMORY_IN_USE.exists()}


@contextmanager
def limited_by_kernel(limits: Limits) -> Iterator[None]:
    """Have the system end this process when the block takes more than `limits`, as far as `kernel_limits` says."""
    held = kernel_limits()
    # The system counts in whole seconds; one that is not over would end the work before it began.
    seconds = ceil(sum(os.times()[:2]) + limits.seconds)
    memory = _data_in_use() + limits.memory if held["memory"] else None
    with _limit("RLIMIT_CPU", seconds if held["seconds"] else None), _limit("RLIMIT_DATA", memory):
        yield


@contextmanager
def _limit(kind: str, most: int | None) -> Iterator[None]:
    if most is None or resource is None:
        yield
        return
    number: int = getattr(resource, kind)
    soft, hard = resource.getrlimit(number)
    resource.setrlimit(number, (most, hard))
    try:
        yield
    finally:
        resource.setrlimit(number, (soft, hard))


def _data_in_use() -> int:
    """Bytes that this process may write, as RLIMIT_DATA counts them (proc(5), statm)."""
    assert resource is not None
    return int(_MEMORY_IN_USE.read_text(encoding="ascii").split()[5]) * int(resource.getpagesize())


def write_no_core_files() -> None:
    if resource is not None:
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


class Usage:
    """What a process has used since this was made, seen from outside: for limits that its system does not hold."""

    def __init__(self, pid: int, limits: Limits) -> None:
        import psutil  # takes a while to load, and Linux does without

        self._gone = psutil.NoSuchProcess
        self._process, self._limits = psutil.Process(pid), limits
        self._seconds, self._memory = self._now()

    def exceeded(self) -> str:
        """`seconds` or `memory`, whichever the process used more of than the limits allow, or nothing."""
        seconds, memory = self._now()
        if seconds - self._seconds > self._limits.seconds:
            return "seconds"
        return "memory" if memory - self._memory > self._limits.memory else ""

    def _now(self) -> tuple[float, int]:
        try:
            times = self._process.cpu_times()
            return times.user + times.system, self._process.memory_info().rss
        except self._gone:
            return 0.0, 0


def end_with_parent() -> None:
    """Have this process end when the one that started it ends, however that ends: at once where Linux does it
    (prctl(2), PR_SET_PDEATHSIG), elsewhere within a second and when it lets Python go."""
    prctl = _prctl()
    if prctl is not None:
        prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    else:
        threading.Thread(target=_end_after, args=(os.getppid(),), daemon=True).start()


_PR_SET_PDEATHSIG = 1


def _prctl() -> Any:
    return getattr(ctypes.CDLL(None), "prctl", None) if sys.platform == "linux" else None


def _end_after(parent: int) -> None:
    while _is_there(parent):
        time.sleep(_PARENT_POLL)
    os._exit(1)


def _is_there(parent: int) -> bool:
    if os.name != "nt":
        return os.getppid() == parent  # who is orphaned gets another parent
    import psutil

    return bool(psutil.pid_exists(parent))
