"""The headless commands, called as a pipeline calls them."""

import io
import json
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from django.conf import settings
from django.core.management import CommandError, call_command

from saltwort.core.findings import codes as codes_of_checks
from saltwort.core.images import read_header, read_pixels
from saltwort.demo.textures import noise, normals
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    fresh_config,
    light,
    write,
    write_damaged,
)
from tests.server import ServerTestCase


class CommandTestCase(ServerTestCase):
    def call(self, *arguments: object) -> Any:
        self.out = io.StringIO()
        call_command(*map(str, arguments), stdout=self.out)
        return self.said()

    def said(self) -> Any:
        """What the last command printed."""
        return json.loads(self.out.getvalue())

    def refused_command(self, words: str, *arguments: object) -> None:
        with self.subTest(words), self.assertRaisesRegex(CommandError, words) as error:
            self.call(*arguments)
        self.assertEqual(error.exception.returncode, 2)
        self.assertNotIn("\n", str(error.exception))


class Inspect(CommandTestCase):
    def test_every_field(self) -> None:
        pixels = np.zeros((4, 6, 3), np.float32)
        pixels[0, 0] = (-1, 2, np.nan)
        rough = write(self.folder / "wall_rough.png", light(peak=1.0), "uint16")
        dusk = write(self.folder / "dusk.exr", pixels, "half", colorInteropID="lin_rec2020_scene")
        first, second = self.call("inspect", rough, dusk)
        self.assertEqual(
            {name: first[name] for name in ("path", "format", "width", "height", "channels", "bit_depth")},
            {"path": str(rough), "format": "PNG", "width": 40, "height": 24, "channels": 3, "bit_depth": "16-bit"},
        )
        self.assertEqual((first["map_kind"], first["suggested_space"]), ("roughness", "Raw"))
        self.assertEqual(second["header"]["colorInteropID"], "lin_rec2020_scene")
        self.assertEqual((second["map_kind"], second["suggested_space"]), (None, "Linear Rec.2020"))
        self.assertEqual(second["verdict"]["space"], "Linear Rec.2020")
        self.assertEqual(second["evidence"][0]["code"], "header.interop-id")
        self.assertIn("texture.non-finite", [finding["code"] for finding in second["findings"]])
        self.assertEqual(first["findings"], [])
        stats = second["stats"]
        self.assertEqual((stats["min"][0], stats["max"][1], stats["non_finite"]), (-1.0, 2.0, 1))
        self.assertAlmostEqual(stats["below_zero"], 1 / 72)
        self.assertAlmostEqual(stats["above_one"], 1 / 72)
        self.assertEqual(len(stats["mean"]), 3)

    def test_nothing_but_nan_is_still_json(self) -> None:
        file = write(self.folder / "nan.exr", np.full((4, 4, 3), np.nan, np.float32), "half")
        self.assertEqual(self.call("inspect", file)[0]["stats"]["mean"], [None, None, None])

    def test_refusals(self) -> None:
        (self.folder / "notes.txt").write_text("hello")
        cut = write_damaged(self.folder / "cut.exr", light(200, 200), "half")
        self.refused_command("not an image", "inspect", self.folder / "notes.txt")
        self.refused_command("damaged", "inspect", cut)
        self.refused_command("cannot be read", "inspect", self.folder / "nowhere.png")


class Assign(CommandTestCase):
    def test_rules_pins_and_default(self) -> None:
        texture = self.texture("lamp/lamp_rough.png")
        self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space=SRGB, note="by eye")
        paths = [
            "any/where/wall_nrm.tif",
            "/jobs/show/lamp/lamp_rough.png",
            "lamp/lamp_rough.png",
            "plain.png",
            "other_lamp_rough.png",
        ]
        rows = self.call("assign", "--project", "quay", *paths)
        self.assertEqual([row["path"] for row in rows], paths)
        self.assertEqual([row["space"] for row in rows], ["Raw", SRGB, SRGB, SRGB, "Raw"])
        self.assertEqual([row["reason"]["kind"] for row in rows], ["rule", "pin", "pin", "default", "rule"])
        self.assertEqual(rows[0]["reason"], {"kind": "rule", "index": 0, "name": "Data maps"})
        self.assertEqual(rows[1]["reason"], {"kind": "pin", "index": None, "name": "by eye"})

    def test_refusals(self) -> None:
        self.refused_command("no project “nowhere”. Projects: quay", "assign", "--project", "nowhere", "a.png")
        self.refused_command("up to 1024 characters", "assign", "--project", "quay", "x" * 2000)


