"""Conversions through HTTP: foreseen, made, read back, cancelled, taken up after a crash; and the lists that leave."""

import csv
import io
import os
import zipfile
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import OpenEXR
from django.conf import settings
from django.test import override_settings

from saltwort.core.engine import apply, space_processor
from saltwort.core.images import read_header, read_pixels
from saltwort.demo.textures import noise, normals
from saltwort.server.conversions import operations
from saltwort.server.conversions.models import Conversion
from saltwort.server.history.operations import forget_all
from saltwort.server.housekeeping import tidy
from saltwort.server.images.operations import store_file
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import WORKER, settle_interrupted
from saltwort.server.projects.models import Project
from saltwort.server.scene.operations import set_rig
from saltwort.server.textures.operations import add_texture
from saltwort.server.textures.readings import spaces_by_path
from tests.samples import LINEAR_REC709, SRGB, light, project_config, write
from tests.server import ServerTestCase


class ConversionTestCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.share = self.folder / "share"
        self.share.mkdir()
        allowed = override_settings(READABLE_FOLDERS=[self.share])
        allowed.enable()
        self.addCleanup(allowed.disable)

    def order(self, **order: Any) -> dict[str, Any]:
        return {"space": "ACEScg", "format": "exr-half", **order}

    def convert(self, **order: Any) -> Any:
        """Order a conversion, have it made, and give it back as the list shows it, with its files."""
        made = self.tell("post", "/conversions", 201, **self.order(**order))
        self.do_jobs()
        return self.listed(made["id"])

    def listed(self, conversion: int) -> Any:
        """A conversion as the list shows it, with its files."""
        found = next(listed for listed in self.ask("/conversions") if listed["id"] == conversion)
        return {**found, "files": self.ask(f"/conversions/{conversion}/files")["files"]}

    def file(self, conversion: Any, target: str) -> Path:
        return Conversion.objects.get(pk=conversion["id"]).folder / target


