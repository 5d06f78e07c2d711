"""The library on projects: what they have decided, sheets and packages."""

import asyncio
import io
import json
import zipfile
from contextlib import chdir, redirect_stdout
from unittest.mock import patch

from django.db import connection

import saltwort
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Scene, Swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.library import projects
from saltwort.server.projects.operations import change_setup
from saltwort.server.textures.operations import pin_texture
from tests.core.test_library import OF_PROJECTS, examples, fill, programs, run_example
from tests.server import ServerTestCase


class Projects(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        fill(self.folder)
        place = chdir(self.folder)
        place.__enter__()
        self.addCleanup(place.__exit__, None, None, None)

    def test_examples_say_what_happens(self) -> None:
        for example in examples(iter(OF_PROJECTS)):
            with self.subTest(example.name):
                tries, wrong = run_example(example)
                self.assertGreater(tries, 0, "no example")
                self.assertEqual(wrong, "")

    def test_the_program_of_the_page(self) -> None:
        out = io.StringIO()
        with redirect_stdout(out), patch("sys.argv", ["program", "quay"]):
            exec(compile(programs()["What a project has decided"], "library.md", "exec"), {})
        first, *applications = out.getvalue().splitlines()
        self.assertEqual(first, "Quay 1 ACEScg")
        self.assertEqual(len(applications), self.project.stations.count())
        for line in applications:
            name, _, path = line.rpartition(" ")
            with zipfile.ZipFile(path) as package:
                self.assertTrue(any(member.endswith("README.txt") for member in package.namelist()), name)

    def test_it_is_what_the_project_says(self) -> None:
        scene = Scene(swatches=(Swatch("enamel", TypedColour("ACEScg", "unit", "0.1 0.2 0.3")),))
        change_setup(self.project, 1, "enamel", lambda setup: ScenePart.with_value(setup, scene))
        project = saltwort.open_project("quay")
        setup = self.ask()["setup"]
        self.assertEqual(project.revision, self.revision())
        self.assertEqual([rule.name for rule in project.rules], [rule["name"] for rule in setup["rules"]])
        self.assertEqual(project.default_space, setup["default_space"])
        self.assertEqual(project.config.defaults.view.view, setup["view"]["view"])
        self.assertEqual([round(value, 6) for value in project.swatches["enamel"]], [0.1, 0.2, 0.3])
        sheet = saltwort.sheet(project, "renderer")
        asked = self.ask(f"/stations/{self.project.stations.get(name='Renderer').pk}/sheet.json")
        self.assertEqual(json.loads(sheet.formatted("json")), asked if isinstance(asked, dict) else json.loads(asked))

    def test_manual_assignments_come_before_rules(self) -> None:
        texture = self.texture("wall_basecolor.png")
        pin_texture(texture, texture.version, "ACEScg", "")
        project = saltwort.open_project("quay")
        pinned, ruled = saltwort.assign(project, ["maps/wall_basecolor.png", "maps/wall_roughness.png"])
        self.assertEqual((pinned.space, pinned.reason.kind, ruled.reason.kind), ("ACEScg", "pin", "rule"))

    def test_what_is_not_there_is_refused_with_what_is(self) -> None:
        with self.assertRaisesRegex(saltwort.BadInput, "There is no project “night”. Projects: quay."):
            saltwort.open_project("night")
        project = saltwort.open_project("quay")
        with self.assertRaisesRegex(saltwort.BadInput, "no application “Printer”. Applications: "):
            saltwort.sheet(project, "Printer")
        with self.assertRaisesRegex(saltwort.BadInput, "name that ends with .zip"):
            saltwort.package(project, "renderer.rar", "Renderer")

    def test_within_a_loop_another_thread_reads_the_database(self) -> None:
        seen = []

        async def notebook() -> None:
            seen.append(projects.in_server(lambda: connection.vendor))

        asyncio.run(notebook())
        self.assertEqual(seen, ["sqlite"])
