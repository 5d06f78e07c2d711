"""`explain` and what it says of files."""

import json
from fractions import Fraction
from io import BytesIO, StringIO
from pathlib import Path

import numpy as np
from django.core.management import call_command
from django.test import override_settings
from PIL import Image

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import read_header, read_pixels, write_image
from saltwort.core.images.video import VideoForm, to_planes, writing_video
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Scene, Swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.handoffs.explanations import PICTURES
from saltwort.server.handoffs.operations import colours_of
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.operations import add_render
from tests.api.test_commands import CommandTestCase
from tests.made_frames import light_of
from tests.samples import ACES_SDR, SRGB, UNTONED
from tests.server import ServerTestCase


class Kept(ServerTestCase):
    """Pictures that were dropped on the screen."""

    def setUp(self) -> None:
        super().setUp()
        self.light = light_of(2)
        beauty = self.folder / "beauty.exr"
        write_image(beauty, self.light, "half")
        self.beauty = add_render(self.project, "beauty.exr", store_file(beauty, "beauty.exr"))
        self.compositor = self.project.stations.get(name="Compositor")

    def dropped(self, codes: np.ndarray, **fields: object) -> dict:
        path = self.folder / "came.png"
        write_image(path, np.clip(codes, 0, 1), "uint8")
        made: dict = self.send("/explanations", path, render=self.beauty.pk, **fields)
        return made

    def test_told_kept_and_repaired(self) -> None:
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        washed = np.clip(apply(view, self.light), 0, 1) ** np.float32(1 / 2.2)
        made = self.dropped(washed, station=self.compositor.pk)
        self.assertEqual((made["verdict"], made["deviations"][0]["code"]), ("explained", "power"))
        self.assertEqual((made["station"], made["repair"][0]["setting"]), ("Compositor", "viewing/own-gamma"))
        pictures = {which: self.ask(f"/explanations/{made['id']}/{which}") for which in PICTURES}
        self.assertEqual(len(set(pictures.values())), len(PICTURES))
        left = np.asarray(Image.open(BytesIO(pictures["difference"])))
        self.assertLess(float(np.median(left)), 40)  # of 255, at ΔE 10
        self.assertEqual([one["id"] for one in self.ask("/explanations")], [made["id"]])
        self.client.delete(self.url(f"/explanations/{made['id']}"))
        self.assertEqual(self.ask("/explanations"), [])

    def test_a_frame_of_a_video(self) -> None:
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        codes = np.clip(apply(view, self.light), 0, 1)
        form = VideoForm("libx264", "yuv420p", 8, 1, 1, 1, {"crf": "14"})
        path = self.folder / "review.mp4"
        with writing_video(path, (codes.shape[1], codes.shape[0]), Fraction(24), form) as video:
            for frame in (codes, codes ** np.float32(1 / 2.2)):
                video.write(to_planes(frame, form))
        told = [self.send("/explanations", path, render=self.beauty.pk, frame=number) for number in (1, 2)]
        self.assertEqual([one["verdict"] for one in told], ["as expected", "explained"])
        self.assertEqual([one["frame"] for one in told], [1, 2])
        self.assertEqual((told[1]["name"], told[1]["deviations"][0]["code"]), ("review.mp4", "power"))
        self.assertTrue(self.ask(f"/explanations/{told[1]['id']}/rescue").startswith(b"v/1\x01"))
        refused = self.send("/explanations", path, 400, render=self.beauty.pk, frame=9)
        self.assertIn("has 2 frames", refused["detail"])
        path.write_bytes(path.read_bytes()[:400])
        self.assertIn("no video", self.send("/explanations", path, 400, render=self.beauty.pk)["detail"])
        self.assertIsNone(self.dropped(codes)["frame"])

    def test_compressed_highlights_are_drawn(self) -> None:
        over = np.maximum(self.light - 0.25, 0)
        rolled = np.where(self.light > 0.25, 0.25 + 0.4 * np.log1p(over / 0.4), self.light).astype(np.float32)
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        made = self.dropped(np.clip(apply(view, rolled), 0, 1))
        self.assertEqual([each["code"] for each in made["deviations"]], ["highlights"])
        values, became = np.array(made["rolloff"]["values"]), np.array(made["rolloff"]["became"])
        self.assertAlmostEqual(made["rolloff"]["knee"], 0.25, delta=0.02)
        wanted = np.where(values > 0.25, 0.25 + 0.4 * np.log1p(np.maximum(values - 0.25, 0) / 0.4), values)
        shown = values < float(self.light.max())
        np.testing.assert_allclose(became[shown], wanted[shown], rtol=0.06)
        self.assertEqual(made["residual"]["metric"], "ΔE 2000")

    def test_worst_spots_chain_and_confidence(self) -> None:
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        codes = np.clip(apply(view, self.light), 0, 1)
        codes[100:160, 200:290] = (0.9, 0.1, 0.8)
        made = self.dropped(codes ** np.float32(1 / 2.2))
        self.assertGreater(made["confidence"], 0.4)
        self.assertEqual(made["chain"][-1]["state"], "expected")
        spot = made["worst"][0]
        self.assertAlmostEqual(spot["x"], 245 / self.light.shape[1], delta=0.06)
        self.assertAlmostEqual(spot["y"], 130 / self.light.shape[0], delta=0.06)
        self.assertGreater(spot["de"], 10)
        self.ask(f"/explanations/{made['id']}/lut", 400)

    def test_a_folder_is_rescued_by_a_job(self) -> None:
        light = self.light * np.float32(0.2)
        beauty = self.folder / "dim.exr"
        write_image(beauty, light, "half")
        self.beauty = add_render(self.project, "dim.exr", store_file(beauty, "dim.exr"))
        codes = np.clip(apply(view_processor(config_of(self.project.current), "ACEScg", ACES_SDR), light), 0, 1)
        made = self.dropped(codes ** np.float32(1 / 1.7))
        frames = self.folder / "frames"
        frames.mkdir()
        for number in (7, 8):
            write_image(frames / f"shot_{number}.png", codes ** np.float32(1 / 1.7), "uint16")
        (frames / "broken_9.png").write_bytes(b"none")
        address = f"/explanations/{made['id']}/rescue-folder"
        with override_settings(READABLE_FOLDERS=(self.folder,)):
            self.tell("post", address, 400, folder="/etc")
            self.tell("post", address, 400, folder=str(self.folder / "media"))
            self.tell("post", address, 201, folder=str(frames))
        self.do_jobs()
        self.assertEqual(
            sorted(file.name for file in (frames / "rescued").iterdir()), ["shot_rescued_7.exr", "shot_rescued_8.exr"]
        )
        told = self.ask("/jobs")[0]
        self.assertIn("broken_9.png", told["message"])
        back = read_pixels(frames / "rescued" / "shot_rescued_8.exr")
        self.assertLess(float(np.median(np.abs(back - light) / np.maximum(light, 0.02))), 0.03)

    def test_held_against_the_wrong_render(self) -> None:
        other = light_of(4)
        file = self.folder / "other.exr"
        write_image(file, other, "half")
        quay = add_render(self.project, "other.exr", store_file(file, "other.exr"))
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        made = self.dropped(np.clip(apply(view, np.ascontiguousarray(other[..., :3])), 0, 1))
        self.assertEqual((made["verdict"], made["render"]), ("as expected", quay.name))
        self.assertTrue(made["sentence"].startswith("This image does not show beauty.exr, but other.exr. "), made)
        none = self.dropped(np.random.default_rng(2).random((200, 320, 3)).astype(np.float32))
        self.assertTrue(none["sentence"].startswith("This image shows neither beauty.exr nor another render"), none)

    def test_what_cannot_be_repaired_has_no_such_picture(self) -> None:
        made = self.dropped(np.random.default_rng(2).random((200, 320, 3)).astype(np.float32))
        self.assertEqual(made["verdict"], "another picture")
        self.ask(f"/explanations/{made['id']}/repaired", 400)
        broken = self.folder / "broken.png"
        broken.write_bytes(b"\x89PNG")
        self.send("/explanations", broken, 400, render=self.beauty.pk)


