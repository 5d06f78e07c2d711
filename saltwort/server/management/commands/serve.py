"""`serve`: migrate, build the demo when there is none, and run the web server with the job worker beside it."""

import logging
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from types import FrameType
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import DatabaseError

from saltwort.server.housekeeping import HOUR, tidy
from saltwort.server.jobs.operations import WORKER_VARIABLE, settle_interrupted
from saltwort.server.management.commands.frame_watcher import watched_now
from saltwort.server.management.commands.job_worker import SERVER_VARIABLE

log = logging.getLogger(__name__)

THREADS = 32
LOOK_EVERY = 2.0
"""Seconds between two looks at jobs that have no worker any more."""
SOON = 5.0
"""A worker that ends within so many seconds of its start would do so again."""
LONGEST_PAUSE = 60.0
STOP_SECONDS = 5
HOST = "127.0.0.1"


class Command(BaseCommand):
    help = "Start Saltwort on this machine. Ctrl-C stops it."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)

    def handle(self, *args: Any, port: int, **options: Any) -> None:
        from waitress import create_server

        from saltwort.server.wsgi import application

        _check_free(port)
        call_command("migrate", verbosity=0)
        call_command("demo", stdout=self.stdout)
        server = create_server(
            application,
            host=HOST,
            port=port,
            threads=THREADS,
            max_request_body_size=settings.MAX_UPLOAD_BYTES,
            ident=None,
            clear_untrusted_proxy_headers=True,
        )
        stopping = threading.Event()
        worker = threading.Thread(target=_keep_worker, args=(stopping, self.stdout.write))
        watcher = threading.Thread(target=_keep_watcher, args=(stopping,))
        signal.signal(signal.SIGTERM, _interrupt)
        try:
            worker.start()
            watcher.start()
            self.stdout.write(f"Saltwort is at http://{HOST}:{port}  (Ctrl-C stops it)")
            self.stdout.flush()
            server.run()
        except KeyboardInterrupt:
            pass  # it came before the server listened for it
        finally:
            stopping.set()
            worker.join()
            watcher.join()
            server.close()
            self.stdout.write("Saltwort has stopped.")


def _interrupt(number: int, frame: FrameType | None) -> None:
    """Take a polite request to end for Ctrl-C."""
    raise KeyboardInterrupt


def _check_free(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((HOST, port))
        except OSError:
            raise CommandError(f"Port {port} is in use, perhaps by another Saltwort. Use --port.") from None


def _keep_worker(stopping: threading.Event, say: Callable[[str], object]) -> None:
    """Run the job worker, and run it again should it die; its interrupted job goes on, or is marked. One that dies as
    soon as it is started is given a longer pause each time."""
    pause, tidied = 0.0, float("-inf")
    while not stopping.wait(pause):
        name, started = uuid4().hex, time.monotonic()
        process = _started("job_worker", **{WORKER_VARIABLE: name})
        while process.poll() is None and not stopping.wait(LOOK_EVERY):
            _settle()
            if time.monotonic() - tidied > HOUR:
                tidied = time.monotonic()
                _tidy()
        if stopping.is_set():
            _stop(process)
        _settle(name)
        ended_soon = not stopping.is_set() and time.monotonic() - started < SOON
        pause = min(LONGEST_PAUSE, max(1.0, 2 * pause)) if ended_soon else 0.0
        if ended_soon:
            say(f"The job worker ended at once (exit code {process.returncode}); it is started again in {pause:.0f} s.")


def _keep_watcher(stopping: threading.Event) -> None:
    """Run the watcher of folders while any is watched."""
    process: subprocess.Popen[bytes] | None = None
    while not stopping.wait(LOOK_EVERY):
        if (process is None or process.poll() is not None) and _is_watching():
            process = _started("frame_watcher")
    if process:
        _stop(process)


def _is_watching() -> bool:
    try:
        return watched_now().exists()
    except DatabaseError as error:
        log.error("watched folders could not be looked for: %s", error)
        return False


def _started(command: str, **variables: str) -> "subprocess.Popen[bytes]":
    # A session of its own: Ctrl-C reaches this process alone, which then stops the other.
    return subprocess.Popen(
        [sys.executable, sys.argv[0], command],
        start_new_session=True,
        env={**os.environ, **variables, SERVER_VARIABLE: str(os.getpid())},
    )


def _stop(process: "subprocess.Popen[bytes]") -> None:
    process.terminate()
    try:
        process.wait(STOP_SECONDS)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def _settle(owner: str = "") -> None:
    try:
        settle_interrupted(owner)
    except DatabaseError as error:  # a full disk, say; the worker is to be kept all the same
        log.error("jobs without a worker could not be looked at: %s", error)


def _tidy() -> None:
    try:
        tidy()
    except (DatabaseError, OSError) as error:
        log.error("what nothing needs could not be deleted: %s", error)
