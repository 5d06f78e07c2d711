"""The whole of Saltwort as its user starts it: server, worker, demo project, and a clean stop."""

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import TestCase

from django.conf import settings

PATIENCE = 90
"""Seconds until a step counts as stuck; a busy machine takes a tenth of it."""


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Serve(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.var = Path(folder.name) / "var"
        self.port = free_port()

    def start(self, port: int | None = None) -> subprocess.Popen[str]:
        process = subprocess.Popen(
            [sys.executable, "manage.py", "serve", "--port", str(port or self.port)],
            cwd=settings.BASE_DIR,
            env={**os.environ, "SALTWORT_VAR": str(self.var)},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def wait_for_address(self, process: subprocess.Popen[str]) -> str:
        assert process.stdout
        said = ""
        for line in process.stdout:
            said += line
            if f"http://127.0.0.1:{self.port}" in line:
                return said
        raise AssertionError(f"the server ended: {said}")

    def get(self, path: str) -> Any:
        with urllib.request.urlopen(f"http://127.0.0.1:{self.port}{path}", timeout=PATIENCE) as answer:
            content = answer.read()
            return json.loads(content) if answer.headers["Content-Type"] == "application/json" else content

    def put(self, path: str, body: dict[str, Any]) -> None:
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}{path}",
            json.dumps(body).encode(),
            {"Content-Type": "application/json"},
            method="PUT",
        )
        urllib.request.urlopen(request, timeout=PATIENCE).close()

    def left_running(self) -> list[int]:
        """Processes that were started with this test's folder, the server's and all that it started."""
        mark = f"SALTWORT_VAR={self.var}".encode()
        found = []
        for place in Path("/proc").glob("[0-9]*"):
            try:
                if mark in (place / "environ").read_bytes().split(b"\0"):
                    found.append(int(place.name))
            except OSError:
                continue  # it has ended, or is another user's
        return found

    def wait_until(self, true: Callable[[], bool], what: str) -> None:
        deadline = time.monotonic() + PATIENCE
        while not true():
            self.assertLess(time.monotonic(), deadline, what)
            time.sleep(0.3)

    def test_killed_again_and_again(self) -> None:
        """Nothing of it goes on alone, and what it was doing is done by the next."""
        for _ in range(3):
            process = self.start()
            self.wait_for_address(process)
            self.wait_until(lambda: len(self.left_running()) > 1, "there is no worker")
            process.kill()
            self.wait_until(lambda: self.left_running() == [], "a worker outlived its server")
        self.wait_for_address(self.start())
        outputs = "/api/v1/projects/lantern-quay/outputs"
        ended = ("done", "failed")
        self.wait_until(
            lambda: all(output["job"]["state"] in ended for output in self.get(outputs)), "a job has no worker"
        )
        for output in self.get(outputs):
            if not output["done"]:
                self.assertIn("Saltwort stopped while this was running. Start it again.", output["job"]["message"])

    def test_from_the_first_start_to_ctrl_c(self) -> None:
        process = self.start()
        said = self.wait_for_address(process)
        self.assertIn("Building the demo project", said)
        self.assertIn(b'<div id="root">', self.get("/"))
        self.assertIn(b'<div id="root">', self.get("/p/lantern-quay/textures"))
        self.assertEqual(self.get("/api/v1/projects")[0]["slug"], "lantern-quay")
        self.assertEqual((self.var / "secret_key").stat().st_mode & 0o777, 0o600)

        # The worker beside it makes the demo's outputs.
        outputs = "/api/v1/projects/lantern-quay/outputs"
        self.wait_until(lambda: all(output["done"] for output in self.get(outputs)), "its outputs are not made")

        # And the watcher looks at folders, once any is to be watched.
        watched = "/api/v1/projects/lantern-quay/watched"
        folder = self.get(watched)[0]
        self.put(f"{watched}/{folder['id']}", {"is_on": True, "based_on": folder["version"]})
        self.wait_until(lambda: self.get(watched)[0]["looked"] != folder["looked"], "nobody looks at the folder")

        taken = self.start()
        output, _ = taken.communicate(timeout=PATIENCE)
        self.assertIn(f"Port {self.port} is in use", output)
        self.assertEqual(taken.returncode, 1)

        process.send_signal(signal.SIGINT)
        rest, _ = process.communicate(timeout=PATIENCE)
        self.assertIn("Saltwort has stopped.", rest)
        self.assertNotIn("Traceback", rest)
        self.assertEqual(process.returncode, 0)
        self.assertEqual(self.left_running(), [])

        again = self.start()
        self.assertNotIn("Building the demo project", self.wait_for_address(again))
        again.send_signal(signal.SIGTERM)
        rest, _ = again.communicate(timeout=PATIENCE)
        self.assertIn("Saltwort has stopped.", rest)