class ExportConfig(CommandTestCase):
    def test_archive_and_folder_load_in_the_engine(self) -> None:
        archive = self.call("export_config", "--project", "quay", "--output", self.folder / "new" / "quay.ocioz")
        folder = self.call("export_config", "--project", "quay", "--output", self.folder / "folder")
        for written in (archive, folder):
            config = ocio.Config.CreateFromFile(written["path"])
            self.assertEqual((config.getName(), config.getDefaultView(SRGB_DISPLAY)), ("quay-r1", ACES_SDR.view))
        self.assertTrue(zipfile.is_zipfile(archive["path"]))

    def test_for_an_older_version_and_trimmed(self) -> None:
        target = self.folder / "old.ocioz"
        written = self.call("export_config", "--project", "quay", "--output", target, "--ocio-version", "2.2", "--trim")
        config = ocio.Config.CreateFromFile(str(target))
        self.assertEqual((config.getMajorVersion(), config.getMinorVersion()), (2, 2))
        self.assertLess(len(config.getColorSpaceNames()), 12)
        self.assertIn({"baked"}, [{part["fate"]} for part in written["replaced"]])
        baked = [part["name"] for part in written["replaced"] if part["fate"] == "baked"]
        self.assertEqual(baked, [ACES_SDR.view])

    def test_what_would_be_replaced_is_told_before_anything_is_written(self) -> None:
        target = self.folder / "new.ocioz"
        asked = ("export_config", "--project", "quay", "--output", target, "--ocio-version", "2.2")
        told = self.call(*asked, "--look")
        self.assertEqual((told["path"], target.exists()), (None, False))
        self.assertEqual(self.call(*asked)["replaced"], told["replaced"])
        self.refused_command(
            "2.1 reads no .ocioz", "export_config", "--project", "quay", "--output", target, "--ocio-version", "2.1"
        )

    def test_a_version_there_is_not(self) -> None:
        self.refused_command(
            "2.9", "export_config", "--project", "quay", "--output", self.folder / "x.zip", "--ocio-version", "2.9"
        )

    def test_a_path_that_cannot_be_written(self) -> None:
        (self.folder / "taken").touch()
        self.refused_command(
            "cannot be written", "export_config", "--project", "quay", "--output", self.folder / "taken" / "x"
        )


