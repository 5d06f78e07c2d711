"""The library as strangers use it: the programs of `docs/library.md`, the examples of its functions, its types, and the
places that it is called from."""

import doctest
import inspect
import os
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import chdir
from pathlib import Path
from unittest import TestCase

import nbformat
import numpy as np
import PyOpenColorIO as ocio
from django.conf import settings
from nbclient import NotebookClient

import saltwort
from saltwort.core.images import read_header
from tests.made_frames import light_of
from tests.samples import base_text, light, write

PAGE = settings.BASE_DIR / "docs" / "library.md"
ENVIRONMENT = {"PYTHONPATH": str(settings.BASE_DIR), "PATH": os.environ["PATH"]}
OF_PROJECTS = ("open_project", "sheet", "package")
"""Functions whose examples need the database: `tests/api/test_library.py` runs them."""


def programs() -> dict[str, str]:
    """The programs of the page by their titles."""
    text = PAGE.read_text(encoding="utf-8")
    return dict(re.findall(r"^## ([^\n]+)\n(?:(?!^## ).)*?```python\n(.*?)```", text, re.M | re.S))


def examples(names: Iterator[str]) -> Iterator[doctest.DocTest]:
    """The examples in the docstrings of functions."""
    for name in names:
        function = getattr(saltwort, name)
        namespace = {**{each: getattr(saltwort, each) for each in saltwort.__all__}, "numpy": np}
        yield doctest.DocTestParser().get_doctest(function.__doc__, namespace, name, None, None)


def run_example(example: doctest.DocTest) -> tuple[int, str]:
    """How many lines of an example were tried, and what was not as it says."""
    told: list[str] = []
    runner = doctest.DocTestRunner(optionflags=doctest.NORMALIZE_WHITESPACE)
    runner.run(example, out=told.append)
    return runner.tries, "".join(told) if runner.failures else ""


def fill(folder: Path) -> None:
    """The files that the examples name."""
    (folder / "studio.ocio").write_text(base_text(), encoding="utf-8")
    (folder / "broken.ocio").write_text(base_text().replace("search_path: ", "search_path: /etc"), encoding="utf-8")
    write(folder / "wall.png", light(peak=1.0), "uint8")
    write(folder / "wall_basecolor.png", light(peak=1.0), "uint8")
    write(folder / "dusk.exr", light_of(2), "half", colorInteropID="lin_ap1_scene")


class LibraryTestCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        fill(self.folder)

    def run_program(self, program: str, *arguments: Path | str, code: int = 0) -> str:
        """A program from standard input, in the folder; what it printed."""
        done = subprocess.run(
            [sys.executable, "-", *map(str, arguments)],
            input=program,
            env=ENVIRONMENT,
            cwd=self.folder,
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.returncode, code, done.stderr)
        return done.stdout + done.stderr


class Programs(LibraryTestCase):
    def test_load_a_config_safely(self) -> None:
        program = programs()["Load a config safely"]
        self.assertRegex(self.run_program(program, "studio.ocio"), r"^studio.ocio \d+ spaces$")
        self.assertIn("outside its own folder", self.run_program(program, "broken.ocio", code=1))

    def test_which_space(self) -> None:
        said = self.run_program(programs()["Which space is this file in, and why"], "wall_basecolor.png").splitlines()
        self.assertRegex(said[0], r"\d+%$")
        self.assertGreater(len(said), 1)

    def test_convert(self) -> None:
        self.assertIn("clipped 0", self.run_program(programs()["Convert a texture"], "wall.png", "a.exr"))
        self.assertEqual(read_header(self.folder / "a.exr").tags["colorInteropID"], "lin_ap1_scene")

    def test_view(self) -> None:
        self.assertRegex(self.run_program(programs()["View an image"], "dusk.exr", "a.png"), r"^a.png .*% clipped")
        self.assertEqual(read_header(self.folder / "a.png").bit_depth, "16-bit")

    def test_trim(self) -> None:
        said = self.run_program(programs()["Trim a config, with proof"], "small.ocioz")
        self.assertIn("largest difference 0.0", said)
        ocio.Config.CreateFromFile(str(self.folder / "small.ocioz")).validate()

    def test_explain(self) -> None:
        config = saltwort.load_config("ocio://cg-config-latest")
        shown = saltwort.view(config, self.folder / "dusk.exr", exposure=1.0)
        write(self.folder / "came.png", np.clip(shown, 0, 1), "uint16")
        said = self.run_program(programs()["What was done to this image"], "came.png", "dusk.exr", "undone")
        self.assertRegex(said, r"explained - .*exposure")
        self.assertIn(f"{shown.shape} came_rescued.exr", said)

    def test_every_program_has_its_test(self) -> None:
        self.assertEqual(len(programs()), 7)