class Explain(CommandTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.light = light_of(2)
        self.beauty = self.folder / "beauty.exr"
        write_image(self.beauty, self.light, "half")
        self.config = config_of(self.project.current)

    def came_back(self, name: str, codes: np.ndarray, sample_type: str = "uint8") -> Path:
        path = self.folder / name
        write_image(path, np.clip(codes, 0, 1) if sample_type != "half" else codes, sample_type)
        return path

    def seen(self, choice: ViewChoice = ACES_SDR) -> np.ndarray:
        return apply(view_processor(self.config, "ACEScg", choice), self.light)

    def explained(self, *pictures: Path, status: int, **options: object) -> list[dict]:
        out = StringIO()
        asked = {"light": str(self.beauty), "space": "ACEScg", "project": "quay", **options}
        flags = [part for name, value in asked.items() if value for part in (f"--{name}", str(value))]
        try:
            call_command("explain", *map(str, pictures), *flags, stdout=out)
            code = 0
        except SystemExit as ended:
            code = int(ended.code or 0)
        self.assertEqual(code, status)
        told: list[dict] = json.loads(out.getvalue())
        return told

    def test_as_expected(self) -> None:
        (told,) = self.explained(self.came_back("right.png", self.seen()), status=0)
        self.assertEqual((told["verdict"], told["deviations"], told["alternatives"]), ("as expected", [], []))
        self.assertLess(told["residual"]["de_mean"], 1.0)
        self.assertEqual(told["undo"], {"possible": True, "lost": []})

    def test_one_deviation_of_each_sort(self) -> None:
        seen = self.seen()
        twice = apply(view_processor(self.config, "ACEScg", ACES_SDR), np.clip(seen, 0, 1))
        dark = apply(view_processor(self.config, "ACEScg", ACES_SDR, -1.5), self.light)
        made = {
            "view-missing": self.light,
            "view-other": self.seen(UNTONED),
            "view-twice": twice,
            "exposure": dark,
            "power": np.clip(seen, 0, 1) ** np.float32(1 / 2.2),
            "levels": np.clip(seen, 0, 1) * np.float32(219 / 255) + np.float32(16 / 255),
            "channels": seen[..., ::-1],
        }
        files = [self.came_back(f"{code}.png", np.ascontiguousarray(codes)) for code, codes in made.items()]
        told = self.explained(*files, status=1)
        self.assertEqual([entry["deviations"][0]["code"] for entry in told], list(made))
        self.assertTrue(all(entry["verdict"] == "explained" for entry in told))
        by_code = {entry["deviations"][0]["code"]: entry for entry in told}
        self.assertEqual(by_code["view-other"]["deviations"][0]["view"], "Un-tone-mapped")
        self.assertAlmostEqual(by_code["exposure"]["deviations"][0]["stops"], -1.5, delta=0.05)
        self.assertAlmostEqual(by_code["power"]["deviations"][0]["exponent"], 0.4545, delta=0.01)
        self.assertEqual(by_code["levels"]["deviations"][0]["levels"], "legal")

    def test_light_with_the_view_in_it(self) -> None:
        baked = self.came_back("baked.exr", self.seen(), "half")
        right = self.came_back("right.exr", self.light, "half")
        told = self.explained(baked, right, status=1, expect="light")
        self.assertEqual(
            told[0]["deviations"][0], {"code": "view-other", "display": ACES_SDR.display, "view": ACES_SDR.view}
        )
        self.assertEqual(told[1]["verdict"], "as expected")

    def test_a_render_of_the_project_another_view_and_a_station(self) -> None:
        add_render(self.project, "beauty.exr", store_file(self.beauty, "beauty.exr"))
        untoned = self.came_back("untoned.png", self.seen(UNTONED))
        asked = {"light": "", "space": "", "render": "beauty.exr"}
        wanted = f"{UNTONED.display}/{UNTONED.view}"
        self.assertEqual(self.explained(untoned, status=0, expect=wanted, **asked)[0]["verdict"], "as expected")
        (told,) = self.explained(untoned, status=1, station="Compositor", **asked)
        self.assertEqual(told["repair"][0]["setting"], "viewing/view")

    def test_a_frame_of_a_video(self) -> None:
        form = VideoForm("libx264", "yuv420p", 8, 1, 1, 1, {"crf": "14"})
        path = self.folder / "review.mp4"
        codes = np.clip(self.seen(), 0, 1)
        with writing_video(path, (codes.shape[1], codes.shape[0]), Fraction(24), form) as video:
            for frame in (codes, codes ** np.float32(1 / 2.2)):
                video.write(to_planes(frame, form))
        self.assertEqual(self.explained(path, status=0)[0]["verdict"], "as expected")
        (told,) = self.explained(path, status=1, frame=2)
        self.assertEqual(told["deviations"][0]["code"], "power")
        asked = ("explain", path, "--project", "quay", "--light", self.beauty, "--space", "ACEScg", "--frame", "9")
        self.refused_command("has 2 frames", *asked)

    def test_without_a_render_less_is_told(self) -> None:
        view = self.came_back("view.png", self.seen())
        light = self.came_back("light.exr", self.light, "half")
        steps = self.came_back("steps.exr", np.round(np.clip(self.seen(), 0, 1) * 255) / np.float32(255), "half")
        cut = self.came_back("cut.exr", np.clip(self.light, 0, 0.4), "half")
        bare = {"light": "", "space": ""}
        told = self.explained(view, light, steps, cut, status=1, expect="light", **bare)
        self.assertEqual(
            [entry["verdict"] for entry in told], ["explained", "not told apart", "explained", "explained"]
        )
        codes = [[each["code"] for each in entry["deviations"]] for entry in told]
        self.assertEqual(codes, [["view-other"], [], ["view-other", "steps"], ["clipped"]])
        self.assertTrue(all(0.4 < entry["holds"]["confidence"] < 1 for entry in told))
        (told_light,) = self.explained(light, status=1, **bare)
        self.assertEqual([each["code"] for each in told_light["deviations"]], ["view-missing"])

    def test_swatches_that_are_pointed_at(self) -> None:
        colours = {"enamel": "47 106 104", "brass": "226 198 138", "red": "168 42 30"}
        scene = Scene(swatches=tuple(Swatch(name, TypedColour(SRGB, "8-bit", text)) for name, text in colours.items()))
        change_setup(self.project, 1, "swatches", lambda setup: ScenePart.with_value(setup, scene))
        project = Project.objects.select_related("current").get(pk=self.project.pk)
        known = {line.name: np.array(line.working, np.float32) for line in colours_of(project.current)}
        light = np.zeros((60, 180, 3), np.float32)
        for place, (name, gain) in enumerate(zip(colours, (1.4, 0.5, 0.9), strict=True)):
            light[:, place * 60 : place * 60 + 60] = known[name] * np.float32(gain)
        view = view_processor(self.config, "ACEScg", ACES_SDR)
        right = np.clip(apply(view, light), 0, 1)
        places = [f"{name}={place * 60 + 30},30" for place, name in enumerate(colours)]
        for made, code in ((right, ""), (np.clip(light, 0, 1), "view-missing"), (right[..., ::-1], "channels")):
            with self.subTest(code):
                picture = self.came_back("pointed.png", np.ascontiguousarray(made))
                flags = [part for place in places for part in ("--swatch", place)]
                out = StringIO()
                with self.assertRaises(SystemExit):
                    call_command("explain", str(picture), "--project", "quay", *flags, stdout=out)
                first = json.loads(out.getvalue())[0]["swatches"][0]
                self.assertEqual("".join(each["code"] for each in first["deviations"]), code)
                if not code:
                    np.testing.assert_allclose(first["stops"], np.log2([1.4, 0.5, 0.9]), atol=0.06)
        asked = ("explain", picture, "--project", "quay", "--swatch")
        self.refused_command("no swatch", *asked, "gold=1,1")
        self.refused_command("none at", *asked, "brass=900,1")
        self.refused_command("no swatch with a place", *asked, "brass")

    def test_another_picture_and_none(self) -> None:
        other = self.came_back("other.png", np.random.default_rng(1).random((300, 500, 3)).astype(np.float32))
        (told,) = self.explained(other, status=1)
        self.assertEqual((told["verdict"], told["undo"]["possible"]), ("another picture", False))
        asked = ("explain", other, "--project", "quay")
        self.refused_command(
            "There is no file", *asked[:1], "/nowhere.png", *asked[2:], "--light", self.beauty, "--space", "ACEScg"
        )
        self.refused_command("no render", *asked, "--render", "nothing.exr")
        self.refused_command(
            "no display and view", *asked, "--light", self.beauty, "--space", "ACEScg", "--expect", "x/y"
        )
        self.refused_command("--space", *asked, "--light", self.beauty)

    def test_rescued_into_light(self) -> None:
        gentle = self.light * np.float32(0.2)
        write_image(self.beauty, gentle, "half")
        codes = apply(view_processor(self.config, "ACEScg", ACES_SDR), gentle)
        brighter = np.clip(codes, 0, 1) ** np.float32(1 / 1.6)
        picture = self.came_back("washed.png", brighter, "uint16")
        (told,) = self.explained(picture, status=1, rescue=self.folder / "rescued")
        target = Path(told["rescued"])
        self.assertEqual(target.name, "washed_rescued.exr")
        back = read_pixels(target)
        off = np.abs(back - gentle).max(axis=2) / np.maximum(gentle.max(axis=2), 0.02)
        self.assertLess(float(np.median(off)), 0.03)
        self.assertEqual(read_header(target).tags["colorInteropID"], "lin_ap1_scene")