class Converting(ConversionTestCase):
    def test_every_file_holds_the_engines_numbers_and_data_its_own(self) -> None:
        self.texture("wall/wall_col.1001.png", "uint16")
        self.texture("wall/wall_rough.1001.png", "uint16", seed=2)
        made = self.convert()
        self.assertEqual((made["job"]["state"], made["space"], made["revision"]), ("done", "ACEScg", 1))
        self.assertRegex(
            made["job"]["message"], r"^2 files are converted and read back; the largest error is 0.000\d+\.$"
        )
        colour, data = made["files"]
        self.assertEqual(
            (colour["target"], data["target"]), ("wall/wall_col_ACEScg.1001.exr", "wall/wall_rough_Raw.1001.exr")
        )
        self.assertEqual((data["source_space"], data["space"]), ("Raw", "Raw"))
        pixels = read_pixels(self.folder / "files" / "wall_col.1001.png")
        expected = apply(space_processor(project_config(), SRGB, "ACEScg"), pixels)
        found = read_pixels(self.file(made, colour["target"]))
        self.assertAlmostEqual(float(np.abs(found - expected).max()), colour["figures"]["largest_error"], places=6)
        np.testing.assert_allclose(
            read_pixels(self.file(made, data["target"])),
            read_pixels(self.folder / "files" / "wall_rough.1001.png"),
            atol=2**-12,
        )
        self.assertEqual(read_header(self.file(made, colour["target"])).tags["colorInteropID"], "lin_ap1_scene")

    def test_layers_of_data_are_told_before_and_after_and_put_right_by_hand(self) -> None:
        file = self.folder / "aovs.exr"
        random = np.random.default_rng(8)
        names = [f"{layer}{last}" for layer in ("", "N.", "warm.") for last in "RGB"]
        planes = {name: random.random((24, 32)).astype(np.float16) for name in names}
        with OpenEXR.File({}, dict(planes)) as made:
            made.write(str(file))
        add_texture(self.project, "aovs_col.exr", store_file(file, "aovs_col.exr"))
        asked = {"space": LINEAR_REC709, "format": "exr-half"}
        (planned,) = self.tell("post", "/conversions/preview", 200, **asked)["files"]
        self.assertEqual(planned["notes"], ["N: data, called as normals are: it keeps its numbers."])
        cases = (({"N"}, {}), ({"N", "warm"}, {"data_layers": "warm"}), (set(), {"colour_layers": "N, fog"}))
        for data, by_hand in cases:
            with self.subTest(by_hand):
                conversion = self.convert(**asked, **by_hand)
                (done,) = conversion["files"]
                self.assertEqual(set(done["figures"]["data"]), data)
                with OpenEXR.File(str(self.file(conversion, done["target"])), separate_channels=True) as written:
                    found = {name: channel.pixels for name, channel in written.channels().items()}
                for name, plane in planes.items():
                    self.assertEqual(np.array_equal(found[name], plane), name.rpartition(".")[0] in data, name)
        refused = self.tell("post", "/conversions/preview", 400, **asked, data_layers="N", colour_layers="N")
        self.assertIn("is in both lists", refused["detail"])

    def test_green_is_flipped_where_it_points_down(self) -> None:
        up = normals(noise(5, (48, 64), 6))
        down = np.stack([up[..., 0], 1 - up[..., 1], up[..., 2]], axis=2)
        for name, pixels in (("up_normal.png", up), ("down_normal.png", down)):
            self.send("/textures", write(self.folder / name, pixels, "uint16"), path=name)
        self.texture("wall_col.png")
        asked = self.order(format="png-16", flip_green=True, pattern="{name}_out")
        files = self.tell("post", "/conversions/preview", **asked)["files"]
        told = {file["path"]: file["notes"] for file in files}
        self.assertLess(max(file["lost"] for file in files if "normal" in file["path"]), 1e-4)
        is_told = {path: any("green is flipped" in note for note in notes) for path, notes in told.items()}
        self.assertEqual(is_told, {"up_normal.png": False, "down_normal.png": True, "wall_col.png": False})
        made = self.convert(format="png-16", flip_green=True, pattern="{name}_out")
        flipped = {file["path"]: file["flips_green"] for file in made["files"]}
        self.assertEqual(flipped, is_told)
        folder = Conversion.objects.get().folder
        for name in ("up", "down"):
            found = read_pixels(folder / f"{name}_normal_out.png")
            np.testing.assert_allclose(found, up, atol=1e-5)

    def test_gloss_becomes_roughness_and_the_other_way(self) -> None:
        """By the word in the name, whatever its capitals; what has no such word, or is no such map, stays."""
        given, lamp = {}, "lamp_SMOOTHNESS.1001.tif"
        for seed, name in enumerate(("wall_gloss.png", "Rope_Roughness.png", lamp, "quay_mask.png")):
            pixels = noise(seed, (24, 32), 4)[..., np.newaxis]
            self.send("/textures", write(self.folder / name, pixels, "uint16"), path=name)
            given[name] = read_pixels(self.folder / name)
        for wanted, names in (
            ("roughness", {"wall_gloss.png": "wall_roughness.png", lamp: "lamp_ROUGHNESS.1001.png"}),
            ("gloss", {"Rope_Roughness.png": "Rope_Gloss.png"}),
        ):
            asked = {"format": "png-16", "pattern": "{name}", "roughness_as": wanted}
            plan = self.tell("post", "/conversions/preview", **self.order(**asked))["files"]
            told = {file["path"] for file in plan if any("inverted" in note for note in file["notes"])}
            self.assertEqual(told, set(names))
            made = self.convert(**asked)
            self.assertEqual({file["path"] for file in made["files"] if file["inverts"]}, set(names))
            for file in made["files"]:
                with self.subTest(file["path"], wanted=wanted):
                    self.assertLess(file["figures"]["largest_error"], 1e-4)
                    found, before = read_pixels(self.file(made, file["target"])), given[file["path"]]
                    if file["path"] in names:
                        self.assertEqual(file["target"], names[file["path"]])
                        np.testing.assert_allclose(found, 1 - before, atol=1e-4)
                    else:
                        np.testing.assert_array_equal(found, before)

    def test_a_gloss_map_beside_its_roughness_map_takes_no_name_twice(self) -> None:
        for seed, name in enumerate(("wall_gloss.png", "wall_roughness.png")):
            file = write(self.folder / name, noise(seed, (24, 32), 4)[..., np.newaxis], "uint16")
            self.send("/textures", file, path=name)
        made = self.convert(format="png-16", pattern="{name}", roughness_as="roughness")
        reasons = {file["path"]: file["reason"] for file in made["files"]}
        self.assertEqual(made["converted"], 1)
        self.assertIn("Another file is converted into", reasons["wall_roughness.png"] or reasons["wall_gloss.png"])

    def test_what_is_no_gloss_map_is_not_inverted(self) -> None:
        self.send("/textures", write(self.folder / "a_gloss.exr", light(peak=4.0), "half"), path="a_gloss.exr")
        (file,) = self.tell("post", "/conversions/preview", **self.order(roughness_as="roughness"))["files"]
        self.assertIn("beyond 0 to 1", file["refused"])

    def test_only_what_is_chosen(self) -> None:
        wall, _ = self.texture("wall_col.png"), self.texture("rope_col.png", seed=2)
        made = self.convert(textures=[wall.pk], space=LINEAR_REC709, format="tif-16", pattern="{name}_lin")
        self.assertEqual([file["target"] for file in made["files"]], ["wall_col_lin.tif"])

    def test_files_of_one_name_do_not_meet(self) -> None:
        for seed, path in enumerate(("wall_col.png", "wall_col.tif")):
            self.texture(path, seed=seed)
        targets = [file["target"] for file in self.convert(pattern="{name}")["files"]]
        self.assertEqual(targets, ["wall_col_png.exr", "wall_col_tif.exr"])

    def test_into_a_folder_of_the_machine_where_nothing_is_overwritten(self) -> None:
        self.texture("wall_col.png")
        self.texture("rope_col.png", seed=2)
        place = self.share / "out"
        standing = write(place / "wall_col_ACEScg.exr", light(peak=1.0, seed=9), "half").read_bytes()
        plan = self.tell("post", "/conversions/preview", **self.order(place=str(place)))
        self.assertEqual([bool(file["refused"]) for file in plan["files"]], [True, False])
        made = self.convert(place=str(place))
        self.assertRegex(made["job"]["message"], "1 file is converted .* 1 could not be")
        self.assertEqual((place / "wall_col_ACEScg.exr").read_bytes(), standing)
        self.assertTrue((place / "rope_col_ACEScg.exr").exists())
        self.refused("post", "/conversions", "None of these files can be converted", **self.order(place=str(place)))
        self.refused("post", "/conversions", "outside the folders", **self.order(place="/etc"))
        self.tell("delete", f"/conversions/{made['id']}", 204)
        self.assertTrue((place / "rope_col_ACEScg.exr").exists())

    def test_what_it_will_do_is_told_before(self) -> None:
        self.texture("sky_env.exr", "half")
        write_wide = write(self.folder / "green.exr", np.full((8, 8, 3), (0.0, 1.0, 0.0), np.float32), "half")
        self.send("/textures", write_wide, path="green_col.exr")
        plan = self.tell("post", "/conversions/preview", **self.order(space=LINEAR_REC709, format="tif-16"))
        told = {file["path"]: file for file in plan["files"]}
        self.assertGreater(told["green_col.exr"]["negative"], 0.3)
        self.assertGreater(told["green_col.exr"]["clipped"], 0.3)
        self.assertEqual(told["green_col.exr"]["bytes"], 8 * 8 * 3 * 2)
        self.assertEqual(plan["bytes"], sum(file["bytes"] for file in plan["files"]))
        self.assertEqual(Conversion.objects.count(), 0)

    def test_orders_that_cannot_be(self) -> None:
        self.refused("post", "/conversions", "no file to convert", **self.order())
        self.texture("wall_col.png")
        self.refused("post", "/conversions", "no colour space", **self.order(space="Nowhere"))
        self.refused("post", "/conversions", "A name pattern", **self.order(pattern="../{name}"))
        self.refused("post", "/conversions", "not a valid choice", **self.order(format="gif"))

    def test_they_are_fetched_as_a_zip_and_go_once_removing_them_cannot_be_undone(self) -> None:
        self.texture("a/wall_col.png")
        made = self.convert()
        with zipfile.ZipFile(io.BytesIO(self.ask(f"/conversions/{made['id']}/files.zip"))) as packed:
            self.assertEqual(packed.namelist(), ["a/wall_col_ACEScg.exr"])
            self.assertIsNone(packed.testzip())
        folder = Conversion.objects.get().folder
        self.tell("delete", f"/conversions/{made['id']}", 204)
        os.utime(folder, (1, 1))
        tidy()
        self.assertTrue(folder.exists())
        forget_all(self.project)
        tidy()
        self.assertFalse(folder.exists())