class Bake(CommandTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.image = write(self.folder / "dusk.exr", light(30, 40), "float")

    def bake(self, target: str, *more: object, view: str = UNTONED.view) -> list[object]:
        options = ["--project", "quay", "--source", "ACEScg", "--display", SRGB_DISPLAY, "--view", view]
        return ["bake", self.image, *options, "--output", self.folder / target, *more]

    def expected(self, view: str, exposure: float = 0.0) -> np.ndarray:
        pixels = read_pixels(self.image) * np.float32(2**exposure)
        config = ocio.Config.CreateFromBuiltinConfig("cg-config-v5.0.0_aces-v2.1_ocio-v2.6")
        transform = ocio.DisplayViewTransform(src="ACEScg", display=SRGB_DISPLAY, view=view)
        config.getProcessor(transform).getDefaultCPUProcessor().applyRGB(pixels)
        return pixels

    def test_sixteen_bits_unless_said(self) -> None:
        for name, more, steps in (("a.png", (), 65535), ("b.tif", (), 65535), ("c.png", ("--bits", 8), 255)):
            written = self.call(*self.bake(name, *more, view=ACES_SDR.view))
            found = read_pixels(Path(written["path"]))
            self.assertLessEqual(np.abs(found - np.clip(self.expected(ACES_SDR.view), 0, 1)).max(), 0.5 / steps + 1e-6)

    def test_exposure_and_look(self) -> None:
        self.call(*self.bake("a.png", "--exposure", "-1.5"))
        found = read_pixels(self.folder / "a.png")
        np.testing.assert_allclose(found, np.clip(self.expected(UNTONED.view, -1.5), 0, 1), atol=2e-5)
        self.call(*self.bake("b.png", "--look", "ACES 1.3 Reference Gamut Compression"))
        self.assertTrue((self.folder / "b.png").exists())

    def test_other_formats(self) -> None:
        self.call(*self.bake("a.jpg"))
        self.assertEqual(self.call("inspect", self.folder / "a.jpg")[0]["bit_depth"], "8-bit")
        self.call(*self.bake("a.exr"))
        self.assertGreater(read_pixels(self.folder / "a.exr").max(), 1.0)  # display values are not cut in a float file

    def test_refusals_leave_the_picture_and_nothing_else(self) -> None:
        before = self.image.read_bytes()
        self.refused_command("replace the picture itself", *self.bake("dusk.exr"))
        self.refused_command("no view “Nowhere”", *self.bake("a.png", view="Nowhere"))
        self.refused_command("no look “Nowhere”", *self.bake("a.png", "--look", "Nowhere"))
        self.refused_command("a still ends with", *self.bake("a.gif"))
        self.refused_command("JPEG holds 8-bit samples here, not 16-bit", *self.bake("a.jpg", "--bits", "16"))
        self.refused_command("stops", *self.bake("a.png", "--exposure", "1e9"))
        self.assertEqual(self.image.read_bytes(), before)
        self.assertEqual([file.name for file in self.folder.glob("*.*")], ["dusk.exr"])


class Findings(CommandTestCase):
    def test_the_list(self) -> None:
        texture = self.texture("lamp_rough.png")
        self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space=SRGB)
        with self.assertRaises(SystemExit) as ended:  # a blocker stands
            self.call("findings", "--project", "quay")
        self.assertEqual(ended.exception.code, 1)
        finding = self.said()[0]
        self.assertEqual(set(finding), {"code", "level", "subject", "title", "why", "fix", "also"})
        self.assertEqual((finding["code"], finding["level"]), ("texture.data-read-as-colour", "blocker"))
        self.assertEqual(finding["fix"]["arguments"]["space"], "Raw")

    def test_without_a_blocker_it_ends_well(self) -> None:
        self.assertEqual([row for row in self.call("findings", "--project", "quay") if row["level"] == "blocker"], [])


class Convert(CommandTestCase):
    def test_files_are_converted_from_the_space_the_project_reads_them_in(self) -> None:
        colour = write(self.folder / "wall_albedo.png", light(peak=1.0), "uint8")
        data = write(self.folder / "wall_rough.png", light(peak=1.0)[..., :1], "uint8")
        options = ["--project", "quay", "--space", "ACEScg", "--format", "exr-half", "--output", self.folder / "out"]
        first, second = self.call("convert", *options, colour, data)
        self.assertEqual((first["source_space"], first["space"]), (SRGB, "ACEScg"))
        self.assertTrue(first["path"].endswith("wall_albedo_ACEScg.exr"))
        self.assertLess(first["largest_error"], 2**-12)
        self.assertEqual((second["source_space"], second["space"]), ("Raw", "Raw"))
        self.refused_command("nothing is overwritten", "convert", *options, colour)
        other = write(self.folder / "b" / "rope_albedo.png", light(peak=1.0, seed=2), "uint8")
        self.refused_command("nothing is overwritten", "convert", *options, other, colour)
        self.assertFalse((self.folder / "out" / "rope_albedo_ACEScg.exr").exists())  # refused before the first
        namesake = write(self.folder / "c" / "rope_albedo.png", light(peak=1.0, seed=3), "uint8")
        self.refused_command("would both become", "convert", *options, other, namesake)
        bumps = write(self.folder / "bumps_normal.png", normals(noise(5, (48, 64), 6)), "uint16")
        self.refused_command("rope_albedo.png: .* not vectors", "convert", *options, "--flip-green", bumps, other)
        self.assertEqual(list((self.folder / "out").glob("bumps*")), [])
        (flipped,) = self.call("convert", *options, "--flip-green", bumps)
        self.assertTrue(Path(flipped["path"]).exists())
        self.refused_command("no format", "convert", *options[:-4], "--format", "x", "--output", self.folder, colour)


