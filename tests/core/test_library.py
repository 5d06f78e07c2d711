"""The programs of `docs/library.md`, run as they stand there."""

import re
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

import PyOpenColorIO as ocio
from django.conf import settings

from saltwort.core.images import read_header
from tests.samples import base_text, light, write

PAGE = settings.BASE_DIR / "docs" / "library.md"


class Programs(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        text = PAGE.read_text()
        titles, programs = re.findall(r"^## (.+)$", text, re.M), re.findall(r"```python\n(.*?)```", text, re.S)
        self.programs = dict(zip(titles, programs, strict=True))

    def run_program(self, title: str, *arguments: Path, code: int = 0) -> str:
        program = self.folder / "program.py"
        program.write_text(self.programs[title])
        done = subprocess.run(
            [sys.executable, str(program), *map(str, arguments)],
            env={"PYTHONPATH": str(settings.BASE_DIR), "PATH": ""},
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.returncode, code, done.stderr)
        return done.stdout + done.stderr

    def test_load_a_config_safely(self) -> None:
        good, bad = self.folder / "good.ocio", self.folder / "bad.ocio"
        good.write_text(base_text())
        bad.write_text(base_text().replace("search_path: ", "search_path: /etc"))
        self.assertRegex(self.run_program("Load a config safely", good), r"^cg-config.* \d+ spaces$")
        self.assertIn("outside its own folder", self.run_program("Load a config safely", bad, code=1))

    def test_which_space(self) -> None:
        file = write(self.folder / "wall_basecolor.png", light(peak=1.0), "uint8")
        said = self.run_program("Which space is this file in, and why", file).splitlines()
        self.assertRegex(said[0], r"\d+%$")
        self.assertGreater(len(said), 1)

    def test_convert(self) -> None:
        source, target = write(self.folder / "a.png", light(peak=1.0), "uint8"), self.folder / "a.exr"
        self.assertIn("clipped 0", self.run_program("Convert a texture", source, target))
        self.assertEqual(read_header(target).tags["colorInteropID"], "lin_ap1_scene")

    def test_view(self) -> None:
        source, target = write(self.folder / "a.exr", light(), "half"), self.folder / "a.png"
        self.assertRegex(self.run_program("View a picture", source, target), r"% clipped")
        self.assertEqual(read_header(target).bit_depth, "16-bit")

    def test_trim(self) -> None:
        target = self.folder / "small.ocioz"
        self.assertIn("no colour changed", self.run_program("Trim a config, with proof", target))
        ocio.Config.CreateFromFile(str(target)).validate()
