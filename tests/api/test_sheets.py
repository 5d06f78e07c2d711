"""Applications by kind, and their settings sheets as files and from the command line."""

import json

from saltwort.core.stations.kinds import KINDS
from tests.api.test_commands import CommandTestCase


class Sheets(CommandTestCase):
    def test_an_application_of_each_kind(self) -> None:
        kinds = self.client.get("/api/v1/station-kinds").json()
        self.assertEqual([kind["key"] for kind in kinds], [kind.key for kind in KINDS])
        for kind in kinds:
            with self.subTest(kind["key"]):
                made = self.tell("post", "/stations", 201, name=f"My {kind['key']}", kind=kind["key"])
                self.assertEqual((made["kind"], made["reads"]), (kind["key"], kind["reads"]))
                sections = self.ask(f"/stations/{made['id']}/sheet")
                self.assertIn("config", [section["key"] for section in sections])

    def test_a_kind_there_is_not(self) -> None:
        self.tell("post", "/stations", 400, name="It", kind="oven")

    def test_sheets_as_files(self) -> None:
        made = self.tell("post", "/stations", 201, name="Léa’s editor / 2", kind="editor-icc")
        for ending, begins in (
            ("txt", b"Quay, revision 1"),
            ("md", b"# Quay"),
            ("html", b"<!doctype html>"),
            ("json", b"{"),
        ):
            answer = self.client.get(self.url(f"/stations/{made['id']}/sheet.{ending}"))
            self.assertTrue(answer.content.startswith(begins), ending)
            self.assertIn(f'filename="quay-leas-editor-2.{ending}"', answer["Content-Disposition"])

    def test_from_the_command_line(self) -> None:
        told = self.call("sheet", "--project", "quay", "--station", "renderer")
        self.assertEqual((told["station"], told["revision"]), ("Renderer", 1))
        target = self.folder / "sheet.html"
        self.assertEqual(
            self.call("sheet", "--project", "quay", "--station", "Renderer", "--output", target)["format"], "html"
        )
        self.assertIn("settings for the renderer", target.read_text())
        self.call(
            "sheet", "--project", "quay", "--station", "Renderer", "--format", "json", "--output", self.folder / "a.txt"
        )
        self.assertEqual(json.loads((self.folder / "a.txt").read_text())["station"], "Renderer")
        self.refused_command("Applications: Renderer, Compositor", "sheet", "--project", "quay", "--station", "Oven")
        asked = ("sheet", "--project", "quay", "--station", "Renderer", "--output", self.folder / "a.doc")
        self.refused_command("A sheet ends with one of", *asked)