class InUse(ConversionTestCase):
    def use(self, conversion: int) -> str:
        """Have the project use the files of an order; gives how the job ended."""
        job = self.tell("post", f"/conversions/{conversion}/use", 202)
        self.do_jobs()
        message: str = Job.objects.get(pk=job["id"]).message
        return message

    def textures(self) -> dict[str, str]:
        return {path: space for path, space, _ in spaces_by_path(Project.objects.get(pk=self.project.pk))}

    def as_light(self, path: str, space: str) -> np.ndarray:
        image = self.project.textures.get(path=path).image
        return apply(space_processor(project_config(), space, "ACEScg"), read_pixels(image.file)[..., :3])

    def test_sheets_rig_and_findings_follow_and_one_undo_takes_it_back(self) -> None:
        self.texture("wall_col.png")
        self.texture("wall_rough.png", seed=2)
        set_rig(self.project, 1, "", [("stone", "wall_col.png")])
        before, was = self.textures(), self.as_light("wall_col.png", SRGB)
        made = self.convert()
        self.assertEqual(made["usable"], 2)
        self.assertIn("2 textures are replaced", self.use(made["id"]))
        after = self.textures()
        self.assertEqual(after, {"wall_col_ACEScg.exr": "ACEScg", "wall_rough_Raw.exr": "Raw"})
        np.testing.assert_allclose(self.as_light("wall_col_ACEScg.exr", "ACEScg"), was, atol=1e-3)
        slots = {slot["name"]: slot["path"] for slot in self.ask("/rig")["slots"]}
        self.assertEqual(slots["stone"], "wall_col_ACEScg.exr")
        station = self.ask("/stations")[0]["id"]
        paths = [row["path"] for row in self.ask(f"/stations/{station}/textures")["rows"]]
        self.assertEqual(paths, list(after))
        self.assertEqual(self.listed(made["id"])["usable"], 0)
        self.refused("post", f"/conversions/{made['id']}/use", "uses these files already")
        self.undo()
        self.assertEqual(self.textures(), before)
        self.assertEqual({slot["name"]: slot["path"] for slot in self.ask("/rig")["slots"]}["stone"], "wall_col.png")
        self.assertEqual(self.listed(made["id"])["usable"], 2)

    def test_a_space_that_the_rules_do_not_give_is_set_manually(self) -> None:
        self.texture("wall_col.png")
        made = self.convert(pattern="{name}", format="png-16", space=LINEAR_REC709)
        self.use(made["id"])
        (texture,) = self.project.textures.all()
        self.assertEqual(self.textures(), {texture.path: LINEAR_REC709})
        self.assertIn("converted from wall_col.png", texture.pin_note)

    def test_it_is_refused_where_another_texture_or_nothing_has_that_name(self) -> None:
        self.texture("wall_col.png")
        made = self.convert()
        other = self.texture("wall_col_ACEScg.exr", "half", seed=5)
        self.refused("post", f"/conversions/{made['id']}/use", "Another texture is called wall_col_ACEScg.exr")
        self.tell("post", "/textures/remove", 204, textures=[other.pk])
        self.file(made, "wall_col_ACEScg.exr").unlink()
        self.refused("post", f"/conversions/{made['id']}/use", "removed from the media folder")
        self.assertEqual(list(self.textures()), ["wall_col.png"])

    def test_a_texture_that_goes_meanwhile_is_left_alone(self) -> None:
        self.texture("wall_col.png")
        second = self.texture("rope_col.png", seed=2)
        made = self.convert()
        self.tell("post", "/textures/remove", 204, textures=[second.pk])
        self.assertIn("1 texture is replaced", self.use(made["id"]))
        self.assertEqual(list(self.textures()), ["wall_col_ACEScg.exr"])

    def test_a_linked_folder_that_is_rescanned_brings_no_original_back(self) -> None:
        write(self.share / "quay" / "wall_col.png", light(peak=1.0), "uint8")
        self.tell("post", "/texture-folders", 201, place=str(self.share / "quay"))
        self.do_jobs()
        self.assertEqual(list(self.textures()), ["quay/wall_col.png"])
        self.use(self.convert()["id"])
        self.tell("post", f"/texture-folders/{self.project.texture_folders.get().pk}/look-again")
        self.do_jobs()
        self.assertEqual(list(self.textures()), ["quay/wall_col_ACEScg.exr"])
        self.assertFalse(self.project.left_out.exists())
        self.assertTrue((self.share / "quay" / "wall_col.png").exists())


