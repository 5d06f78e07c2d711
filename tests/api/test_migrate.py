"""Scenes that are migrated: by commands, and by what the screen asks."""

import io
import json
import zipfile
from datetime import timedelta
from functools import partial
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from django.utils import timezone

from saltwort.core.migration.balls import balls_beside
from saltwort.server.migrating.models import OldScene
from tests.api.test_commands import CommandTestCase
from tests.core.made_scenes import gltf_scene, materialx_scene, packed_scene, usd_scene
from tests.core.test_migration_writing import state_of
from tests.core.test_scene_documents import SEED
from tests.made_quay import old_quay

PLAN = [
    {"step": "gamma-out"},
    {"step": "declare-textures"},
    {"step": "convert-colours", "to": "ACEScg", "outside": "keep"},
    {"step": "rename-textures", "pattern": "{name}_{space}"},
]


class MigrateTestCase(CommandTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.shows = self.folder / "shows"
        self.scene = old_quay(self.shows / "teaser")
        allowed = override_settings(READABLE_FOLDERS=(self.shows,))
        allowed.enable()
        self.addCleanup(allowed.disable)
        quick = partial(balls_beside, size=(96, 44), samples=1)  # tests of core and of the screen render them in full
        render = patch("saltwort.server.migrating.operations.balls_beside", quick)
        render.start()
        self.addCleanup(render.stop)


class Commands(MigrateTestCase):
    def test_scan_tells_what_is_there(self) -> None:
        found = self.call("scan", self.scene, "--project", "quay")
        self.assertEqual(
            [document["path"] for document in found["documents"]], ["old_quay.usda", "old_quay_lights.usda"]
        )
        self.assertEqual((found["pictures"], found["colours"], len(found["lights"])), (6, 8, 3))
        self.assertIn("gamma-on-data", [habit["code"] for habit in found["habits"]])
        flame = next(light for light in found["lights"] if light["name"] == "Flame")
        self.assertEqual((flame["intensity"], flame["exposure"]), (120.0, 1.0))

    def test_a_folder_stands_for_its_scenes(self) -> None:
        found = self.call("scan", self.scene.parent, "--project", "quay")
        self.assertEqual(len(found["documents"]), 2)
        self.refused_command("holds no scene", "scan", self.scene.parent / "maps", "--project", "quay")

    def test_scan_judges_lights_by_a_render(self) -> None:
        self.render("teaser.exr")
        found = self.call("scan", self.scene, "--project", "quay", "--render", "teaser.exr")
        self.assertIn("raised-lights", [habit["code"] for habit in found["habits"]])

    def test_to_a_working_space_and_back(self) -> None:
        before, output = state_of(self.shows / "teaser"), self.shows / "migrated"
        done = self.call("migrate_scene", self.scene, "--project", "quay", "--to", "ACEScg", "--output", output)
        self.assertEqual(state_of(self.shows / "teaser"), before)
        self.assertEqual((done["report"], done["inputs"]), (1, 14))
        for file in done["written"]["files"]:
            self.assertEqual(state_of(output)[file["path"]], file["sha256"])
        self.assertTrue(all(row["same"] or row["why"] for row in done["proof"]))
        beside = self.shows / "migrated.migration.json"
        self.assertEqual(json.loads(beside.read_text()), done)
        page = (self.shows / "migrated.migration.html").read_text()
        self.assertIn("decoded twice", page)
        self.assertNotIn("<script", page)
        self.assertIsNotNone(OldScene.objects.get().report)
        told = self.call("undo_migration", beside)
        self.assertFalse(output.exists())
        self.assertIn("is removed", told["told"][0])
        self.assertIsNotNone(OldScene.objects.get().undone)

    def test_every_way_with_textures(self) -> None:
        for textures, expected in (
            ("declare", "wall_diff.png"),
            ("rename", "wall_diff_srgb.png"),
            ("convert", "wall_diff_acescg.exr"),
        ):
            output = self.shows / textures
            self.call(
                "migrate_scene",
                self.scene,
                "--project",
                "quay",
                "--to",
                "ACEScg",
                "--textures",
                textures,
                "--output",
                output,
            )
            self.assertIn(f"maps/{expected}", state_of(output))
            self.assertIn(f"@./maps/{expected}@", (output / "old_quay.usda").read_text())

    def test_every_format_by_a_plan(self) -> None:
        plan = self.folder / "plan.json"
        plan.write_text(json.dumps({"steps": ["gamma-out", {"step": "rename-textures", "pattern": "{name}_v2"}]}))
        for make in (usd_scene, materialx_scene, gltf_scene):
            made = make(self.shows / make.__name__, SEED, 4)
            output = self.shows / f"{make.__name__}_out"
            done = self.call("migrate_scene", made.path, "--project", "quay", "--plan", plan, "--output", output)
            self.assertEqual(sum(file["how"] == "renamed" for file in done["written"]["files"]), 4)
            again = self.call("scan", output / made.path.name, "--project", "quay")
            self.assertEqual(again["refused"], [])

    def test_in_place_and_dry(self) -> None:
        before = state_of(self.shows / "teaser")
        asked = ("migrate_scene", self.scene, "--project", "quay", "--to", "ACEScg", "--textures", "rename")
        dry = self.call(*asked, "--dry-run")
        self.assertEqual((state_of(self.shows / "teaser"), dry["written"]), (before, None))
        self.call(*asked, "--in-place")
        self.assertIn("maps/rope_diff_srgb.png", state_of(self.shows / "teaser"))
        self.call("undo_migration", self.shows / "teaser.migration.json")
        self.assertEqual(state_of(self.shows / "teaser"), before)

    def test_what_is_refused(self) -> None:
        asked = ("migrate_scene", self.scene, "--project", "quay", "--to", "ACEScg")
        self.refused_command("--output", *asked)
        self.refused_command("there already", *asked, "--output", self.shows)
        self.refused_command("no colour space", *asked[:-1], "ACESxx", "--dry-run")
        self.refused_command("not linear", *asked[:-1], "sRGB Encoded Rec.709 (sRGB)", "--dry-run")
        self.refused_command("There is no file", "scan", self.shows / "none.usda", "--project", "quay")
        notes = self.shows / "notes.txt"
        notes.write_text("no scene")
        self.refused_command("no scene document", "scan", notes, "--project", "quay")
        self.refused_command(
            "is no plan", "migrate_scene", self.scene, "--project", "quay", "--plan", notes, "--dry-run"
        )
        self.refused_command("no report", "undo_migration", notes)
        dry = self.shows / "dry.json"
        dry.write_text(json.dumps(self.call(*asked, "--dry-run")))
        self.refused_command("dry run", "undo_migration", dry)

    def test_files_outside_are_read_when_allowed(self) -> None:
        text = self.scene.read_text().replace("@./maps/wall_diff.png@", "@../shared/wall_diff.png@")
        self.scene.write_text(text)
        (self.shows / "shared").mkdir()
        (self.shows / "teaser" / "maps" / "wall_diff.png").rename(self.shows / "shared" / "wall_diff.png")
        refused = self.call("scan", self.scene, "--project", "quay")["refused"]
        self.assertIn("outside the folders", refused[0]["why"])
        self.assertEqual(self.call("scan", self.scene, "--project", "quay", "--allow", self.shows)["refused"], [])
        output = self.folder / "out"
        self.call("migrate_scene", self.scene, "--project", "quay", "--allow", self.shows, "--to", "ACEScg",
                  "--textures", "rename", "--output", output)  # fmt: skip
        self.assertIn("shared/wall_diff_srgb.png", state_of(output))
        self.assertIn("@../shared/wall_diff_srgb.png@", (output / "teaser" / "old_quay.usda").read_text())


class Screen(MigrateTestCase):
    def read(self, place: Path | str | None = None) -> dict[str, Any]:
        made = self.tell("post", "/old-scenes", 201, place=str(place or self.scene))
        self.do_jobs()
        found: dict[str, Any] = self.ask(f"/old-scenes/{made['id']}")
        return found

    def test_read_preview_migrate_and_go_back(self) -> None:
        scene = self.read()
        self.assertEqual(len(scene["found"]["habits"]), 9)
        here = f"/old-scenes/{scene['id']}"
        self.tell("post", f"{here}/preview", steps=PLAN)
        self.do_jobs()
        preview = self.ask(here)["preview"]
        self.assertEqual((preview["folder"], preview["inputs"]), ("", 14))
        self.assertEqual(len(preview["changes"]), preview["count"])
        for name in ("before", "after", "difference"):
            self.assertTrue(self.ask(f"{here}/picture/{name}").startswith(b"\x89PNG"))
        self.ask(f"{here}/picture/else", 404)
        output = self.shows / "migrated"
        self.tell("post", f"{here}/migrate", steps=PLAN, output=str(output))
        self.do_jobs()
        migrated = self.ask(here)
        self.assertEqual(migrated["report"]["folder"], str(output))
        self.assertIn("maps/wall_diff_srgb.png", state_of(output))
        self.assertIn(b"Migration of old_quay.usda", self.ask(f"{here}/page"))
        packed = zipfile.ZipFile(io.BytesIO(self.ask(f"{here}/files")))
        self.assertIn("migration.json", packed.namelist())
        self.assertEqual(json.loads(packed.read("migration.json"))["inputs"], 14)
        told = self.tell("post", f"{here}/go-back")["told"]
        self.assertIn("is removed", told[0])
        self.assertFalse(output.exists())
        self.refused("post", f"{here}/go-back", "no migration")

    def test_lights_are_judged_by_a_render(self) -> None:
        self.render("teaser.exr")
        render = self.ask("/renders")[0]["id"]
        here = f"/old-scenes/{self.read()['id']}"
        self.assertEqual(self.ask(here)["render"], None)
        for given, is_seen in ((render, True), (None, False)):
            self.tell("patch", here, render=given)
            self.do_jobs()
            scene = self.ask(here)
            self.assertEqual(scene["render"], given)
            seen = "raised-lights" in [habit["code"] for habit in scene["found"]["habits"]]
            self.assertEqual(seen, is_seen)
        self.tell("patch", here, 404, render=render + 1000)

    def test_a_rescued_frame_is_shown_beside_itself(self) -> None:
        here = f"/old-scenes/{self.read()['id']}"
        for verb, key, more in (("preview", "preview", {}), ("migrate", "report", {"output": str(self.shows / "out")})):
            self.tell("post", f"{here}/{verb}", steps=[{"step": "rescue-frames"}], **more)
            self.do_jobs()
            frame = self.ask(here)[key]["frame"]
            self.assertRegex(frame["name"], r"^teaser\.\d+\.png$")
            # What is rounded to steps of 8 bits is the frame itself: its light gives it back.
            self.assertLess(frame["mean"], 0.3)
            for name in ("frame-before", "frame-after", "frame-difference"):
                self.assertTrue(self.ask(f"{here}/picture/{name}").startswith(b"\x89PNG"))
        page = self.ask(f"{here}/page").decode()
        self.assertIn("Its light through the view once more", page)
        self.assertIn(f"{frame['name']}, its light", page)
        # A report without such a step shows no picture of an earlier one.
        self.tell("post", f"{here}/migrate", steps=PLAN, output=str(self.shows / "other"))
        self.do_jobs()
        self.assertNotIn("rescued frame", self.ask(f"{here}/page").decode())

    def test_a_scene_that_is_sent(self) -> None:
        files = {
            path.relative_to(self.shows / "teaser").as_posix(): path for path in (self.shows / "teaser").rglob("*.*")
        }
        here = f"/old-scenes/{self.tell('post', '/old-scenes/sent', 201)['id']}"
        for part in (list(files)[:3], list(files)[3:]):
            self.send(here, {path: files[path].read_bytes() for path in part})
        self.assertEqual(self.ask("/old-scenes"), [])
        self.tell("post", f"{here}/read")
        self.do_jobs()
        scene = self.ask("/old-scenes")[0]
        self.assertEqual((scene["is_here"], scene["found"]["refused"]), (True, []))
        self.send(here, {"late.usda": b"#usda 1.0\n"}, 400)
        self.refused("post", f"{here}/read", "were sent")
        self.tell("post", f"{here}/migrate", steps=PLAN)
        self.do_jobs()
        names = zipfile.ZipFile(io.BytesIO(self.ask(f"{here}/files"))).namelist()
        self.assertIn("maps/brass_diff_srgb.png", names)
        self.tell("delete", here, 204)
        self.assertEqual(list((self.folder / "media" / "scenes").iterdir()), [])

    def send(self, here: str, files: dict[str, bytes], status: int = 204) -> None:
        sent = [SimpleUploadedFile("x", content) for content in files.values()]
        answer = self.client.post(self.url(f"{here}/sent-files"), {"file": sent, "path": list(files)})
        self.assertEqual(answer.status_code, status, answer.content)

    def test_what_is_sent_and_is_no_scene(self) -> None:
        here = f"/old-scenes/{self.tell('post', '/old-scenes/sent', 201)['id']}"
        for path in ("../out.usda", "/etc/x.usda"):
            self.send(here, {path: b"#usda 1.0\n"}, 400)
        self.send(here, {"maps": b"x"})
        self.send(here, {"maps/wall.png": b"x"}, 400)
        with patch("saltwort.server.migrating.operations.MOST_SENT", 2):
            self.send(here, {"b": b"x", "c": b"x"}, 400)
        self.refused("post", f"{here}/read", "is a scene")
        self.ask(here, 404)
        left = self.tell("post", "/old-scenes/sent", 201)["id"]
        OldScene.objects.filter(pk=left).update(created=timezone.now() - timedelta(days=2))
        self.tell("post", "/old-scenes/sent", 201)
        self.ask(f"/old-scenes/{left}", 404)

    def test_a_folder_with_scenes(self) -> None:
        materialx_scene(self.shows / "both", SEED, 2)
        usd_scene(self.shows / "both", SEED, 2)
        scene = self.read(self.shows / "both")
        self.assertEqual(len(scene["found"]["documents"]), 2)

    def test_temperatures_domes_and_filters_of_lights(self) -> None:
        path = self.shows / "lit.usda"
        path.write_text(
            '#usda 1.0\ndef DomeLight "Sky"\n{\n    color3f inputs:color = (0.5, 0.6, 1)\n'
            "    float inputs:intensity = 1000\n}\n"
            'def SphereLight "Lamp"\n{\n    bool inputs:enableColorTemperature = 1\n'
            "    float inputs:colorTemperature = 2700\n    float inputs:intensity = 2\n}\n"
            'def RectLight "Gel"\n{\n    bool inputs:enableColorTemperature = 1\n    float inputs:intensity = 5\n'
            "    float inputs:colorTemperature = 6500\n    color3f inputs:color = (1, 0.5, 0.25)\n}\n"
            'def SphereLight "Plain"\n{\n    float inputs:intensity = 90\n}\n'
        )
        scene = self.read(path)
        self.assertEqual(self.tell("post", f"/old-scenes/{scene['id']}/read-into")["lights"], 3)
        swatches = {swatch["name"]: swatch for swatch in self.ask("/swatches")}
        self.assertEqual((swatches["Lamp"]["unit"], swatches["Lamp"]["text"]), ("kelvin", "2700"))
        red, green, blue = map(float, swatches["Gel"]["text"].split())
        # A black body of 6,500 K is a little redder than D65, at luminance 1.
        self.assertTrue(1.0 < red < 1.1 and 0.48 < green < 0.5 and 0.23 < blue < 0.26, swatches["Gel"])
        lights = {light["name"]: light["swatch"] for light in self.ask("/lights")}
        self.assertEqual(lights, {"environment": "Sky", "key": "Gel", "flame": "Lamp", "marker": ""})

    def test_pictures_of_a_package_are_taken_in_too(self) -> None:
        package = packed_scene(self.shows / "packed")
        scene = self.read(package)
        self.assertEqual((scene["found"]["pictures"], scene["found"]["refused"]), (2, []))
        self.assertEqual(self.tell("post", f"/old-scenes/{scene['id']}/read-into")["textures"], 3)
        names = sorted(texture["path"] for texture in self.listed())
        self.assertEqual(names, [f"quay.usdz/maps/{name}.png" for name in ("wall.1001", "wall.1002", "wall_rough")])

    def test_taken_into_the_project(self) -> None:
        scene = self.read()
        told = self.tell("post", f"/old-scenes/{scene['id']}/read-into")
        self.assertEqual(told, {"textures": 6, "swatches": 6, "lights": 3})
        self.assertIn("maps/wall_diff.png", [texture["path"] for texture in self.listed()])
        swatches = {swatch["name"]: swatch for swatch in self.ask("/swatches")}
        self.assertEqual(swatches["Flame"]["text"], "1 0.45 0.12")
        lights = {light["name"]: light["swatch"] for light in self.ask("/lights")}
        self.assertEqual(lights, {"environment": "", "key": "Flame", "flame": "Marker", "marker": "Dusk"})
        self.assertEqual(swatches["enamel diffuseColor"]["space"], "Linear Rec.709 (sRGB)")
        self.undo()
        self.undo()
        self.assertEqual((self.listed(), self.ask("/swatches")), ([], []))

    def test_what_is_refused(self) -> None:
        self.refused("post", "/old-scenes", "outside the folders", place="/etc/passwd")
        self.refused("post", "/old-scenes", "There is no scene", place=str(self.shows / "none"))
        scene = self.read()
        here = f"/old-scenes/{scene['id']}"
        self.refused("post", f"{here}/migrate", "outside the folders", steps=PLAN, output="/etc/here")
        self.refused("post", f"{here}/migrate", "there already", steps=PLAN, output=str(self.shows))
        self.refused("post", f"{here}/preview", "has a “step”", steps=[{"to": "x"}])
        self.tell("post", f"{here}/preview", steps=[{"step": "dance"}])
        self.assertIn("no step", self.do_jobs()[0].message)
        self.ask(f"{here}/files", 404)
        broken = self.shows / "broken.usda"
        broken.write_text("#usda 1.0\ndef Xform")
        self.read(broken)
        self.assertIn("no whole USD layer", self.do_jobs()[0].message)

    def test_the_project_moves_on(self) -> None:
        scene = self.read()
        self.assertFalse(scene["is_behind"])
        self.tell("post", "/setup", based_on=self.revision(), message="x", working_space="Linear Rec.709 (sRGB)")
        self.assertTrue(self.ask(f"/old-scenes/{scene['id']}")["is_behind"])
