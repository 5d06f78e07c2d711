"""The rig over HTTP: what it is made of, pictures of it, and its jobs."""

from pathlib import Path
from typing import ClassVar
from unittest.mock import patch

import numpy as np
from django.conf import settings

from saltwort.core.images import read_pixels
from saltwort.core.spaces.gamuts import AP1, REC709, rgb_to_rgb
from saltwort.server.jobs.models import Job
from saltwort.server.scene.models import Render
from saltwort.server.scene.rig import Asked, start_render
from tests.api.test_scene import ENAMEL
from tests.samples import (
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
)
from tests.server import ServerTestCase


class RigOverHttp(ServerTestCase):
    def picture(self, **query: object) -> np.ndarray:
        path = self.folder / "rig.png"
        path.write_bytes(self.ask("/rig/picture", **query))
        return read_pixels(path)

    def test_lights_mix_without_another_rendering(self) -> None:
        whole = self.picture()
        self.assertEqual(whole.shape, (180, 320, 3))
        rendered = sorted((Path(settings.MEDIA_ROOT) / "rig").glob("*.npz"))
        brighter, alone, silent = (
            self.picture(stops="key:3"),
            self.picture(solo="flame"),
            self.picture(muted="environment,key,flame,marker"),
        )
        self.assertGreater(brighter.mean(), whole.mean())
        self.assertGreater(alone[60:120, 220:270, 0].mean(), 2 * alone[60:120, 220:270, 2].mean())
        self.assertEqual(float(silent.max()), 0.0)
        self.assertEqual(sorted((Path(settings.MEDIA_ROOT) / "rig").glob("*.npz")), rendered)

    def test_mistakes_and_tone_mappings_give_other_pictures(self) -> None:
        right = self.picture()
        for query in ({"mistake": "texture-as-data"}, {"mistake": "old-gamma"}, {"mapping": "reinhard", "white": 2}):
            self.assertGreater(float(np.abs(self.picture(**query) - right).max()), 0.05, query)

    def test_refusals(self) -> None:
        for query, words in (
            ({"mistake": "nothing"}, "no mistake"),
            ({"mapping": "nothing"}, "no tone mapping"),
            ({"mapping": "reinhard", "white": 0}, "white point lies"),
            ({"stops": "key=1"}, "key:1.5"),
            ({"stops": "sun:1"}, "no light “sun”"),
            ({"stops": "key:nan"}, "−20 to +20"),
            ({"solo": "sun"}, "no light “sun”"),
            ({"space": "ACEScct"}, "not scene-linear"),
            ({"mistake": "environment-clipped"}, "choose one for environment"),
            ({"spectral": True}, "not rendered yet"),
        ):
            self.assertIn(words, self.ask("/rig/picture", 400, **query)["detail"])

    def test_textures_on_the_rig_are_read_as_the_project_reads_them(self) -> None:
        texture = self.texture("quay_basecolor.png")
        inputs = [{"slot": "stone", "path": texture.path}]
        rig = self.tell("put", "/rig", based_on=1, swatch="", inputs=inputs)
        stone = next(slot for slot in rig["slots"] if slot["name"] == "stone")
        self.assertEqual((stone["path"], stone["space"]), (texture.path, SRGB))
        before = self.picture()
        self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space="Raw")
        self.assertGreater(self.picture().mean(), before.mean())
        self.tell("put", "/swatches", based_on=2, **ENAMEL)
        inputs = [{"slot": "stone", "path": "swatch:enamel"}]
        rig = self.tell("put", "/rig", based_on=3, swatch="", inputs=inputs)
        self.assertEqual(next(slot["path"] for slot in rig["slots"] if slot["name"] == "stone"), "swatch:enamel")
        teal = self.picture()[160:, :, :].mean(axis=(0, 1))
        self.assertGreater(teal[1], teal[0])
        for slot, words in (("stone-normals", "Choose a texture"), ("stone", "cannot be “swatch:nobody”")):
            path = "swatch:nobody" if slot == "stone" else "swatch:enamel"
            self.refused("put", "/rig", words, based_on=4, swatch="", inputs=[{"slot": slot, "path": path}])
        self.refused("put", "/rig", "no place", based_on=4, swatch="", inputs=[{"slot": "roof", "path": texture.path}])
        self.refused("put", "/rig", "no texture", based_on=4, swatch="", inputs=[{"slot": "stone", "path": "x.png"}])
        self.refused("put", "/rig", "no swatch", based_on=4, swatch="nobody", inputs=[])

    def test_same_colour_until_the_texture_is_read_otherwise(self) -> None:
        self.tell("put", "/swatches", based_on=1, **ENAMEL)
        self.tell("put", "/rig", based_on=2, swatch="enamel", inputs=[])
        same = self.ask("/rig/sameness")
        self.assertTrue(same["same"])
        self.assertEqual([sample["decoded"] for sample in same["samples"]], [True, True])
        # A rule that takes every PNG for data reads the ball's texture so too.
        rule = {"name": "png", "kind": "glob", "space": "Raw", "pattern": "*", "extension": "png"}
        self.tell("post", "/setup", based_on=3, message="raw", rules=[rule])
        told = self.ask("/rig/sameness")
        self.assertFalse(told["same"])
        self.assertIn("The swatch was decoded, the texture was not", told["says"])

    def test_what_another_working_space_changes(self) -> None:
        self.tell(
            "put", "/swatches", based_on=1, **{**ENAMEL, "space": "Linear Rec.2020", "unit": "unit", "text": "0 1 0"}
        )
        found = self.ask("/working-space/changes", space=LINEAR_REC709)
        enamel = found["colours"][0]
        np.testing.assert_allclose(enamel["after"], [-0.5876, 1.1329, -0.1006], atol=1e-3)  # ITU-R BT.2407
        self.assertIn("red and blue below zero", enamel["says"])
        self.assertGreater(found["rig"]["whole"]["worst"], 1)
        self.assertEqual(len(found["rig"]["spots"]), 5)
        self.assertEqual(len(found["stations"]), 2)
        self.assertIn("swatch.outside-working-gamut", [finding["code"] for finding in found["new_findings"]])
        self.assertEqual(self.ask("")["revision"]["number"], 2)
        same = self.ask("/working-space/changes")
        self.assertEqual((same["rig"]["whole"]["worst"], same["new_findings"]), (0, []))
        self.ask("/working-space/changes", 400, space="ACEScct")

    def test_the_working_space_as_it_can_be_seen(self) -> None:
        wide, narrow = self.ask("/working-space"), self.ask("/working-space", space=LINEAR_REC709)
        self.assertEqual(
            (wide["name"], wide["imaginary"], narrow["imaginary"]), ("ACEScg", ["red", "green", "blue"], [])
        )
        covered = {row["display"]: row["covered"] for row in narrow["displays"]}
        self.assertAlmostEqual(covered[SRGB_DISPLAY], 1.0, places=3)
        # The share of P3's triangle that Rec.709's takes: 0.1121 / 0.1520.
        self.assertAlmostEqual(covered["Display P3 - Display"], 0.7372, places=2)
        # Colours of Pointer's that Rec.709 holds: 69 % of the area in xy, as is well known.
        self.assertAlmostEqual(narrow["pointer_covered"], 0.69, delta=0.01)
        self.assertGreater(wide["pointer_covered"], 0.99)
        matrix = next(row for row in narrow["matrices"] if row["space"] == "ACEScg")
        np.testing.assert_allclose(matrix["to"], rgb_to_rgb(REC709, AP1), atol=2e-4)
        np.testing.assert_allclose(np.array(matrix["to"]) @ matrix["back"], np.eye(3), atol=1e-6)


