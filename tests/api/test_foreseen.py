"""What outputs will cost and lose before they are made, and HDR judged without an HDR screen."""

import shutil
from collections import namedtuple
from io import BytesIO
from unittest.mock import patch

from PIL import Image

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.displays import HDR, display_kind
from saltwort.core.images.independent import file_tags
from saltwort.server.outputs.models import Output
from tests.samples import UNTONED, light, project_config, write
from tests.server import ServerTestCase

Usage = namedtuple("Usage", "total used free")
PQ_VIEW = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (P3 D65)", "look": ""}


class ForeseenTestCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.pixels = light(36, 64, peak=20.0)
        self.render = self.send("/renders", write(self.folder / "dusk.exr", self.pixels, "half"))["id"]


class Expected(ForeseenTestCase):
    def test_a_still(self) -> None:
        found = self.tell("post", "/outputs/foreseen", kind="still", render=self.render, settings=vars(UNTONED))
        self.assertEqual((found["files"], found["seconds"]), (1, None))
        self.assertTrue(any("are cut" in loss for loss in found["losses"]), found["losses"])
        self.assertEqual(Output.objects.count(), 0)
        made = self.tell("post", "/outputs", 201, kind="still", render=self.render, settings=vars(UNTONED))
        self.do_jobs()
        self.assertLessEqual(Output.objects.get(pk=made["id"]).file.stat().st_size, found["bytes"])
        again = self.tell("post", "/outputs/foreseen", kind="still", render=self.render)
        self.assertGreater(again["seconds"], 0)

    def test_what_cannot_be_made_is_refused_at_its_field(self) -> None:
        for asked, field in (
            ({"kind": "still"}, "render"),
            ({"kind": "still", "render": self.render, "settings": {"format": "jpeg", "bits": "16"}}, "bits"),
            ({"kind": "still", "render": self.render, "frames": "1-5"}, "frames"),
        ):
            with self.subTest(field):
                self.assertEqual(self.tell("post", "/outputs/foreseen", 400, **asked)["field"], field)

    def test_recipes(self) -> None:
        based_on = self.ask()["revision"]["number"]
        for kind, settings in (("still", {"bits": "8"}), ("movie", {}), ("lut", {"source": "ACEScct"})):
            self.tell("put", "/recipes", 204, name=kind, kind=kind, settings=settings, based_on=based_on)
            based_on += 1
        still, movie, lut = self.tell("post", "/recipes/foreseen", render=self.render)
        self.assertIn("8 bits hold 256 steps a channel, dithered.", still["expected"]["losses"])
        self.assertIn("made of a sequence", movie["refused"])
        self.assertIsNone(movie["expected"])
        self.assertEqual(lut["expected"]["files"], 1)

    def test_all_recipes_leave_out_what_needs_a_sequence(self) -> None:
        based_on = self.ask()["revision"]["number"]
        self.tell("put", "/recipes", 204, name="Still", kind="still", based_on=based_on)
        self.tell("put", "/recipes", 204, name="Film", kind="movie", based_on=based_on + 1)
        made = self.tell("post", "/recipes/make", 201, render=self.render)
        self.assertEqual([output["kind"] for output in made], ["still"])
        refused = self.tell("post", "/recipes/make", 400, render=self.render, names=["Film"])
        self.assertIn("“Film” cannot be made", refused["detail"])

    def test_no_room_is_said_with_figures_before_anything_is_queued(self) -> None:
        with patch.object(shutil, "disk_usage", return_value=Usage(10**12, 10**12, 20_010_000)):
            refused = self.tell("post", "/outputs", 507, kind="light", render=self.render)
        self.assertRegex(refused["detail"], r"This takes up to \d+ kB, and the disk has 10 kB left")
        self.assertEqual((Output.objects.count(), self.project.jobs.filter(kind="make-output").count()), (0, 0))


class HdrOnThisScreen(ForeseenTestCase):
    def test_every_view_says_whether_it_is_hdr(self) -> None:
        config, seen = project_config(), set()
        for display in config.getDisplays():
            for view in config.getViews(display):
                choice = ViewChoice(display, view)
                found = self.ask(f"/renders/{self.render}/hdr", **vars(choice))
                self.assertEqual(found["is_hdr"], display_kind(config, choice) == HDR, choice)
                seen.add(found["is_hdr"])
        self.assertEqual(seen, {True, False})

    def test_levels_and_pictures(self) -> None:
        found = self.ask(f"/renders/{self.render}/hdr", **PQ_VIEW)
        self.assertAlmostEqual(found["made_on"], 1000, delta=5)
        self.assertEqual([each["nits"] for each in found["above"]], [100, 203, 1000, 4000])
        pictures = {
            name: self.ask(f"/renders/{self.render}/hdr/picture", size=64, **PQ_VIEW, **asked)
            for name, asked in {
                "bands": {"kind": "false"},
                "sdr": {"kind": "sdr"},
                "400": {"kind": "screen", "peak": 400, "white": 400},
                "all": {"kind": "screen", "peak": 10_000, "white": 400},
            }.items()
        }
        self.assertEqual(len(set(pictures.values())), 4)
        for name, png in pictures.items():
            self.assertEqual(Image.open(BytesIO(png)).size, (64, 36), name)

    def test_the_file_says_what_it_is(self) -> None:
        for form in ("png", "avif"):
            target = self.folder / f"still.{form}"
            target.write_bytes(self.ask(f"/renders/{self.render}/hdr/still", kind=form, **PQ_VIEW))
            self.assertEqual(tuple(file_tags(target)["CICP"][:2]), (9, 16), form)
