"""Undo takes back the last thing done, whatever it was, and redo does it again: to the row."""

import os
import time
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core import serializers
from django.test import override_settings

from saltwort.core.views.grade import Grade
from saltwort.server.history.models import Action
from saltwort.server.history.operations import MOST_ACTIONS, forget_old
from saltwort.server.housekeeping import tidy
from saltwort.server.images.models import StoredImage
from saltwort.server.outputs.models import Output
from saltwort.server.projects.models import Project
from saltwort.server.textures.models import Texture
from tests.samples import ACES_SDR, SRGB, light, write
from tests.server import ServerTestCase

RECORDED = (
    "textures",
    "left_out",
    "texture_folders",
    "renders",
    "stations",
    "kept_comparisons",
    "outputs",
    "conversions",
)
ENAMEL = {"name": "enamel", "unit": "hex", "text": "#c8102e", "space": SRGB, "note": ""}


class UndoOfEveryKind(ServerTestCase):
    """Each kind of change, taken back and done again, is held to all rows that a project has."""

    def setUp(self) -> None:
        super().setUp()
        self.texture("wall/wall_col.png")
        self.texture("wall/wall_rough.png", seed=2)
        self.dusk = self.render()
        readable = override_settings(READABLE_FOLDERS=(self.folder,))
        readable.enable()
        self.addCleanup(readable.disable)

    def stands(self) -> dict[str, Any]:
        """All rows of the project, but for versions, which count undo as well."""
        project = Project.objects.get(pk=self.project.pk)
        rows = {name: serializers.serialize("python", getattr(project, name).order_by("pk")) for name in RECORDED}
        files = [file for conversion in project.conversions.all() for file in conversion.files.all()]
        rows["files"] = serializers.serialize("python", files)
        for listed in rows.values():
            for row in listed:
                row["fields"].pop("version", None)
        return {**rows, "revision": project.current.number, "tracer": project.tracer, "swatches": self.ask("/swatches")}

    def assert_undone(self, change: Callable[[], object], words: str) -> None:
        before, readings = self.stands(), self.listed()
        change()
        after, read = self.stands(), self.listed()
        self.assertNotEqual(before, after)
        self.assertRegex(self.ask()["undo"]["what"], words)
        self.assertRegex(self.undo()["what"], words)
        self.assertEqual(self.stands(), before)
        self.assertEqual(_without_versions(self.listed()), _without_versions(readings))
        self.assertRegex(self.redo()["what"], words)
        self.assertEqual(self.stands(), after)
        self.assertEqual(_without_versions(self.listed()), _without_versions(read))
        self.assertIsNone(self.ask()["redo"])

    def pins(self, *spaces: str) -> list[dict[str, Any]]:
        textures = zip(self.project.textures.all(), spaces, strict=True)
        return [{"texture": row.pk, "based_on": row.version, "space": space, "note": "seen"} for row, space in textures]

    def in_folder(self) -> Path:
        folder = self.folder / "show"
        folder.mkdir()
        write(folder / "floor_col.png", light(peak=1.0, seed=7), "uint8")
        (folder / "torn_col.png").write_bytes(b"\x89PNG\r\n\x1a\n torn")
        return folder

    def link_folder(self) -> None:
        self.tell("post", "/texture-folders", 201, place=str(self.in_folder()))

    def output(self) -> Output:
        self.tell("post", "/outputs", 201, kind="still", render=self.dusk.pk)
        self.do_jobs()
        return self.project.outputs.get()

    def converted(self) -> int:
        wall = self.project.textures.first()
        asked = {"textures": [wall.pk], "space": "ACEScg", "format": "exr-half"}
        made: int = self.tell("post", "/conversions", 201, **asked)["id"]
        self.do_jobs()
        return made

    def test_changes_of_the_setup(self) -> None:
        for words, change in {
            "Work in it": lambda: self.tell(
                "post", "/setup", based_on=self.revision(), message="Work in it", working_space="Linear Rec.2020"
            ),
            "Swatch enamel added": lambda: self.tell("put", "/swatches", based_on=self.revision(), was="", **ENAMEL),
            "Swatch enamel deleted": lambda: self.tell(
                "post", "/swatches/remove", based_on=self.revision(), names=["enamel"]
            ),
            "Test colour": lambda: self.tell(
                "put", "/tracer", based_on=self.ask()["tracer"]["version"], space=SRGB, unit="8-bit", text="1 2 3"
            ),
            "Revision 2 made current": lambda: self.tell("post", "/revisions", based_on=self.revision(), number=2),
        }.items():
            with self.subTest(words):
                self.assert_undone(change, words)

    def test_changes_of_textures(self) -> None:
        self.assert_undone(self.link_folder, "Folder show linked")
        self.tell("post", f"/texture-folders/{self.project.texture_folders.get().pk}/look-again")
        for words, change in {
            "wall_col.png: set by hand to ACEScg": lambda: self.tell(
                "put", "/textures/pins", 204, pins=self.pins("ACEScg", "")[:1]
            ),
            "2 files: set by hand to several spaces": lambda: self.tell(
                "put", "/textures/pins", 204, pins=self.pins(SRGB, "ACEScg")
            ),
            "wall_col.png: map kind normal": lambda: self.tell(
                "put",
                f"/textures/{self.project.textures.first().pk}/kind",
                based_on=self.project.textures.first().version,
                kind="normal",
            ),
            "2 files: back to the rules": lambda: self.tell("put", "/textures/pins", 204, pins=self.pins("", "")),
            "wall/wall_col.png imported": lambda: self.texture("wall/wall_col.png", seed=5),
            "wall/wall_rough.png removed": lambda: self.tell(
                "post", "/textures/remove", 204, textures=[Texture.objects.get(path="wall/wall_rough.png").pk]
            ),
            "Textures imported from show": self.do_jobs,
            "Folder show unlinked": lambda: self.tell(
                "delete", f"/texture-folders/{self.project.texture_folders.get().pk}", 204
            ),
            "torn_col.png taken off the list": lambda: self.tell(
                "post",
                "/fix",
                204,
                based_on=self.revision(),
                operation="forget-file",
                arguments={"path": "show/torn_col.png"},
            ),
        }.items():
            with self.subTest(words):
                self.assert_undone(change, words)

    def test_the_inverse_of_a_view_gives_way_with_the_space_that_was_added_for_it(self) -> None:
        wall = self.project.textures.first()
        view = {"display": ACES_SDR.display, "view": ACES_SDR.view}
        self.assert_undone(
            lambda: self.tell("post", f"/textures/{wall.pk}/read-undone", based_on=wall.version, **view), "Add Undone"
        )

    def test_changes_of_renders_and_what_was_made_of_them(self) -> None:
        made = self.output()
        self.ask("/comparison")
        comparison = self.project.comparison
        comparison.change(comparison.version, render=self.dusk)
        for words, change in {
            "dusk.exr: read as ACEScg": lambda: self.tell(
                "put", f"/renders/{self.dusk.pk}", based_on=1, space="ACEScg"
            ),
            "Render dusk.exr removed": lambda: self.tell("delete", f"/renders/{self.dusk.pk}", 204),
        }.items():
            with self.subTest(words):
                self.assert_undone(change, words)
        self.undo()
        self.assertEqual(Output.objects.get(pk=made.pk).render_id, self.dusk.pk)
        comparison.refresh_from_db()
        self.assertEqual(comparison.render_id, self.dusk.pk)
        self.assert_undone(lambda: self.render("noon.exr"), "Render noon.exr added")

    def test_changes_of_applications(self) -> None:
        first, second = self.project.stations.all()
        for words, change in {
            "Application Paint added": lambda: self.tell("post", "/stations", 201, name="Paint", reads="textures"),
            "changed": lambda: self.tell(
                "put", f"/stations/{first.pk}", based_on=first.version, abilities={"ocio_version": "2.1"}
            ),
            "Applications ordered": lambda: self.tell(
                "put", "/station-order", stations=[second.pk, first.pk, self.project.stations.last().pk]
            ),
            "removed": lambda: self.tell("delete", f"/stations/{second.pk}", 204),
        }.items():
            with self.subTest(words):
                self.assert_undone(change, words)

    def test_outputs_and_conversions_are_removed_and_come_back_with_their_files(self) -> None:
        output, conversion = self.output(), self.converted()
        for words, path in {
            "Output .* removed": f"/outputs/{output.pk}",
            "Conversion": f"/conversions/{conversion}",
        }.items():
            with self.subTest(words):
                self.assert_undone(lambda path=path: self.tell("delete", path, 204), words)
                self.undo()
        tidy()
        self.assertTrue(self.ask(f"/outputs/{output.pk}/file"))
        self.assertTrue(self.ask(f"/conversions/{conversion}/files.zip"))

    def test_kept_comparisons(self) -> None:
        pane = {**asdict(ACES_SDR), "exposure": None, "render": None, "layer": None, "working": ""}
        state = {
            "panes": [pane],
            "render": self.dusk.pk,
            "exposure": 0.0,
            "grade": asdict(Grade()),
            "mode": "panes",
            "surround": "dark",
            "marks": "none",
            "window": [0, 0, 1, 1],
            "probes": [],
        }
        self.assert_undone(
            lambda: self.tell("post", "/kept-comparisons", 201, name="Dusk", notes="", state=state),
            "Comparison Dusk kept",
        )
        kept = self.project.kept_comparisons.get()
        self.assert_undone(
            lambda: self.tell("put", f"/kept-comparisons/{kept.pk}", based_on=kept.version, name="Dusk", notes="warm"),
            "Comparison Dusk changed",
        )
        self.assert_undone(lambda: self.tell("delete", f"/kept-comparisons/{kept.pk}", 204), "Comparison Dusk removed")


