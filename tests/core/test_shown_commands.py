"""Every command that README, guides and docstrings show can be run as it is shown."""

import ast
import re
import subprocess
import sys
from argparse import ArgumentParser
from collections.abc import Iterator
from unittest import TestCase

from django.conf import settings
from django.core.management import load_command_class

ROOT = settings.BASE_DIR
_STARTS = r"(?:make|saltwort|\.venv/bin/python|python3?)"
_SPAN = re.compile(rf"`({_STARTS} [^`]+)`")
_LINE = re.compile(rf"^(?: {{4}})?({_STARTS} \S.*(?:\n {{8,}}\S.*)*)", re.M)
_PROSE = ("Saltwort", "make it", "make a", "make sure")


def texts() -> Iterator[tuple[str, str]]:
    """Documents, and the docstrings of modules, by their place."""
    for page in (ROOT / "README.md", *sorted((ROOT / "docs").rglob("*.md"))):
        yield page.relative_to(ROOT).as_posix(), page.read_text(encoding="utf-8")
    for folder in ("saltwort", "tools", "tests"):
        for file in sorted((ROOT / folder).rglob("*.py")):
            docstring = ast.get_docstring(ast.parse(file.read_text(encoding="utf-8")))
            if docstring:
                yield file.relative_to(ROOT).as_posix(), docstring


def shown() -> Iterator[tuple[str, str]]:
    """Commands by the place where they are shown; one over several lines is one."""
    for place, text in texts():
        without_programs = re.sub(r"```python\n.*?```", "", text, flags=re.S)
        for found in (*_SPAN.finditer(without_programs), *_LINE.finditer(without_programs)):
            command = " ".join(found[1].split())
            if not command.startswith(_PROSE):
                yield place, command


def refused(command: str) -> str:
    """Why a command cannot be run as it is shown; nothing where it can."""
    words = command.split()
    if words[0] == "make":
        run = subprocess.run(["make", "-n", words[1]], cwd=ROOT, capture_output=True, text=True)
        return run.stderr
    if words[0] == "saltwort":
        return _not_of_the_command(words[1], command)
    if words[1] == "manage.py":
        return _not_of_the_command(words[2], command)
    if words[1] == "-m":
        module = ROOT / f"{words[2].replace('.', '/')}.py"
        if not module.is_file() or "__main__" not in module.read_text(encoding="utf-8"):
            return f"{words[2]} is no module that does something"
        load = [sys.executable, "-c", f"import {words[2]}"]
        return subprocess.run(load, cwd=ROOT, capture_output=True, text=True).stderr
    return "no module is named"


def _not_of_the_command(name: str, command: str) -> str:
    try:
        parser: ArgumentParser = load_command_class("saltwort.server", name).create_parser("saltwort", name)
    except ModuleNotFoundError:
        return f"there is no command {name}"
    known = {option: action for action in parser._actions for option in action.option_strings}
    told = set(re.findall(r"(?<!\w)--[\w-]+", command))
    if unknown := told - set(known):
        return f"{name} has no {sorted(unknown)}"
    needed = {tuple(action.option_strings) for action in known.values() if action.required}
    if missing := [spellings for spellings in needed if not told & set(spellings)]:
        return f"{name} needs {sorted(missing)}"
    return ""


class ShownCommands(TestCase):
    def test_each_can_be_run(self) -> None:
        commands = sorted(set(shown()))
        self.assertGreater(len(commands), 40)
        for place, command in commands:
            with self.subTest(command, place=place):
                self.assertEqual(refused(command), "")

    def test_what_cannot_be_run_is_noticed(self) -> None:
        for command in (
            "make nothing",
            "saltwort dance",
            "saltwort lint CONFIG --loud",
            ".venv/bin/python manage.py convert PATH --space S --output DIR --format F",
            ".venv/bin/python tools/screenshots.py",
            ".venv/bin/python -m tools.nothing",
        ):
            with self.subTest(command):
                self.assertNotEqual(refused(command), "")