class Interrupted(ConversionTestCase):
    def test_cancelling_keeps_what_is_done_and_no_half_files(self) -> None:
        for seed in range(9):
            self.texture(f"wall_{seed:03}_col.png", seed=seed)
        settle = operations._settle

        def settle_and_cancel(*asked: Any) -> None:
            settle(*asked)
            Job.objects.update(cancel_requested=True)

        with (
            patch.object(operations, "_settle", settle_and_cancel),
            patch("saltwort.server.jobs.spread.SETTLED_TOGETHER", 1),
            patch("saltwort.server.jobs.operations.REPORT_EVERY", 0),
        ):
            made = self.convert()
        self.assertEqual(made["job"]["state"], "cancelled")
        done = [file for file in made["files"] if file["state"] == "converted"]
        self.assertTrue(1 <= len(done) < 9)
        self.assertRegex(made["job"]["message"], rf"^Cancelled\. {len(done)} file")
        standing = list(Conversion.objects.get().folder.rglob("*.exr"))
        self.assertTrue(len(done) <= len(standing) <= len(done) + 8)
        for path in standing:
            read_pixels(path)

    def test_after_a_crash_each_file_is_there_once_and_right(self) -> None:
        for seed in range(5):
            self.texture(f"wall_{seed:03}_col.png", seed=seed)
        convert = operations.convert

        def die_after_writing(*asked: Any, **more: Any) -> Any:
            done = convert(*asked, **more)
            if "002" in done.path:
                raise KeyboardInterrupt
            return done

        with patch.object(operations, "convert", die_after_writing), self.assertRaises(KeyboardInterrupt):
            self.convert()
        settle_interrupted(WORKER)
        self.do_jobs()
        made = self.listed(Conversion.objects.get().pk)
        self.assertEqual((made["job"]["state"], {file["state"] for file in made["files"]}), ("done", {"converted"}))
        self.assertEqual(len(list(Conversion.objects.get().folder.rglob("*.*"))), 5)

    def test_a_texture_that_is_gone_is_noted(self) -> None:
        texture = self.texture("wall_col.png")
        self.texture("rope_col.png", seed=2)
        self.tell("post", "/conversions", 201, **self.order())
        self.tell("post", "/textures/remove", 204, textures=[texture.pk])
        self.do_jobs()
        reasons = {file["path"]: file["reason"] for file in self.listed(Conversion.objects.get().pk)["files"]}
        self.assertEqual(reasons, {"rope_col.png": "", "wall_col.png": "wall_col.png is no longer in the project."})