class Order(ServerTestCase):
    """The last action first; what is done after an undo ends what could be redone."""

    def test_a_pin_is_undone_and_the_revision_stays(self) -> None:
        wall = self.texture("wall_col.png")
        self.tell("post", "/setup", based_on=1, message="Work in it", working_space="Linear Rec.2020")
        self.tell("put", f"/textures/{wall.pk}/pin", based_on=1, space=SRGB)
        self.undo()
        wall.refresh_from_db()
        self.assertEqual((wall.pin_space, self.revision()), ("", 2))
        self.undo()
        self.assertEqual(self.revision(), 1)
        self.redo()
        self.assertEqual(self.revision(), 2)
        self.redo()
        wall.refresh_from_db()
        self.assertEqual(wall.pin_space, SRGB)

    def test_an_import_is_one_action_however_many_chunks_it_takes(self) -> None:
        for number in range(3):
            self.texture(f"{number}.png", seed=number)
        self.assertEqual(Action.objects.count(), 3)  # one by one they are three
        folder = self.folder / "many"
        folder.mkdir()
        for number in range(30):
            write(folder / f"wall{number}_col.png", light(4, 4, peak=1.0, seed=number), "uint8")
        with override_settings(READABLE_FOLDERS=(self.folder,)):
            self.tell("post", "/texture-folders", 201, place=str(folder))
            self.do_jobs()
        self.assertEqual(Action.objects.count(), 5)  # the folder linked, and all that is in it
        self.undo()
        self.assertEqual(self.project.textures.count(), 3)
        self.redo()
        self.assertEqual(self.project.textures.count(), 33)

    def test_something_else_done_ends_redo(self) -> None:
        wall = self.texture("wall_col.png")
        self.tell("put", f"/textures/{wall.pk}/pin", based_on=1, space=SRGB)
        self.undo()
        self.tell("post", "/setup", based_on=1, message="other", default_space="ACEScg")
        self.assertIsNone(self.ask()["redo"])
        self.refused("post", "/redo", "nothing to redo", based_on=1)

    def test_another_window_undoes_first(self) -> None:
        self.texture("wall_col.png")
        last = self.ask()["undo"]["id"]
        self.texture("floor_col.png", seed=2)
        self.refused("post", "/undo", "changed meanwhile", status=409, based_on=last)

    def test_what_was_changed_since_is_not_overwritten(self) -> None:
        wall = self.texture("wall_col.png")
        self.tell("put", f"/textures/{wall.pk}/pin", based_on=1, space=SRGB)
        Texture.objects.filter(pk=wall.pk).update(pin_space="ACEScg")
        self.refused("post", "/undo", "cannot be taken back.*Change it by hand", based_on=self.ask()["undo"]["id"])
        self.undone_rows_are_as_they_were(wall, "ACEScg")
        Texture.objects.filter(pk=wall.pk).delete()
        self.refused("post", "/undo", "cannot be taken back", based_on=self.ask()["undo"]["id"])

    def undone_rows_are_as_they_were(self, wall: Texture, space: str) -> None:
        wall.refresh_from_db()
        self.assertEqual(wall.pin_space, space)

    def test_what_was_read_before_it_was_removed_is_old_once_it_is_back(self) -> None:
        wall = self.texture("wall_col.png")
        for version in (1, 2):
            self.tell("put", f"/textures/{wall.pk}/pin", based_on=version, space=SRGB, note=str(version))
        self.tell("post", "/textures/remove", 204, textures=[wall.pk])
        self.undo()
        for version in (1, 2, 3):
            self.refused("put", f"/textures/{wall.pk}/pin", "changed meanwhile", 409, based_on=version, space="ACEScg")
        self.tell("put", f"/textures/{wall.pk}/pin", based_on=4, space="ACEScg")

    def test_a_path_that_was_taken_meanwhile(self) -> None:
        wall = self.texture("wall_col.png")
        self.tell("post", "/textures/remove", 204, textures=[wall.pk])
        Texture.objects.create(project=self.project, path="wall_col.png", image=wall.image)
        self.refused("post", "/undo", "cannot be taken back", based_on=self.ask()["undo"]["id"])

    def test_pictures_stay_as_long_as_undo_may_need_them(self) -> None:
        wall = self.texture("wall_col.png")
        file = wall.image.file
        self.tell("post", "/textures/remove", 204, textures=[wall.pk])
        self.made_long_ago(file)
        tidy()
        self.undo()
        self.assertTrue(self.ask(f"/textures/{wall.pk}")["facts"])
        self.tell("post", "/textures/remove", 204, textures=[wall.pk])
        for number in range(MOST_ACTIONS):
            Action.objects.create(project=self.project, what=f"{number}")
        self.made_long_ago(file)
        tidy()
        self.assertFalse(StoredImage.objects.exists() or file.exists())

    def made_long_ago(self, file: Path) -> None:
        long_ago = time.time() - 3 * 86_400
        for beside in file.parent.iterdir():
            os.utime(beside, (long_ago, long_ago))

    def test_old_actions_are_forgotten(self) -> None:
        for number in range(MOST_ACTIONS + 5):
            Action.objects.create(project=self.project, what=f"{number}")
        forget_old()
        self.assertEqual(Action.objects.count(), MOST_ACTIONS)
        self.assertEqual(Action.objects.last().what, "5")

    def test_a_new_project_has_nothing_to_undo(self) -> None:
        self.assertIsNone(self.ask()["undo"])


def _without_versions(textures: list[dict[str, Any]]) -> list[dict[str, Any]]:
    return [{name: value for name, value in texture.items() if name != "version"} for texture in textures]