class RenderRig(CommandTestCase):
    def render(self, name: str, *arguments: object) -> np.ndarray:
        self.target = self.folder / name
        size = ("--size", "64x36", "--samples", 2)
        self.call("render_rig", "--project", "quay", "--output", self.target, *size, *arguments)
        return read_pixels(self.target, "")

    def test_lights_layers_and_settings(self) -> None:
        whole = self.render("whole.exr")
        said = self.said()
        self.assertEqual((said["working_space"], said["size"], said["samples"]), ("ACEScg", [64, 36], 2))
        key = read_pixels(self.target, "key")
        brighter = self.render("brighter.exr", "--light", "key=2")
        np.testing.assert_allclose(read_pixels(self.target, "key"), 4 * key, rtol=2e-3, atol=1e-5)
        np.testing.assert_allclose(brighter - whole, 3 * key, rtol=2e-2, atol=2e-2)  # halves of large sums
        alone = self.render("alone.exr", "--solo", "flame")
        np.testing.assert_allclose(alone, read_pixels(self.target, "flame"), rtol=2e-3)
        other = self.render("other.exr", "--working-space", LINEAR_REC709)
        self.assertEqual(read_header(self.target).tags["colorInteropID"], "lin_rec709_scene")
        self.assertGreater(float(np.abs(other - whole).max()), 0.01)
        self.project.refresh_from_db()
        self.assertEqual(self.project.current.number, 1)

    def test_a_mistake_says_its_finding_and_is_found(self) -> None:
        self.render("clamped.exr", "--mistake", "output-clamped")
        self.assertEqual(self.said()["finding"], "render.clipped-at-one")
        self.assertEqual(float(read_pixels(self.target, "").max()), 1.0)
        self.render("baked.exr", "--tone-mapping", "exponential")
        self.assertLessEqual(float(read_pixels(self.target, "").max()), 1.0)

    def test_names(self) -> None:
        names = self.call("render_rig", "--list")
        self.assertEqual(names["lights"], ["environment", "key", "flame", "marker"])
        self.assertEqual(names["mistakes"]["old-gamma"], "render.view-baked")
        codes = {code.code for code in codes_of_checks()}
        self.assertLessEqual(set(names["mistakes"].values()), codes)

    def test_refusals(self) -> None:
        here = ("render_rig", "--project", "quay", "--output", self.folder / "rig.exr")
        self.refused_command("Say which --project", "render_rig")
        self.refused_command("no project", "render_rig", "--project", "nowhere", "--output", self.folder / "r.exr")
        self.refused_command("written as .exr", "render_rig", "--project", "quay", "--output", self.folder / "r.png")
        self.refused_command("no size", *here, "--size", "big")
        self.refused_command("16 pixels", *here, "--size", "4x4")
        self.refused_command("from 1 to", *here, "--samples", 0)
        self.refused_command("no light with its stops", *here, "--light", "key")
        self.refused_command("no light “sun”", *here, "--light", "sun=1")
        self.refused_command("no light “sun”", *here, "--solo", "sun")
        self.refused_command("no mistake", *here, "--mistake", "none")
        self.refused_command("no tone mapping", *here, "--size", "16x16", "--samples", 1, "--tone-mapping", "none")
        self.refused_command("not scene-linear", *here, "--working-space", "ACEScct")
        self.assertEqual(list(self.folder.glob("*.exr")), [])