class Lists(ConversionTestCase):
    def test_the_manifest_says_how_each_texture_is_read(self) -> None:
        self.texture("wall/wall_col.1001.png", "uint16")
        rough = self.texture('wall/wall, "rough".png', seed=2)
        self.tell("put", f"/textures/{rough.pk}/pin", based_on=1, space=SRGB, note="too, dark")
        rows = self.ask("/textures/manifest.json")
        self.assertEqual([row["path"] for row in rows], ['wall/wall, "rough".png', "wall/wall_col.1001.png"])
        self.assertEqual(
            (rows[1]["space"], rows[1]["reason"], rows[1]["tile"], rows[1]["map_kind"]),
            (SRGB, "default", "1001", "base_colour"),
        )
        self.assertIn("texture.data-read-as-colour", rows[0]["findings"])
        table = list(csv.DictReader(io.StringIO(self.ask("/textures/manifest.csv").decode())))
        self.assertEqual([row["path"] for row in table], [row["path"] for row in rows])
        self.assertEqual((table[0]["rule_or_note"], table[1]["bit_depth"]), ("too, dark", "16-bit"))
        self.assertEqual(table[1]["sha256"], rows[1]["sha256"])

    def test_the_report_of_a_conversion_holds_its_figures(self) -> None:
        self.texture("wall_col.png")
        made = self.convert()
        row = self.ask(f"/conversions/{made['id']}/report.json")[0]
        self.assertEqual((row["path"], row["state"]), ("wall_col.png", "converted"))
        self.assertLess(row["largest_error"], 2**-12)
        table = list(csv.DictReader(io.StringIO(self.ask(f"/conversions/{made['id']}/report.csv").decode())))
        self.assertEqual(float(table[0]["largest_error"]), row["largest_error"])


