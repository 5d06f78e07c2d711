"""Recipes, and `deliver` as a pipeline calls it."""

import subprocess
import sys
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
from django.conf import settings
from PIL import Image

from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.images import read_header, read_pixels
from saltwort.server.outputs.models import Output
from tests.api.test_commands import CommandTestCase
from tests.samples import ACES_SDR, light, project_config, write, write_absurd_png, write_damaged
from tests.server import ServerTestCase


class Deliver(CommandTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.image = write(self.folder / "in" / "dusk.exr", light(30, 40), "float")

    def deliver(self, kind: str, *more: object, output: str = "out", **asked: object) -> list[dict[str, Any]]:
        typed = [part for key, value in asked.items() for part in ("--set", f"{key}={value}")]
        target = self.folder / output
        answer = self.call("deliver", *more, "--project", "quay", "--kind", kind, *typed, "--output", target)
        self.assertEqual(answer["kind"], kind)
        return list(answer["files"])

    def frames(self, numbers: range) -> Path:
        for number in numbers:
            write(self.folder / "frames" / f"quay.{number:04}.exr", light(12, 16, seed=number), "half")
        return self.folder / "frames"

    def test_the_kinds_and_their_settings_with_limits(self) -> None:
        kinds = {
            made["kind"]: {each["key"]: each for each in made["settings"]} for made in self.call("deliver", "--list")
        }
        for kind, keys in {
            "still": {"format", "display", "view", "look", "exposure", "bits", "dither", "width"},
            "light": {"space", "sample", "compression", "layers"},
            "lut": {"format", "from", "display", "view", "look", "size", "shaper"},
            "icc": {"space", "display", "view", "version"},
            "grade": {"format"},
        }.items():
            with self.subTest(kind):
                self.assertLessEqual(keys, kinds[kind].keys())
        self.assertEqual(kinds["light"]["sample"]["choices"], ["half", "float"])
        self.assertEqual((kinds["still"]["quality"]["lowest"], kinds["still"]["quality"]["highest"]), (1, 100))

    def test_a_still_to_a_file_that_is_named(self) -> None:
        (file,) = self.deliver("still", self.image, output="a.png", bits=8, dither="no", exposure=1)
        self.assertEqual(file["path"], str(self.folder / "a.png"))
        self.assertEqual((file["facts"]["width"], file["facts"]["reader"]), (40, "FFmpeg"))
        processor = view_processor(project_config(), "ACEScg", ACES_SDR, 1.0)
        meant = np.clip(apply(processor, read_pixels(self.image)), 0, 1)
        self.assertLessEqual(np.abs(read_pixels(Path(file["path"])) - meant).max(), 0.5 / 255 + 1e-6)

    def test_the_name_of_the_output_says_the_format(self) -> None:
        for name, start in (("a.jpg", b"\xff\xd8"), ("b.tiff", b"II"), ("c.exr", b"\x76\x2f"), ("d.png", b"\x89PNG")):
            (file,) = self.deliver("still", self.image, output=name)
            self.assertTrue(Path(file["path"]).read_bytes().startswith(start), name)
        (file,) = self.deliver("lut", output="e.csp", size=9)
        self.assertTrue(Path(file["path"]).read_text(encoding="utf-8").startswith("CSPLUTV100"))
        into = ("--project", "quay", "--kind", "still", "--set", "format=png", "--output", self.folder / "f.jpg")
        self.refused_command("does not end as this output does: .png", "deliver", self.image, *into)

    def test_the_space_of_the_pictures_is_said(self) -> None:
        (file,) = self.deliver("light", self.image, "--source", "Linear Rec.709 (sRGB)", sample="float")
        meant = apply(space_processor(project_config(), "Linear Rec.709 (sRGB)", "ACEScg"), read_pixels(self.image))
        np.testing.assert_array_equal(read_pixels(Path(file["path"])), meant)

    def test_frames_of_a_folder_with_a_range_and_steps(self) -> None:
        files = self.deliver("still", self.frames(range(1, 10)), "--frames", "2-8x3", format="jpeg")
        self.assertEqual(
            [Path(file["path"]).name.split(".")[1:] for file in files], [[n, "jpg"] for n in ("0002", "0005", "0008")]
        )
        for file in files:
            self.assertEqual(read_header(Path(file["path"])).width, 16)

    def test_a_broken_frame_does_not_stop_the_others(self) -> None:
        folder = self.frames(range(1, 4))
        write_damaged(folder / "quay.0002.exr", light(200, 200), "half")
        with self.assertRaises(SystemExit) as ended:
            self.deliver("still", folder)
        self.assertEqual(ended.exception.code, 1)
        files = self.said()["files"]
        self.assertEqual(["error" in file for file in files], [False, True, False])
        self.assertIn("quay.0002.exr", files[1]["error"])

    def test_a_lut_a_profile_and_a_grade_need_no_picture(self) -> None:
        (file,) = self.deliver("lut", format="cube", size=17, **{"from": "ACEScct"})
        self.assertEqual(file["facts"]["error"]["measure"], "ΔE 2000")
        self.assertEqual(file["facts"]["error"]["colours"], 100_000)
        (measured,) = self.deliver("lut", self.image, format="cube", size=17)
        self.assertEqual(measured["facts"]["picture"]["colours"], 1200)
        (file,) = self.deliver("icc", space="ACEScg", version=2, output="acescg.icc")
        self.assertEqual(Path(file["path"]).read_bytes()[36:40], b"acsp")
        grade = {"place": "before", "slope": [1.2, 1, 1], "offset": [0, 0, 0], "power": [1, 1, 1], "saturation": 1.0}
        grade |= {"exposure": 0.0, "log": False, "curve": [0, 0.25, 0.5, 0.75, 1]}
        state = self.ask("/comparison")
        self.tell(
            "put",
            "/comparison",
            based_on=state["version"],
            grade=grade,
            **{name: state[name] for name in ("render", "exposure", "panes", "probes")},
        )
        (file,) = self.deliver("grade", format="cc")
        self.assertIn("<Slope>1.2 1 1</Slope>", Path(file["path"]).read_text(encoding="utf-8"))

    def test_a_video_of_a_folder_of_frames(self) -> None:
        sdr = {"display": "Rec.1886 Rec.709 - Display", "view": ACES_SDR.view}
        (file,) = self.deliver(
            "movie", self.frames(range(1, 9)), "--frames", "1-8x2", codec="h264", fps="23.976", **sdr
        )
        facts = file["facts"]["video"]
        self.assertEqual((facts["frames"], facts["rate"], facts["stream"]), (4, "24000/1001", [1, 1, 1]))
        (self.folder / "frames" / "quay.0005.exr").unlink()
        whole = ("--project", "quay", "--kind", "movie", "--output", self.folder / "b.mp4")
        self.refused_command("Frames are missing: 5", "deliver", self.folder / "frames", *whole)

    def test_a_contact_sheet(self) -> None:
        (file,) = self.deliver("contact-sheet", self.frames(range(1, 4)), what="pictures", format="pdf")
        self.assertEqual((file["facts"]["pictures"], Path(file["path"]).suffix), (3, ".pdf"))

    def verified(self, *arguments: object) -> tuple[int, list[dict[str, Any]]]:
        try:
            self.call("verify", *arguments)
        except SystemExit as ended:
            return int(str(ended.code)), self.said()
        return 0, self.said()

    def test_files_are_verified_against_a_recipe(self) -> None:
        recipe = {"name": "Review", "kind": "still", "settings": {"bits": 8}, "based_on": 1}
        self.tell("put", "/recipes", 204, **recipe)
        (file,) = self.deliver("still", self.image, output="a.png", bits=8)
        of = ("--project", "quay", "--recipe", "Review")
        code, (found,) = self.verified(file["path"], *of)
        self.assertEqual((code, found["doubts"], found["says"]["width"]), (0, [], 40))
        (other,) = self.deliver("still", self.image, output="b.png", bits=16)
        code, (found,) = self.verified(other["path"], *of)
        self.assertEqual((code, [doubt["code"] for doubt in found["doubts"]]), (1, ["other-samples"]))
        self.refused_command("no recipe “Lost”", "verify", file["path"], "--project", "quay", "--recipe", "Lost")
        self.refused_command("cannot be read", "verify", self.folder / "gone.png")

    def test_files_are_verified_against_the_image_they_should_be_of(self) -> None:
        self.tell("put", "/recipes", 204, name="Review", kind="still", settings={"bits": 8}, based_on=1)
        (file,) = self.deliver("still", self.image, output="a.png", bits=8)
        height, width = read_pixels(self.image).shape[:2]
        other = write(self.folder / "other.exr", light(height, width, 3.0, seed=9), "half")
        of = ("--project", "quay", "--recipe", "Review", "--image")
        for image, expected in ((self.image, []), (other, ["other-picture"])):
            code, (found,) = self.verified(file["path"], *of, image)
            self.assertEqual((code, [doubt["code"] for doubt in found["doubts"]]), (len(expected), expected))
        self.refused_command("Say --recipe", "verify", file["path"], "--project", "quay", "--image", other)

    def test_light_is_verified_against_a_recipe(self) -> None:
        self.tell("put", "/recipes", 204, name="Light", kind="light", settings={"sample": "half"}, based_on=1)
        of = ("--project", "quay", "--recipe", "Light")
        for asked, codes in (
            ({}, []),
            ({"sample": "float"}, ["other-samples"]),
            ({"compression": "piz"}, ["other-compression"]),
            ({"space": "Linear Rec.709 (sRGB)"}, ["other-colour", "other-colour"]),
        ):
            (file,) = self.deliver("light", self.image, output="a.exr", **asked)
            code, (found,) = self.verified(file["path"], *of)
            self.assertEqual([doubt["code"] for doubt in found["doubts"]], codes, asked)
            self.assertEqual(code, int(bool(codes)))
        (still,) = self.deliver("still", self.image, output="b.png")
        _, (found,) = self.verified(still["path"], *of)
        self.assertEqual([doubt["code"] for doubt in found["doubts"]], ["other-format"])

    def test_luts_and_profiles_are_verified(self) -> None:
        self.tell("put", "/recipes", 204, name="Lut", kind="lut", settings={"source": "ACEScct"}, based_on=1)
        self.tell("put", "/recipes", 204, name="Profile", kind="icc", settings={"space": "ACEScg"}, based_on=2)
        for kind, recipe, asked, output, codes in (
            ("lut", "Lut", {"from": "ACEScct"}, "a.cube", []),
            ("lut", "Lut", {"from": "ACEScg"}, "b.cube", ["other-colours"]),
            ("lut", "Lut", {"from": "ACEScct"}, "c.clf", ["other-format"]),
            ("icc", "Profile", {"space": "ACEScg"}, "a.icc", []),
            ("icc", "Profile", {"space": "Linear Rec.709 (sRGB)"}, "b.icc", ["other-colours"]),
            ("icc", "Profile", {"space": "ACEScg", "version": "2"}, "c.icc", ["other-version"]),
        ):
            with self.subTest(output):
                (file,) = self.deliver(kind, output=output, **asked)
                code, (alone,) = self.verified(file["path"])
                self.assertEqual((code, alone["doubts"]), (0, []))
                code, (found,) = self.verified(file["path"], "--project", "quay", "--recipe", recipe)
                self.assertEqual(([doubt["code"] for doubt in found["doubts"]], code), (codes, int(bool(codes))))
        (self.folder / "same.cube").write_text(
            "LUT_3D_SIZE 2\n" + "\n".join(f"{r} {g} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
        )
        (self.folder / "falls.cube").write_text("LUT_1D_SIZE 3\n0 0 0\n1 1 1\n0.5 0.5 0.5\n")
        for name, doubted in (("same.cube", "does-nothing"), ("falls.cube", "greys-fall")):
            _, (found,) = self.verified(self.folder / name)
            self.assertIn(doubted, [doubt["code"] for doubt in found["doubts"]])
        for name in ("notes.cube", "notes.icc"):
            (self.folder / name).write_bytes(b"nothing of the kind")
            self.refused_command(name, "verify", self.folder / name)

    def test_frames_that_are_there_are_left_out_on_resuming(self) -> None:
        frames = self.frames(range(1, 6))
        made = self.deliver("light", frames, "--frames", "1-3")
        before = {file["path"]: Path(file["path"]).stat().st_mtime_ns for file in made}
        rest = self.deliver("light", frames, "--resume")
        self.assertEqual(len(rest), 2)
        self.assertEqual({path: Path(path).stat().st_mtime_ns for path in before}, before)

    def test_refusals(self) -> None:
        whole = ("--project", "quay", "--output", self.folder / "out")
        self.refused_command("Nothing of the kind “poster”", "deliver", "--kind", "poster", *whole)
        self.refused_command("made of pictures", "deliver", "--kind", "still", *whole)
        self.refused_command("--output", "deliver", self.image, "--project", "quay", "--kind", "still")
        for words, typed in (
            ("no setting “gamma”", "gamma=2"),
            ("KEY=VALUE", "bits"),
            ("choose one of", "bits=12"),
            ("yes or no", "dither=perhaps"),
            ("is a number", "exposure=bright"),
            ("no view", "view=Lost"),
        ):
            self.refused_command(words, "deliver", self.image, "--kind", "still", *whole, "--set", typed)
        self.refused_command("no range of frames", "deliver", self.image, "--kind", "still", *whole, "--frames", "a-b")
        into = ("--project", "quay", "--kind", "light", "--output", self.image)
        self.refused_command("replace the image itself", "deliver", self.image, *into)
        self.refused_command("cannot be read", "deliver", self.folder / "gone.exr", "--kind", "still", *whole)
        self.assertFalse((self.folder / "out").exists())

    def test_as_a_process(self) -> None:
        """With the database of a real start: here it lists kinds, which needs none."""
        done = subprocess.run(
            [sys.executable, "manage.py", "deliver", "--list"], cwd=settings.BASE_DIR, capture_output=True, text=True
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))


class Verify(ServerTestCase):
    def test_a_file_that_is_sent_is_looked_at_and_not_kept(self) -> None:
        bare = write(self.folder / "from_elsewhere.png", light(20, 30, 1.0), "uint8")
        found = self.send("/verify", bare, 200)
        self.assertEqual(found["name"], "from_elsewhere.png")
        self.assertEqual([doubt["code"] for doubt in found["doubts"]], ["untagged"])
        self.assertIn({"name": "size", "value": "30 × 20"}, found["facts"])
        self.tell("put", "/recipes", 204, name="Review", kind="still", settings={"format": "jpeg"}, based_on=1)
        found = self.send("/verify", bare, 200, recipe="Review")
        self.assertIn("other-format", [doubt["code"] for doubt in found["doubts"]])
        self.assertEqual([file for file in Path(settings.MEDIA_ROOT).rglob("*") if file.is_file()], [])

    def test_a_file_is_held_against_a_render(self) -> None:
        render = self.render()
        self.tell("put", "/recipes", 204, name="Web", kind="still", settings={"bits": 8}, based_on=1)
        (made,) = self.tell("post", "/recipes/make", 201, names=["Web"], render=render.pk, frames="")
        self.do_jobs()
        file = self.folder / "made.png"
        file.write_bytes(Output.objects.get(pk=made["id"]).file.read_bytes())
        right = self.send("/verify", file, 200, recipe="Web", render=render.pk)
        self.assertEqual(right["doubts"], [])
        codes = np.array(Image.open(file))
        codes[3, 4] = 255 - codes[3, 4]
        kept = Image.open(file).info
        Image.fromarray(codes).save(file, icc_profile=kept.get("icc_profile"))
        content = Output.objects.get(pk=made["id"]).file.read_bytes()
        cicp = content[content.index(b"cICP") - 4 :][:16]
        found = file.read_bytes()
        file.write_bytes(found[:33] + cicp + found[33:])
        (doubt,) = self.send("/verify", file, 200, recipe="Web", render=render.pk)["doubts"]
        self.assertEqual(doubt["code"], "other-picture")
        self.assertIn("1 pixel differs", doubt["sentence"])
        self.assertIn("at 4, 3", doubt["sentence"])

    def test_what_is_hostile_or_neither_gets_a_sentence(self) -> None:
        for name in ("notes.png", "notes.mp4", "notes.avif", "notes.jxl", "notes"):
            (self.folder / name).write_bytes(b"not a picture")
            with self.subTest(name):
                self.assertIn(name, self.send("/verify", self.folder / name, 400)["detail"])
        cut = write_damaged(self.folder / "cut.exr", light(200, 200), "half")
        self.assertIn("cut.exr", self.send("/verify", cut, 400)["detail"])
        self.assertIn("huge.png", self.send("/verify", write_absurd_png(self.folder / "huge.png"), 400)["detail"])


class Recipes(ServerTestCase):
    STILL: ClassVar[dict[str, Any]] = {"kind": "still", "settings": {"format": "jpeg", "exposure": 1.0}}

    def setUp(self) -> None:
        super().setUp()
        self.dusk = self.render()

    def keep(self, name: str, based_on: int, **recipe: Any) -> None:
        self.tell("put", "/recipes", 204, name=name, based_on=based_on, **{**self.STILL, **recipe})

    def states(self) -> dict[str, str]:
        return {one["name"]: one["state"] for one in self.ask("/recipes")}

    def test_a_recipe_is_made_again_and_says_how_it_stands(self) -> None:
        self.keep("Review", 1, naming="{picture} for review r{revision}")
        self.assertEqual(self.states(), {"Review": "never made"})
        self.tell("post", "/recipes/make", 201, names=["Review"], render=self.dusk.pk)
        self.assertEqual(self.states(), {"Review": "being made"})
        self.do_jobs()
        self.assertEqual(self.states(), {"Review": "up to date"})
        output = Output.objects.get()
        self.assertEqual(output.name, "dusk for review r2.jpg")
        self.assertEqual(output.settings["exposure"], 1.0)
        self.tell("post", "/setup", based_on=2, message="w", working_space="Linear Rec.2020")
        self.assertEqual(self.states(), {"Review": "older"})
        self.tell("post", "/recipes/make", 201, render=self.dusk.pk)
        self.do_jobs()
        self.assertEqual(self.states(), {"Review": "up to date"})
        self.keep("Review", 3, was="Review", settings={"format": "png"})
        self.assertEqual(self.states(), {"Review": "older"})

    def test_all_are_made_or_none(self) -> None:
        self.keep("Review", 1)
        self.keep("For the editor", 2, kind="lut", settings={"format": "csp", "size": 17})
        made = self.tell("post", "/recipes/make", 201, render=self.dusk.pk)
        self.assertEqual([one["recipe"] for one in made], ["Review", "For the editor"])
        self.do_jobs()
        self.assertEqual(set(self.states().values()), {"up to date"})
        Output.objects.all().delete()
        self.refused("post", "/recipes/make", "“Review” cannot be made: .* made of a render")
        self.assertEqual(Output.objects.count(), 0)

    def test_a_failed_one_says_so(self) -> None:
        self.keep("Review", 1)
        self.tell("post", "/recipes/make", 201, render=self.dusk.pk)
        self.dusk.image.file.unlink()
        self.do_jobs()
        self.assertEqual(self.states(), {"Review": "failed"})

    def test_named_anew_removed_and_undone(self) -> None:
        self.keep("Review", 1)
        self.tell("post", "/recipes/make", 201, render=self.dusk.pk)
        self.do_jobs()
        self.keep("Dailies", 2, was="Review")
        self.assertEqual(self.states(), {"Dailies": "up to date"})
        self.tell("post", "/recipes/remove", 204, name="Dailies", based_on=3)
        self.assertEqual(self.states(), {})
        self.undo()
        self.assertEqual(self.states(), {"Dailies": "up to date"})

    def test_refusals(self) -> None:
        self.keep("Review", 1)
        for words, change in (
            ("Choose another name", {"name": "Review"}),
            ("no setting “gamma”", {"name": "B", "settings": {"gamma": 1}}),
            ("not a valid choice", {"name": "B", "kind": "poster", "settings": {}}),
            ("holds letters", {"name": "B", "naming": "../{picture}"}),
            ("holds letters", {"name": "B", "naming": "{shot}"}),
            ("no recipe “Lost”", {"name": "B", "was": "Lost"}),
        ):
            with self.subTest(words, **change):
                self.refused("put", "/recipes", words, based_on=2, **{**self.STILL, **change})
        self.refused("post", "/recipes/make", "no recipe “Lost”", names=["Lost"])
        self.assertEqual(self.states(), {"Review": "never made"})

    def test_spaces_follow_their_names(self) -> None:
        self.keep("Archive", 1, kind="light", settings={"space": "ACES2065-1"})
        edit = {"space": "ACES2065-1", "name": "Archive light", "aliases": [], "family": "", "description": ""}
        self.tell("post", "/setup", based_on=2, message="n", space_edits=[edit])
        (one,) = self.ask("/recipes")
        self.assertEqual(one["values"]["space"], "Archive light")
        self.tell("post", "/recipes/make", 201, render=self.dusk.pk)
        self.do_jobs()
        self.assertEqual(self.states(), {"Archive": "up to date"})
