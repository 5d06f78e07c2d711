"""What benches share: a row of the table, a stopwatch, and the application running."""

import os
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]


@dataclass(frozen=True)
class Row:
    what: str
    measured: str
    goal: str
    met: bool


def seconds(action: Callable[[], object]) -> float:
    start = time.perf_counter()
    action()
    return time.perf_counter() - start


def started(folder: str, port: int) -> subprocess.Popen[bytes]:
    """`make run` with its data in a folder, once it answers."""
    command = ["make", "--no-print-directory", "run", f"PORT={port}"]
    environment = {**os.environ, "SALTWORT_VAR": folder}
    process = subprocess.Popen(command, cwd=ROOT, env=environment, stdout=subprocess.DEVNULL, start_new_session=True)
    while process.poll() is None:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=5).read()
            return process
        except OSError:
            time.sleep(0.02)
    sys.exit("the server did not start")


def stop(process: subprocess.Popen[bytes]) -> None:
    os.killpg(process.pid, signal.SIGINT)
    process.wait()