class Surface(LibraryTestCase):
    def test_examples_say_what_happens(self) -> None:
        functions = [name for name in saltwort.__all__ if inspect.isfunction(getattr(saltwort, name))]
        self.assertEqual(len(functions), 16)
        with chdir(self.folder):
            for example in examples(name for name in functions if name not in OF_PROJECTS):
                with self.subTest(example.name):
                    tries, wrong = run_example(example)
                    self.assertGreater(tries, 0, "no example")
                    self.assertEqual(wrong, "")

    def test_importing_loads_nothing_else(self) -> None:
        program = (
            "import sys, saltwort\n"
            "heavy = {'numpy', 'django', 'PyOpenColorIO', 'OpenImageIO', 'scipy', 'colour'}\n"
            "print(sorted(heavy & set(sys.modules)))\n"
            "saltwort.load_config('studio.ocio'); saltwort.inspect('wall.png')\n"
            "print('django' in sys.modules, sorted(set(saltwort.__all__) - set(dir(saltwort))))\n"
        )
        self.assertEqual(self.run_program(program), "[]\nFalse []\n")

    def test_types_hold_for_whoever_uses_it(self) -> None:
        """mypy in strict mode, from outside, sees the package as an installed one."""
        program = self.folder / "theirs.py"
        program.write_text(
            "from pathlib import Path\n"
            "import numpy as np\n"
            "import saltwort\n"
            "config: saltwort.Config = saltwort.load_config(Path('studio.ocio'))\n"
            "grey = np.full((2, 2, 3), 0.5, np.float32)\n"
            "linear = saltwort.convert(config, grey, 'sRGB - Texture', 'ACEScg')\n"
            "print(linear.shape, saltwort.convert(config, 'a.png', 'x', 'y', 'b.exr').largest_error)\n"
            "print([finding.code.upper() for finding in saltwort.lint(config)])\n"
            "print(saltwort.explain(config, grey, grey).undone().shape, saltwort.inspect('a.png').verdict.space)\n"
            "project = saltwort.open_project('quay')\n"
            "print(project.recipes[0].name, saltwort.sheet(project, 'x').formatted('md').strip())\n"
            "reveal_type(saltwort.trim(config).proof.largest)\n"
            "config.nothing\n"
            "saltwort.nothing\n",
            encoding="utf-8",
        )
        mypy = [sys.executable, "-m", "mypy", "--strict", "--follow-imports=silent", "--no-error-summary"]
        mypy += ["--config-file=", "--cache-dir", str(settings.VAR_DIR / "mypy-outside"), str(program)]
        done = subprocess.run(
            mypy, env={**os.environ, "MYPYPATH": str(settings.BASE_DIR)}, capture_output=True, text=True
        )
        lines = [line.partition(": ")[2] for line in done.stdout.splitlines()]
        self.assertEqual(
            lines,
            [
                'note: Revealed type is "float"',
                'error: "Config" has no attribute "nothing"  [attr-defined]',
                'error: Module has no attribute "nothing"  [attr-defined]',
            ],
            done.stdout,
        )

    def test_what_is_wrongly_asked_is_refused_in_words(self) -> None:
        config = saltwort.load_config(self.folder / "studio.ocio")
        grey = np.full((2, 2, 3), 0.5, np.float32)
        for words, call in (
            ("no config at", lambda: saltwort.load_config(self.folder / "nothing.ocio")),
            ("no colour space “nowhere”", lambda: saltwort.convert(config, grey, "nowhere", "ACEScg")),
            ("array of floats", lambda: saltwort.view(config, grey[..., 0])),
            ("array of floats", lambda: saltwort.view(config, (grey * 255).astype(np.uint8))),  # type: ignore[arg-type]
            ("no display “Wall”", lambda: saltwort.view(config, grey, display="Wall")),
            ("no view “Odd”", lambda: saltwort.trim(config, views=[(config.defaults.view.display, "Odd")])),
            ("Nothing of the kind", lambda: saltwort.deliver(config, "statue")),
            ("Name it as target", lambda: saltwort.convert(config, self.folder / "wall.png", "ACEScg", "ACEScg", "")),
            ("one of the two", lambda: saltwort.trace(config, "0.18", "ACEScg", to="ACEScg", display="x")),
            ("OCIO 9.9 cannot be written", lambda: saltwort.lower(config, "9.9")),
            ("belongs to a project", lambda: saltwort.verify(self.folder / "wall.png", recipe="x")),
        ):
            with self.subTest(words), self.assertRaisesRegex(saltwort.BadInput, words):
                call()

    def test_data_passes_whatever_is_asked(self) -> None:
        config = saltwort.load_config(self.folder / "studio.ocio")
        normals = light(8, 8, 1.0)
        np.testing.assert_array_equal(saltwort.convert(config, normals, "Raw", "ACEScg"), normals)


PLAIN = "import saltwort\nprint(saltwort.inspect('wall.png').facts.header.format)\n"