class Configs(CommandTestCase):
    """What is asked of configs alone, without a project."""

    def setUp(self) -> None:
        super().setUp()
        self.good = self.config("good.ocio", fresh_config())

    def config(self, name: str, config: ocio.Config) -> Path:
        file = self.folder / name
        file.write_text(config.serialize())
        return file

    def ended(self, code: int, *arguments: object) -> str:
        self.out = io.StringIO()
        if code:
            with self.assertRaises(SystemExit) as ended:
                call_command(*map(str, arguments), stdout=self.out)
            self.assertEqual(ended.exception.code, code)
        else:
            call_command(*map(str, arguments), stdout=self.out)
        return self.out.getvalue()

    def lost_lut(self) -> Path:
        config = fresh_config()
        config.setSearchPath("luts")
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "lost", fromReference=ocio.FileTransform("lost.cube"))
        config.addColorSpace(space)
        return self.config("lost.ocio", config)

    def test_lint(self) -> None:
        self.assertEqual(self.ended(0, "lint", self.good), "")
        self.assertEqual(self.ended(0, "lint", "ocio://default"), "")
        lost, broken = self.lost_lut(), self.folder / "broken.ocio"
        broken.write_text("ocio_profile_version: 2\nnonsense")
        said = self.ended(1, "lint", self.good, lost, broken)
        self.assertIn(f"{lost}: blocker: lost: LUT missing", said)
        self.assertRegex(said, r"broken\.ocio: .*config\.does-not-load")
        self.ended(1, "lint", lost, broken, "--format", "json")
        self.assertEqual({row["code"] for row in self.said()}, {"config.lut-missing", "config.does-not-load"})
        self.ended(1, "lint", lost, broken, "--format", "sarif")
        (run,) = self.said()["runs"]
        rules = {rule["id"] for rule in run["tool"]["driver"]["rules"]}
        self.assertEqual({result["ruleId"] for result in run["results"]}, rules)
        self.assertEqual({result["level"] for result in run["results"]}, {"error"})
        self.refused_command("no config at", "lint", self.folder / "nowhere.ocio")

    def test_diff(self) -> None:
        same = fresh_config()
        same.setDescription("Other words")
        self.assertIn("same meaning", self.ended(0, "diff", self.good, self.config("same.ocio", same)))
        other = fresh_config()
        space = other.getColorSpace("ACEScct")
        space.setTransform(ocio.MatrixTransform.Scale([1.1, 1.1, 1.1, 1]), ocio.COLORSPACE_DIR_TO_REFERENCE)
        other.addColorSpace(space)
        changed = self.config("other.ocio", other)
        self.assertRegex(self.ended(1, "diff", self.good, changed), r"changed space ACEScct.*largest .* worst at")
        self.ended(1, "diff", self.good, changed, "--format", "json")
        (row,) = [row for row in self.said()["differences"] if row["name"] == "ACEScct"]
        self.assertGreater(row["largest"], 0.05)
        self.refused_command("no config at", "diff", self.good, self.folder / "nowhere.ocio")

    def test_trace(self) -> None:
        way = ("--config", self.good, "--from", SRGB)
        self.ended(0, "trace", "#c8102e", *way, "--to", "ACEScg", "--format", "json")
        steps = self.said()
        processor = fresh_config().getProcessor(SRGB, "ACEScg").getDefaultCPUProcessor()
        expected = processor.applyRGB([code / 255 for code in (200, 16, 46)])
        np.testing.assert_allclose(steps[-1]["values"], expected, rtol=1e-6)
        self.assertGreater(len(steps), 3)
        shown = self.ended(0, "trace", "0.18", *way, "--display", SRGB_DISPLAY, "--view", UNTONED.view)
        self.assertIn(UNTONED.view, shown.splitlines()[-1])
        self.refused_command("--to a space, or --display and --view", "trace", "0.18", *way)
        self.refused_command("--to a space, or", "trace", "0.18", *way, "--to", "ACEScg", "--view", "x")
        self.refused_command("no colour space", "trace", "0.18", *way, "--to", "Nowhere")
        self.refused_command("number", "trace", "blue", *way, "--to", "ACEScg")

    def test_lower(self) -> None:
        target = self.folder / "old.ocioz"
        self.ended(0, "lower", self.good, "--ocio-version", "2.3", "--output", target)
        said = self.said()
        self.assertEqual(said["path"], str(target))
        self.assertIn("baked", {part["fate"] for part in said["replacements"]})
        written = ocio.Config.CreateFromFile(str(target))
        self.assertEqual((written.getMajorVersion(), written.getMinorVersion()), (2, 3))
        again = ("lower", self.good, "--ocio-version", "2.3", "--output", self.good)
        self.refused_command("replace the config itself", *again)
        self.refused_command("2.0.*ocioz|ocioz", "lower", self.good, "--ocio-version", "2.0", "--output", target)


class AsAProcess(ServerTestCase):
    """What only a process of its own shows: exit codes, and which stream says what."""

    def run_command(self, *arguments: object) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "manage.py", *map(str, arguments)]
        environment = {"SALTWORT_VAR": str(self.folder / "var"), "PATH": ""}
        return subprocess.run(command, cwd=settings.BASE_DIR, env=environment, capture_output=True, text=True)

    def test_an_answer(self) -> None:
        file = write(self.folder / "a.png", light(peak=1.0), "uint8")
        done = self.run_command("inspect", file)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(json.loads(done.stdout)[0]["format"], "PNG")

    def test_a_refusal(self) -> None:
        done = self.run_command("inspect", self.folder / "nowhere.png")
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertEqual(done.stderr.count("\n"), 1)
        self.assertIn("cannot be read", done.stderr)

    def test_before_the_database_is_there(self) -> None:
        done = self.run_command("findings", "--project", "quay")
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertIn("start Saltwort once", done.stderr)