class RigJobs(ServerTestCase):
    ASK: ClassVar = {"width": 64, "height": 36, "samples": 2}

    def test_a_render_of_the_rig_comes_as_layers(self) -> None:
        job = self.tell("post", "/rig/renders", 201, **self.ASK, stops="key:2")
        self.do_jobs()
        (done,) = self.ask("/jobs")
        self.assertEqual((done["id"], done["state"]), (job["id"], "done"), done["message"])
        (render,) = self.ask("/renders")
        self.assertEqual((render["name"], render["made_by"]), ("rig_acescg.exr", "the bench renderer"))
        self.assertLessEqual({"", "key", "flame", "albedo", "Z", "id"}, set(render["layers"]))
        flame = self.tell("put", f"/renders/{render['id']}", based_on=1, layer="flame")
        self.assertLess(flame["peak"], render["peak"] + 1e-6)
        self.assertEqual(flame["layer"], "flame")
        self.refused("put", f"/renders/{render['id']}", "no layer", based_on=2, layer="moon")

    def test_cancelled_it_leaves_nothing_and_can_be_run_again(self) -> None:
        start_render(self.project, (64, 36, 2), Asked())
        Job.objects.update(cancel_requested=True)
        (job,) = self.do_jobs()
        folder = Path(settings.MEDIA_ROOT) / "rig"
        self.assertEqual((job.state, list(folder.glob("*")), Render.objects.count()), ("cancelled", [], 0))
        start_render(self.project, (64, 36, 2), Asked())
        self.assertEqual(self.do_jobs()[0].state, "done")
        self.assertEqual(Render.objects.count(), 1)
        self.assertEqual([file for file in folder.iterdir() if file.suffix != ".npz"], [])

    def test_sizes_that_are_none(self) -> None:
        for change, words in (
            ({"width": 8}, "16 pixels and more"),
            ({"width": 10_000, "height": 10_000}, "up to 2,073,600"),
            ({"samples": 0}, "from 1 to 1,024"),
            ({"samples": "many"}, "valid integer"),
        ):
            self.refused("post", "/rig/renders", words, **{**self.ASK, **change})
        self.assertEqual(self.ask("/jobs"), [])

    def test_working_spaces_beside_spectra(self) -> None:
        self.assertEqual(self.ask("/rig/spectral"), {"spaces": []})
        with patch("saltwort.server.scene.rig.SPECTRAL", (32, 18, 1)):
            self.tell("post", "/rig/spectral", 201)
            self.do_jobs()
            spaces = self.ask("/rig/spectral")["spaces"]
            self.ask("/rig/picture", spectral=True)
        self.assertIn("ACEScg", [space["space"] for space in spaces])
        means = [space["whole"]["mean"] for space in spaces]
        self.assertEqual(means, sorted(means))