class Anywhere(LibraryTestCase):
    """Work in processes of its own, from wherever Python runs."""

    def test_a_script_without_a_main_guard(self) -> None:
        script = self.folder / "script.py"
        script.write_text(f"print('begun')\n{PLAIN}", encoding="utf-8")
        done = subprocess.run(
            [sys.executable, script], env=ENVIRONMENT, cwd=self.folder, capture_output=True, text=True, check=True
        )
        self.assertEqual(done.stdout, "begun\nPNG\n", "the script is run once")

    def test_standard_input(self) -> None:
        self.assertEqual(self.run_program(PLAIN), "PNG\n")

    def test_a_notebook(self) -> None:
        notebook = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(PLAIN)])
        with chdir(self.folder):
            before = os.environ.get("PYTHONPATH")
            os.environ["PYTHONPATH"] = ENVIRONMENT["PYTHONPATH"]
            try:
                NotebookClient(notebook, timeout=120, kernel_name="python3").execute()
            finally:
                os.environ.pop("PYTHONPATH") if before is None else os.environ.update(PYTHONPATH=before)
        self.assertEqual(notebook.cells[0].outputs[0].text, "PNG\n")

    def test_relative_paths_follow_the_program(self) -> None:
        program = f"import os\n{PLAIN}os.mkdir('in'); os.rename('wall.png', 'in/wall.png'); os.chdir('in')\n{PLAIN}"
        self.assertEqual(self.run_program(program), "PNG\nPNG\n")

    def test_a_thread(self) -> None:
        program = f"import threading\ndef work():\n    {PLAIN.replace(chr(10), chr(10) + '    ')}\n"
        program += "thread = threading.Thread(target=work); thread.start(); thread.join()\n"
        self.assertEqual(self.run_program(program), "PNG\n")

    def test_a_process_that_must_not_fork(self) -> None:
        forbid = (
            "import sys\n"
            "def forbid(event, arguments):\n"
            "    if event in ('os.fork', 'os.forkpty'): raise RuntimeError('no forks here')\n"
            "sys.addaudithook(forbid)\n"
        )
        self.assertEqual(self.run_program(forbid + PLAIN), "PNG\n")

    def test_a_daemon_of_multiprocessing(self) -> None:
        program = (
            "import multiprocessing, saltwort\n"
            "def work(path): return saltwort.inspect(path).facts.header.format\n"
            "if __name__ == '__main__':\n"
            "    with multiprocessing.get_context('fork').Pool(1) as pool: print(pool.map(work, ['wall.png']))\n"
        )
        self.assertEqual(self.run_program(program), "['PNG']\n")

    def test_a_folder_with_modules_of_known_names(self) -> None:
        """A worker imports nothing from the folder that is current."""
        for name in ("numpy.py", "OpenImageIO.py", "json.py"):
            (self.folder / name).write_text("raise SystemExit('imported')", encoding="utf-8")
        script = self.folder / "below" / "script.py"
        script.parent.mkdir()
        script.write_text(PLAIN, encoding="utf-8")
        done = subprocess.run(
            [sys.executable, script], env=ENVIRONMENT, cwd=self.folder, capture_output=True, text=True
        )
        self.assertEqual((done.returncode, done.stdout), (0, "PNG\n"), done.stderr)

    def test_an_application_with_python_inside(self) -> None:
        inside = "import sys; sys.executable = '/opt/paint/bin/paint'\n"
        said = self.run_program(inside + PLAIN, code=1)
        self.assertRegex(said, r"“/opt/paint/bin/paint”, in which it runs, is not a Python. Set SALTWORT_PYTHON to")
        self.assertEqual(self.run_program(self.named(sys.executable) + inside + PLAIN), "PNG\n")

    def test_a_setting_that_names_no_such_python(self) -> None:
        other = self.folder / "other.sh"
        other.write_text("#!/bin/sh\necho this is a program of another kind\n", encoding="utf-8")
        other.chmod(0o755)
        for named, words in ((self.folder / "nowhere", "there is no file at"), (other, "does not start it")):
            with self.subTest(words):
                self.assertIn(words, self.run_program(self.named(named) + PLAIN, code=1))

    @staticmethod
    def named(python: str | Path) -> str:
        return f"import os; os.environ['SALTWORT_PYTHON'] = {str(python)!r}\n"


class OtherSystems(TestCase):
    """Where Python lacks what Linux has: `tests/other_systems` hides it, in a process of its own."""

    def test_what_uses_the_system_holds_without(self) -> None:
        modules = ["test_sandbox.RunSandboxed", "test_migration_writing", "test_archives.Trial", "test_video.Movies"]
        hidden = settings.BASE_DIR / "tests" / "other_systems"
        with tempfile.TemporaryDirectory() as var:
            done = subprocess.run(
                [sys.executable, "manage.py", "test", "--noinput", *(f"tests.core.{module}" for module in modules)],
                cwd=settings.BASE_DIR,
                env={**os.environ, "PYTHONPATH": str(hidden), "SALTWORT_VAR": var},
                capture_output=True,
                text=True,
            )
        self.assertRegex(done.stdout, r"(?m)^\d\d+ passed, 0 failed, 2 skipped", done.stderr[-2000:])
