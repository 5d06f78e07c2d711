"""`serve`: migrate, build the demo when there is none, and run the web server with the job worker beside it."""

import signal
import socket
import subprocess
import sys
import threading
from types import FrameType
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser

from saltwort.server.jobs.operations import settle_interrupted

WORKER = ("db_worker", "--interval", "0.2", "--no-startup-delay", "--no-reload", "--verbosity", "0")
THREADS = 8
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
        worker = threading.Thread(target=_keep_worker, args=(stopping,))
        signal.signal(signal.SIGTERM, _interrupt)
        try:
            worker.start()
            self.stdout.write(f"Saltwort is at http://{HOST}:{port}  (Ctrl-C stops it)")
            self.stdout.flush()
            server.run()
        except KeyboardInterrupt:
            pass  # it came before the server listened for it
        finally:
            stopping.set()
            worker.join()
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


def _keep_worker(stopping: threading.Event) -> None:
    """Run the job worker, and run it again should it die; its interrupted job goes on, or is marked."""
    while not stopping.is_set():
        settle_interrupted()
        # A session of its own: Ctrl-C reaches this process alone, which then stops the worker.
        process = subprocess.Popen([sys.executable, sys.argv[0], *WORKER], start_new_session=True)
        while process.poll() is None and not stopping.wait(0.2):
            pass
        if process.poll() is None:
            process.terminate()
            try:
                process.wait(STOP_SECONDS)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
    settle_interrupted()
