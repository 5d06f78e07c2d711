"""The wheel, installed where nothing else of Saltwort is: its commands run, and the server brings up the demo."""

import json
import os
import subprocess
import sys
import sysconfig
import tempfile
import time
import urllib.request
import venv
from pathlib import Path
from unittest import TestCase

from django.conf import settings

from tests.api.test_serve import free_port


class Wheel(TestCase):
    folder: tempfile.TemporaryDirectory[str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        place = Path(cls.folder.name)
        build = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--no-build-isolation", "-w", str(place)]
        subprocess.run([*build, str(settings.BASE_DIR)], check=True, capture_output=True)
        venv.create(place / "venv", with_pip=False)
        python = place / "venv" / "bin" / "python"
        (wheel,) = place.glob("saltwort-*.whl")
        # What it depends on is here already, and the tests need no network; Saltwort itself comes from the wheel alone.
        where = [str(python), "-c", "import sysconfig; print(sysconfig.get_path('purelib'))"]
        site = Path(subprocess.run(where, check=True, capture_output=True, text=True).stdout.strip())
        (site / "depends.pth").write_text(sysconfig.get_path("purelib"))
        install = [sys.executable, "-m", "pip", "--python", str(python), "install", "-q", "--no-deps", "--no-index"]
        subprocess.run([*install, str(wheel)], check=True, capture_output=True)
        cls.command = str(place / "venv" / "bin" / "saltwort")
        cls.environment = {**os.environ, "XDG_DATA_HOME": str(place / "data")}
        for name in ("SALTWORT_VAR", "PYTHONPATH", "DJANGO_SETTINGS_MODULE"):
            cls.environment.pop(name, None)

    def run_command(self, *arguments: str) -> str:
        done = subprocess.run(
            [self.command, *arguments], cwd=self.folder.name, env=self.environment, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        return done.stdout

    def test_it_lists_its_own_commands(self) -> None:
        said = self.run_command()
        for name in ("serve", "lint", "diff", "trace", "lower", "inspect", "bake"):
            self.assertIn(f"\n  {name} ", said)
        self.assertNotRegex(said, r"(?m)^  migrate ")

    def test_a_command_without_a_project_needs_no_database(self) -> None:
        said = self.run_command("trace", "0.18", "--config", "ocio://default", "--from", "ACEScg", "--to", "ACES2065-1")
        self.assertTrue(said.splitlines()[-1].endswith("ACES2065-1"), said)
        self.assertFalse(list((Path(self.folder.name) / "data").rglob("*.sqlite3")))

    def test_serve_brings_up_the_demo_with_the_screens(self) -> None:
        port = free_port()
        server = subprocess.Popen(
            [self.command, "serve", "--port", str(port)],
            cwd=self.folder.name,
            env=self.environment,
            stdout=subprocess.DEVNULL,
        )
        try:
            address = f"http://127.0.0.1:{port}"
            projects = json.loads(_fetched(f"{address}/api/v1/projects"))
            self.assertEqual([project["slug"] for project in projects], ["lantern-quay"])
            page = _fetched(f"{address}/p/lantern-quay").decode()
            script = page.split('src="')[1].split('"')[0]
            self.assertGreater(len(_fetched(f"{address}{script}")), 100_000)
        finally:
            server.terminate()
            server.wait(30)


def _fetched(url: str) -> bytes:
    for _ in range(600):
        try:
            with urllib.request.urlopen(url, timeout=30) as answer:
                content: bytes = answer.read()
                return content
        except OSError:
            time.sleep(0.2)
    raise AssertionError(f"{url} does not answer")
