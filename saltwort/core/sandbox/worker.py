"""`python -m saltwort.core.sandbox.worker`: does the work that comes in on standard input, and ends with it."""

import json
import os
import pickle
import signal
import sys
import threading
from contextlib import suppress
from queue import SimpleQueue
from typing import Any, BinaryIO

import saltwort
from saltwort.core.sandbox.limits import end_with_parent, kernel_limits, limited_by_kernel, write_no_core_files
from saltwort.core.sandbox.messages import receive, send
from saltwort.core.sandbox.pool import run_in_process


def main() -> None:
    requests, results = _own_streams()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the process that gives work
    run_in_process()
    end_with_parent()
    write_no_core_files()
    send(results, json.dumps(introduction()).encode())
    incoming: SimpleQueue[bytes] = SimpleQueue()
    threading.Thread(target=_read, args=(requests, incoming), daemon=True).start()
    while True:
        send(results, pickle.dumps(_outcome(incoming.get())))


def introduction() -> dict[str, Any]:
    """What a worker says first: whether it can do the work, and which limits its system holds."""
    return {
        "pid": os.getpid(),
        "saltwort": saltwort.__version__,
        "python": sys.version_info[:2],
        "kernel": kernel_limits(),
    }


def _own_streams() -> tuple[BinaryIO, BinaryIO]:
    """Standard input and output, kept for messages: what libraries print goes nowhere."""
    requests, results = os.fdopen(os.dup(0), "rb"), os.fdopen(os.dup(1), "wb")
    nowhere = os.open(os.devnull, os.O_RDWR)
    for stream in range(3):
        os.dup2(nowhere, stream)
    return requests, results


def _read(requests: BinaryIO, incoming: "SimpleQueue[bytes]") -> None:
    while (message := receive(requests)) is not None:
        incoming.put(message)
    os._exit(0)  # whoever gave work has ended; work in progress is for nobody


def _outcome(message: bytes) -> tuple[bool, Any]:
    """Whether the work was done, and its result or error; an error that cannot be sent is sent as its words."""
    try:
        # Modules are imported by this, so that doing it the first time does not count as work.
        work, arguments, limits, folder = pickle.loads(message)
        with suppress(OSError):
            os.chdir(folder)
        with limited_by_kernel(limits):
            return True, work(*arguments)
    except Exception as error:
        try:
            pickle.loads(pickle.dumps(error))
        except Exception:
            return False, RuntimeError(f"{type(error).__name__}: {error}")
        return False, error


if __name__ == "__main__":
    main()