class LongOrders(ConversionTestCase):
    def test_files_come_in_pages_those_refused_first_and_the_report_has_all(self) -> None:
        for seed in range(4):
            self.texture(f"wall_{seed}_col.png", seed=seed)
        place = self.share / "out"
        taken = place / "wall_2_col_ACEScg.exr"
        taken.parent.mkdir()
        taken.write_bytes(b"somebody's")
        made = self.convert(place=str(place))
        self.assertEqual((made["count"], made["converted"], made["refused"]), (4, 3, 1))
        self.assertEqual(made["size"], sum(file["figures"]["size"] for file in made["files"][1:]))
        first = self.ask(f"/conversions/{made['id']}/files?limit=2")
        self.assertEqual(first["total"], 4)
        self.assertEqual([file["path"] for file in first["files"]], ["wall_2_col.png", "wall_0_col.png"])
        rest = self.ask(f"/conversions/{made['id']}/files?limit=2&offset=2")["files"]
        self.assertEqual([file["path"] for file in rest], ["wall_1_col.png", "wall_3_col.png"])
        report = self.ask(f"/conversions/{made['id']}/report.csv").decode()
        self.assertEqual(len(list(csv.DictReader(io.StringIO(report)))), 4)

    def test_a_plan_lists_what_is_doubtful_and_counts_all(self) -> None:
        for seed in range(3):
            self.texture(f"wall_{seed}_col.png", seed=seed)
        red = np.full((8, 8, 3), (0.1, -0.4, 0.2), np.float32)
        file = write(self.folder / "files" / "red_col.exr", red, "float")
        add_texture(self.project, "red_col.exr", store_file(file, "red_col.exr"))
        with patch("saltwort.server.conversions.views.MOST_PLANNED", 2):
            plan = self.tell("post", "/conversions/preview", **self.order(space=SRGB, format="png-16"))
        self.assertEqual((plan["count"], plan["refused"], len(plan["files"])), (4, 0, 2))
        self.assertEqual(plan["files"][0]["path"], "red_col.exr")
        self.assertGreaterEqual(plan["outside"], 1)


class Media(ConversionTestCase):
    def test_a_conversion_uses_the_config_of_its_own_revision(self) -> None:
        self.texture("wall_col.png")
        made = self.tell("post", "/conversions", 201, **self.order())
        self.tell("post", "/setup", based_on=1, message="another default", default_space="Raw")
        self.do_jobs()
        listed = self.listed(made["id"])
        self.assertEqual((listed["revision"], listed["files"][0]["source_space"]), (1, SRGB))
        self.assertTrue(list((Path(settings.MEDIA_ROOT) / "configs").glob("*.zip")))


class MaterialDocuments(ServerTestCase):
    def test_documents_of_all_sets_leave_and_are_compared(self) -> None:
        for path in ("wall/wall_col.1001.png", "wall/wall_rough.1001.png", "rope/rope_col.png", "dusk_sky.hdr"):
            self.texture(path, "float" if path.endswith("hdr") else "uint8", seed=len(path))
        with zipfile.ZipFile(io.BytesIO(self.ask("/textures/materials.zip"))) as packed:
            self.assertEqual(sorted(packed.namelist()), ["rope/rope.mtlx", "wall/wall.mtlx"])
            wall = packed.read("wall/wall.mtlx")
        self.tell("post", "/setup", based_on=1, message="raw", default_space="ACEScg")
        file = self.folder / "wall.mtlx"
        file.write_bytes(wall)
        rows = self.send("/textures/compare-material", file, 200)
        self.assertEqual(
            [(row["texture"], row["agrees"]) for row in rows],
            [("wall/wall_col.1001.png", False), ("wall/wall_rough.1001.png", True)],
        )
        bad = write(self.folder / "a.png", light(peak=1.0), "uint8")
        self.assertIn("no MaterialX document", self.send("/textures/compare-material", bad, 400)["detail"])
