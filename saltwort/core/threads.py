"""Work on all cores, where the work lets Python go: the engine's and the arrays'."""

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor, wait
from threading import local
from typing import TypeVar

import numpy.ma  # noqa: F401 - numpy loads it when it is first needed, which fails in two threads at once

Item = TypeVar("Item")

CORES = os.cpu_count() or 1
_own = local()


def _started() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(
        max_workers=CORES, thread_name_prefix="core", initializer=lambda: setattr(_own, "is_core", True)
    )


_threads = _started()


def _start_again() -> None:
    global _threads
    _threads = _started()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_start_again)  # a forked process has none of the threads


def on_all_cores(
    work: Callable[[Item], object], items: Iterable[Item], progress: Callable[[float], None] | None = None
) -> None:
    """Do `work` for each item. `progress` is told the share done, 0–1, from the calling thread, and may raise to stop:
    what has not begun then never does, and what has is waited for. Within such work the thread that asks does it: to
    wait for another would be to wait for ever. It does a single item, too: handing that out takes longer than many a
    work."""
    listed = list(items)
    if getattr(_own, "is_core", False):
        for item in listed:
            work(item)
        return
    if len(listed) == 1:
        work(listed[0])
        if progress:
            progress(1.0)
        return
    tasks = [_threads.submit(work, item) for item in listed]
    try:
        for done, task in enumerate(tasks, start=1):
            task.result()
            if progress:
                progress(done / len(tasks))
    finally:
        for task in tasks:
            task.cancel()
        wait(tasks)
