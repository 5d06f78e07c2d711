"""Which room may use which: the arrows of `docs/developing.md`, walked through every import."""

import ast
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

import saltwort

ROOT = Path(saltwort.__file__).parent
SMALL_THINGS = (
    "errors",
    "names",
    "arrays",
    "numbers",
    "threads",
    "files",
    "modules",
    "structured",
    "changes",
    "sandbox",
    "glossary",
)
"""Modules of core without a room, which all rooms may use."""
ROOMS = (
    "spaces",
    "engine",
    "luts",
    "images",
    "views",
    "configs",
    "textures",
    "scene",
    "deliverables",
    "explain",
    "stations",
    "migration",
    "project",
    "findings",
    "bundle",
)
"""Each may use those before it."""
APPS = (
    "history",
    "projects",
    "jobs",
    "images",
    "textures",
    "scene",
    "compare",
    "handoffs",
    "watching",
    "migrating",
    "findings",
    "across",
    "outputs",
    "conversions",
    "whole_projects",
    "management",
)
ABOVE_APPS = {"apps", "urls", "housekeeping", "commands", "wsgi", "settings"}
BELOW_APPS = {"http", "kept", "middleware", "queries", "secret", "uploads", "versions"}


def imported(file: Path) -> Iterator[str]:
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield from (f"{node.module}.{alias.name}" for alias in node.names)
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


def arrows(package: str) -> dict[tuple[str, str], set[str]]:
    """Which part of a package uses which other, and in which files."""
    found: dict[tuple[str, str], set[str]] = defaultdict(set)
    folder = ROOT / package
    for file in folder.rglob("*.py"):
        here = file.relative_to(folder).parts[0].removesuffix(".py")
        for name in imported(file):
            parts = name.split(".")
            if parts[:2] == ["saltwort", package] and len(parts) > 2 and parts[2] != here:
                found[here, parts[2]].add(str(file.relative_to(ROOT)))
    return found


class Rooms(TestCase):
    def test_core_knows_nothing_of_the_server_nor_the_server_of_the_demo(self) -> None:
        unknown_to = {
            "core": ("saltwort.server", "saltwort.library", "saltwort.demo", "django"),
            "library": ("saltwort.demo", "tests"),
            "server": ("saltwort.library", "tests"),
        }
        for package, unknown in unknown_to.items():
            for file in (ROOT / package).rglob("*.py"):
                for name in imported(file):
                    self.assertFalse(name.startswith(unknown), f"{file.relative_to(ROOT)} imports {name}")

    def test_every_room_of_core_stands_in_the_order(self) -> None:
        there = {file.name.removesuffix(".py") for file in (ROOT / "core").iterdir() if "__" not in file.name}
        self.assertEqual(there, {*SMALL_THINGS, *ROOMS})

    def test_a_room_uses_those_before_it_alone(self) -> None:
        for (room, used), files in arrows("core").items():
            if room in SMALL_THINGS:
                self.assertIn(used, SMALL_THINGS, f"{room} uses {used}: {sorted(files)}")
            elif used in ROOMS:
                self.assertLess(ROOMS.index(used), ROOMS.index(room), f"{room} uses {used}: {sorted(files)}")

    def test_apps_of_the_server_do_not_know_each_other_in_circles(self) -> None:
        there = {file.name.removesuffix(".py") for file in (ROOT / "server").iterdir() if "__" not in file.name}
        self.assertEqual(there, {*APPS, *ABOVE_APPS, *BELOW_APPS})
        for (app, used), files in arrows("server").items():
            if app in APPS and used in APPS:
                self.assertLess(APPS.index(used), APPS.index(app), f"{app} uses {used}: {sorted(files)}")
            elif app in BELOW_APPS:
                self.assertNotIn(used, APPS, f"{app} uses {used}: {sorted(files)}")
            elif app in APPS and app != "management":
                self.assertNotIn(used, ABOVE_APPS, f"{app} uses {used}: {sorted(files)}")
