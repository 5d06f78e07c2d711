"""Hides from Python what other systems lack, for tests to run without it. Python imports this at its start, from a
folder in PYTHONPATH; so do the processes that it starts."""

import ctypes
import errno
import io
import multiprocessing
import os
import sys
from typing import Any

import psutil  # noqa: F401 - on Linux it needs some of what is hidden

sys.modules["resource"] = None  # type: ignore[assignment]
sys.modules["multiprocessing.forkserver"] = None  # type: ignore[assignment]
multiprocessing.get_all_start_methods = lambda: ["spawn"]  # type: ignore[method-assign,assignment]
for name in ("fork", "forkpty", "register_at_fork", "sched_getscheduler", "sched_setscheduler", "sched_getparam"):
    delattr(os, name)


class Library(ctypes.CDLL):
    def __getattr__(self, name: str) -> Any:
        if name in ("prctl", "renameat2"):
            raise AttributeError(name)
        return super().__getattr__(name)


ctypes.CDLL = Library  # type: ignore[misc]


def _hidden(function: Any) -> Any:
    def call(path: Any, *arguments: Any, **named: Any) -> Any:
        if not isinstance(path, int) and os.fsdecode(path).startswith("/proc/self"):
            raise FileNotFoundError(errno.ENOENT, os.strerror(errno.ENOENT), path)
        return function(path, *arguments, **named)

    return call


os.stat, io.open = _hidden(os.stat), _hidden(io.open)  # type: ignore[misc]
