"""Swatches, renders, Compare and hand-offs through HTTP."""

import warnings
import zipfile
from pathlib import Path
from typing import ClassVar
from unittest.mock import patch

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio
from django.conf import settings

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.images.writing import write_layers
from saltwort.core.spaces.gamuts import AP1, D65, REC709, adaptation, rgb_to_rgb, rgb_to_xyz
from saltwort.core.spaces.observer import black_body_xy
from saltwort.core.stations.station import abilities
from saltwort.server.jobs.models import Job
from saltwort.server.scene.models import Render
from saltwort.server.scene.rig import Asked, start_render
from tests.core.test_configs import OLD_CONFIG
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    light,
    project_config,
    write,
    write_damaged,
    write_parts,
)
from tests.server import ServerTestCase

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

PQ = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (Rec.2020)", "look": ""}


ENAMEL = {"name": "enamel", "space": SRGB, "unit": "8-bit", "text": "47 106 104"}


class Swatches(ServerTestCase):
    def add(self, based_on: int = 1, **change: object) -> list[dict]:
        return self.tell("put", "/swatches", based_on=based_on, **{**ENAMEL, **change})

    def test_a_swatch_is_kept_as_typed_and_converted(self) -> None:
        (made,) = self.add()
        self.assertEqual((made["text"], made["unit"], made["space"]), ("47 106 104", "8-bit", SRGB))
        transform = project_config().getProcessor(ocio.ColorSpaceTransform(SRGB, "ACEScg")).getDefaultCPUProcessor()
        np.testing.assert_allclose(made["working"], transform.applyRGB([47 / 255, 106 / 255, 104 / 255]), atol=1e-7)
        shown = view_processor(project_config(), SRGB, ACES_SDR).applyRGB([47 / 255, 106 / 255, 104 / 255])
        np.testing.assert_allclose(made["shown"], shown, atol=1e-5)

    def test_what_it_is_whatever_its_numbers(self) -> None:
        encoded = np.array([47, 106, 104]) / 255
        expected = colour.sRGB_to_XYZ(encoded)
        facts = self.add()[0]["facts"]
        np.testing.assert_allclose(facts["xy"], colour.XYZ_to_xy(expected), atol=1e-4)
        np.testing.assert_allclose(facts["uv"], colour.xy_to_Luv_uv(colour.XYZ_to_xy(expected)), atol=1e-4)
        self.assertAlmostEqual(facts["luminance"], expected[1], places=4)
        self.assertAlmostEqual(facts["stops"], np.log2(expected[1] / 0.18), places=3)
        self.assertTrue(all(display["holds"] for display in facts["displays"]))
        marker = self.add(2, name="marker", use="light", space="Linear Rec.2020", unit="unit", text="0.02 1.4 0.16")[1]
        held = {display["display"] for display in marker["facts"]["displays"] if display["holds"]}
        self.assertIn("Rec.2100-PQ - Display", held)
        self.assertNotIn(SRGB_DISPLAY, held)

    def test_every_unit_says_the_same_colour(self) -> None:
        units = {
            "unit": "0.184313725 0.415686275 0.407843137",
            "hex": "#2f6a68",
            "hsv": "177.9661016949 0.5566037736 0.4156862745",
            "hsl": "177.9661016949 38.562091503% 30%",
            "10-bit": "188.5529412 425.2470588 417.2235294",
        }
        working = np.array(self.add()[0]["working"])
        for number, (unit, text) in enumerate(units.items(), start=2):
            (changed,) = self.add(number, was="enamel", unit=unit, text=text)
            np.testing.assert_allclose(changed["working"], working, atol=2e-6, err_msg=unit)
        x, y, luminance = (*changed["facts"]["xy"], changed["facts"]["luminance"])
        (changed,) = self.add(number + 1, was="enamel", space="", unit="xyY", text=f"{x} {y} {luminance}")
        np.testing.assert_allclose(changed["working"], working, atol=2e-6)

    def test_conversions_follow_the_working_space_and_going_back_is_exact(self) -> None:
        (before,) = self.add()
        self.tell("post", "/setup", based_on=2, message="w", working_space=LINEAR_REC709)
        (after,) = self.ask("/swatches")
        self.assertEqual(after["text"], before["text"])
        self.assertNotEqual(after["working"], before["working"])
        self.add(3, was="enamel", text="1 2 3")
        self.undo()
        self.undo()
        self.assertEqual(self.ask("/swatches"), [before])

    def test_change_delete_and_undo(self) -> None:
        self.add()
        changed = self.add(2, was="enamel", unit="hex", text="#fff", name="white")
        self.assertEqual([(swatch["name"], swatch["text"]) for swatch in changed], [("white", "#fff")])
        self.refused("put", "/swatches", "changed meanwhile", status=409, based_on=1, **ENAMEL)
        self.refused("put", "/swatches", "no swatch “enamel”", based_on=3, was="enamel", **ENAMEL)
        self.assertEqual(self.tell("post", "/swatches/remove", based_on=3, names=["white"]), [])
        self.undo()
        self.assertEqual(len(self.ask("/swatches")), 1)

    def test_a_change_of_the_scene_leaves_the_config_as_it_is(self) -> None:
        before = self.project.current
        self.add()
        self.project.refresh_from_db()
        self.assertEqual(self.project.current.config_hash, before.config_hash)
        self.assertEqual(self.project.current.parts, ["scene"])

    def test_refusals(self) -> None:
        for change, words in (
            ({"text": "300 0 0"}, "0 to 255"),
            ({"text": "nan", "unit": "unit"}, "finite"),
            ({"text": "0.5 0.5 0.5 0.5", "unit": "unit"}, "here are 4"),
            ({"text": "900", "unit": "kelvin"}, "1,000 to 40,000"),
            ({"text": "#12345", "unit": "hex"}, "3 or 6 digits"),
            ({"name": ""}, "empty"),
            ({"name": "a\u0007b"}, "printed"),
            ({"space": "Nowhere"}, "no colour space"),
            ({"text": "x" * 101}, "100"),
            ({"use": "paint"}, "valid choice"),
        ):
            self.refused("put", "/swatches", words, based_on=1, **{**ENAMEL, **change})
        self.add()
        self.refused("put", "/swatches", "“enamel” already", based_on=2, **ENAMEL)
        self.assertEqual(len(self.ask("/swatches")), 1)

    def test_a_swatch_outlives_its_space_and_is_reported(self) -> None:
        self.add()
        self.tell("post", "/setup", based_on=2, message="none", rules=[])
        (self.folder / "old.ocio").write_text(OLD_CONFIG)
        self.start_from(self.folder / "old.ocio")
        (swatch,) = self.ask("/swatches")
        self.assertEqual(swatch["working"], [None, None, None])
        self.assertIn("swatch.unknown-space", [finding["code"] for finding in self.findings()])
        self.assertEqual(len(self.ask("/path")), 5)  # the tracer goes on, in the default space

    def test_out_and_in_again_as_csv_and_json(self) -> None:
        self.add()
        listed = self.add(2, name="key, warm", use="light", space="", unit="kelvin", text="3200 0.004")
        for kind in ("csv", "json"):
            file = self.folder / f"swatches.{kind}"
            file.write_bytes(self.client.get(self.url(f"/swatches.{kind}")).getvalue())
            self.tell("post", "/swatches/remove", based_on=self.revision(), names=["enamel", "key, warm"])
            self.assertEqual(self.send("/swatches/file", file, based_on=self.revision()), listed)

    def test_a_charts_values_become_swatches_and_bad_files_change_nothing(self) -> None:
        chart = self.folder / "chart.csv"
        chart.write_bytes(self.client.get("/api/v1/chart.csv").getvalue())
        patches = self.send("/swatches/file", chart, based_on=self.revision())
        self.assertEqual((len(patches), patches[-1]["name"]), (24, "grey 20"))
        lab = self.folder / "lab.csv"
        lab.write_text("name,L,a,b\nskin,65,18,17\n")
        skin = self.send("/swatches/file", lab, based_on=self.revision())[-1]
        np.testing.assert_allclose(
            [*skin["facts"]["xy"], skin["facts"]["luminance"]],
            colour.XYZ_to_xyY(colour.Lab_to_XYZ([65, 18, 17], D65)),
            atol=1e-4,
        )
        stands = self.revision()
        for content, words in (
            (b"\xff\xfe\x00", "UTF-8"),
            (b"name,colour\nred,#f00\n", "names its columns"),
            (b"name,L,a,b\nred,50,x,1\n", "Line 2"),
            (b"name,L,a,b\n", "no patches"),
            (b"{}", "a list of swatches"),
            (b"[" * 5000, "no valid JSON"),
            (b'[{"name": "x", "space": "", "unit": "kelvin", "text": 3}]', "Swatch 1"),
            (b'[{"name": "x", "space": "", "unit": "kelvin", "text": "3"}]', "x: A temperature"),
            (b'[{"name": "x", "space": "Nowhere", "unit": "hex", "text": "fff"}]', "no colour space"),
            (b"name,use,space,unit,text\n", "no swatches"),
        ):
            bad = self.folder / "bad.csv"
            bad.write_bytes(content)
            self.assertIn(words, self.send("/swatches/file", bad, 400, based_on=self.revision())["detail"])
        self.assertEqual(self.revision(), stands)

    def test_measured_reflectances_in_the_working_space(self) -> None:
        found = {row["name"]: row for row in self.ask("/reflectances")}
        self.assertAlmostEqual(found["charcoal"]["luminance"], 0.035)
        np.testing.assert_allclose(found["charcoal"]["working"], [0.035] * 3, atol=1e-4)
        # Silver is nearly white, gold reflects red and holds blue back.
        self.assertGreater(found["silver"]["luminance"], 0.95)
        self.assertLess(found["gold"]["working"][2], 0.5)
        self.assertIn("Johnson", found["gold"]["source"])

    def test_what_picked_numbers_mean(self) -> None:
        encoded, light, back = self.ask("/meaning", unit="unit", text="0.5")
        self.assertAlmostEqual(encoded["light"][0], 0.2140, places=3)
        self.assertEqual(light["light"], [0.5, 0.5, 0.5])
        setup = self.ask("")["setup"]["view"]
        choice = ViewChoice(setup["display"], setup["view"])
        shown = view_processor(project_config(), "ACEScg", choice).applyRGB(back["light"])
        np.testing.assert_allclose(shown, [0.5] * 3, atol=2e-3)
        self.assertIn("0 to 255", self.ask("/meaning", 400, unit="8-bit", text="256 0 0")["detail"])
        self.ask("/meaning", 400, unit="kelvin", text="3200")


class Lights(ServerTestCase):
    def lights(self) -> list[dict]:
        return self.ask("/lights")

    def save(self, based_on: int, name: str, status: int = 200, **change: object) -> dict:
        own = ("name", "colour", "swatch", "intensity", "stops", "muted")
        told = [{field: light[field] for field in own} for light in self.lights()]
        told = [{**light, **change} if light["name"] == name else light for light in told]
        return self.tell("put", "/lights", status, based_on=based_on, lights=told)

    def test_a_light_takes_its_colour_from_kelvin_or_a_swatch(self) -> None:
        flame = {light["name"]: light for light in self.lights()}["flame"]
        np.testing.assert_allclose(flame["facts"]["xy"], black_body_xy(1900), atol=1e-4)
        self.assertAlmostEqual(flame["facts"]["luminance"], 1.0, places=4)
        self.tell("put", "/swatches", based_on=1, **{**ENAMEL, "use": "light"})
        (enamel,) = self.ask("/swatches")
        changed = {light["name"]: light for light in self.save(2, "flame", swatch="enamel", stops=2.5)}["flame"]
        self.assertEqual((changed["working"], changed["stops"]), (enamel["working"], 2.5))
        self.tell("post", "/swatches/remove", based_on=3, names=["enamel"])
        left = {light["name"]: light for light in self.lights()}["flame"]
        self.assertEqual((left["swatch"], left["working"]), ("", enamel["working"]))

    def test_refusals(self) -> None:
        for change, words in (
            ({"stops": 99}, "−20 to +20"),
            ({"intensity": -1}, "0 to 1,000,000"),
            ({"intensity": 1e30}, "0 to 1,000,000"),
            ({"intensity": "much"}, "valid number"),
            ({"swatch": "nobody"}, "no swatch"),
            ({"colour": {"space": "", "unit": "kelvin", "text": "500"}}, "key: A temperature"),
            ({"colour": {"space": "Nowhere", "unit": "hex", "text": "fff"}}, "no colour space"),
        ):
            self.assertIn(words, self.save(1, "key", 400, **change)["detail"])
        self.refused("put", "/lights", "has the lights", based_on=1, lights=[])


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


class Renders(ServerTestCase):
    def test_a_render_is_listed_with_its_space_and_peak(self) -> None:
        file = write(self.folder / "dusk.exr", light(60, 80, 40), "half", colorInteropID="lin_rec709_scene")
        made = self.send("/renders", file)
        self.assertEqual((made["space"], made["told_by"], made["bit_depth"]), (LINEAR_REC709, "header", "half"))
        self.assertGreater(made["peak"], 10)
        self.assertGreater(made["above_one"], 0)

    def test_by_chromaticities_by_hand_and_by_nothing(self) -> None:
        render = self.render(chromaticities=REC709.chromaticities)
        (listed,) = self.ask("/renders")
        self.assertEqual((listed["space"], listed["told_by"]), (LINEAR_REC709, "chromaticities"))
        changed = self.tell("put", f"/renders/{render.pk}", based_on=1, space="Linear Rec.2020")
        self.assertEqual((changed["space"], changed["told_by"]), ("Linear Rec.2020", "you"))
        again = self.tell("put", f"/renders/{render.pk}", based_on=2, space="")
        self.assertEqual(again["told_by"], "chromaticities")
        self.refused("put", f"/renders/{render.pk}", "no colour space", based_on=3, space="Nowhere")

    def test_layers_parts_and_windows(self) -> None:
        beauty, key = light(20, 30), light(20, 30) * 0.5
        file = self.folder / "layers.exr"
        channels = {name: beauty[..., number] for number, name in enumerate("RGB")}
        channels |= {f"key.{name}": key[..., number] for number, name in enumerate("RGB")}
        write_layers(file, {**channels, "Z": np.full((20, 30), 5000.0, np.float32)})
        made = self.send("/renders", file)
        self.assertEqual(made["layers"], ["", "Z", "key"])
        self.assertLess(made["peak"], 5000)  # depth is no light
        changed = self.tell("put", f"/renders/{made['id']}", based_on=1, layer="key")
        self.assertAlmostEqual(changed["peak"], made["peak"] / 2, places=2)
        (self.folder / "seen.png").write_bytes(self.ask(f"/renders/{made['id']}/picture", size=64))
        self.assertEqual(read_pixels(self.folder / "seen.png").shape, (20, 30, 3))

    def test_the_parts_of_a_file_are_layers(self) -> None:
        file = self.folder / "parts.exr"
        write_parts(file, {"beauty": light(8, 12), "key": light(8, 12) * np.float32(0.25)})
        made = self.send("/renders", file)
        self.assertEqual(made["layers"], ["beauty", "key"])
        changed = self.tell("put", f"/renders/{made['id']}", based_on=1, layer="key")
        self.assertAlmostEqual(changed["peak"], made["peak"] / 4, places=1)

    def test_a_data_window_is_put_into_its_picture(self) -> None:
        for window, shown in (((4, 3, 10, 6), (20, 12)), ((-4, -3, 30, 20), (20, 12))):
            x, y, width, height = window
            spec = oiio.ImageSpec(width, height, 3, "half")
            spec.x, spec.y, spec.full_width, spec.full_height = x, y, *shown
            file = self.folder / f"window{x}.exr"
            output = oiio.ImageOutput.create("openexr")
            output.open(str(file), spec)
            output.write_image(np.full((height, width, 3), 0.5, np.float32))
            output.close()
            made = self.send("/renders", file)
            self.assertEqual((made["width"], made["height"]), shown)
            self.assertEqual(made["window"], f"{width} × {height} from {x}, {y}")
            lit = read_pixels(file)[..., 0] > 0
            self.assertEqual(lit.shape, shown[::-1])
            self.assertEqual(int(lit.sum()), 60 if x > 0 else 240)

    def test_where_light_is_flat_negative_or_no_number(self) -> None:
        pixels = light(40, 60)
        pixels[:10, :20] = 1.5
        pixels[20:22, 30:33, 0] = -0.5
        pixels[30, 40] = np.nan
        render = self.send("/renders", write(self.folder / "marks.exr", pixels, "half"))
        flat, negative, broken = self.ask(f"/renders/{render['id']}/marks")
        self.assertAlmostEqual(flat["channels"][0], 9 * 19 / 2400, places=3)  # its inner edge has other neighbours
        self.assertAlmostEqual(negative["channels"][0], 6 / 2400, places=6)
        self.assertEqual(negative["all_channels"], 0)
        self.assertAlmostEqual(broken["all_channels"], 1 / 2400, places=6)
        self.assertLess(flat["bright_with_detail"], 1)
        plain, marked = (
            self.ask(f"/renders/{render['id']}/picture", size=64, exposure=-2, **query)
            for query in ({}, {"mark": "negative"})
        )
        self.assertNotEqual(plain, marked)
        self.ask(f"/renders/{render['id']}/picture", 400, mark="ugly")
        codes = {finding["code"] for finding in self.findings()}
        self.assertLessEqual({"render.negative", "render.non-finite"}, codes)

    def test_a_reference_picture_is_read_as_a_picture(self) -> None:
        png = write(self.folder / "still.png", light(peak=1.0), "uint8")
        brought = self.send("/renders", png)
        self.assertEqual((brought["space"], brought["told_by"][:17]), (SRGB, "the rules’ default"[:17]))
        self.assertIn("view.double", {finding["code"] for finding in self.findings()})

    def test_what_cannot_be_a_render(self) -> None:
        photo = write(self.folder / "still.jpg", light(peak=1.0), "uint8")
        self.assertIn("cut light off at 1", self.send("/renders", photo, 400)["detail"])
        cut = write_damaged(self.folder / "cut.exr", light(200, 200), "half")
        self.assertIn("cut.exr is damaged", self.send("/renders", cut, 400)["detail"])
        self.assertEqual(Render.objects.count(), 0)

    def test_pictures_are_the_engines_numbers_in_eight_bits(self) -> None:
        render = self.render()
        query = {"display": SRGB_DISPLAY, "view": UNTONED.view, "exposure": "-1", "size": 80}
        (self.folder / "seen.png").write_bytes(self.ask(f"/renders/{render.pk}/picture", **query))
        processor = view_processor(project_config(), "ACEScg", UNTONED, exposure=-1.0)
        expected = np.clip(apply(processor, read_pixels(render.image.file)), 0, 1)
        self.assertLessEqual(np.abs(read_pixels(self.folder / "seen.png") - expected).max(), 0.5 / 255 + 1e-6)

    def test_views_that_are_not_there(self) -> None:
        render = self.render()
        answer = self.ask(f"/renders/{render.pk}/picture", 400, display=SRGB_DISPLAY, view="Nowhere")
        self.assertIn("no view", answer["detail"])
        self.ask(f"/renders/{render.pk}/picture", 400, exposure="nan", view="Raw")


class HandOffs(ServerTestCase):
    def test_two_stations_with_sheets_that_follow_the_project(self) -> None:
        self.texture("wall_rough.png")
        renderer, compositor = self.ask("/stations")
        self.assertEqual((renderer["name"], compositor["name"]), ("Renderer", "Compositor"))
        before = self.ask(f"/stations/{renderer['id']}/sheet")
        self.assertIn("ACEScg", [line["value"] for section in before for line in section["settings"]])
        self.tell("post", "/setup", based_on=1, message="w", working_space="Linear Rec.2020")
        after = self.ask(f"/stations/{renderer['id']}/sheet")
        values = [line["value"] for section in after for line in section["settings"]]
        self.assertIn("Linear Rec.2020", values)
        self.assertIn("lin_rec2020_scene", values)
        self.assertIn("quay-r2.ocioz", values)
        text = self.ask(f"/stations/{compositor['id']}/sheet.txt").decode()
        self.assertIn("Read EXR renders as: Linear Rec.2020", text)

    def test_the_config_and_its_file_name_the_same_revision(self) -> None:
        """One that changes a colour alone keeps the config of the one before."""
        self.tell("put", "/swatches", based_on=1, **ENAMEL)
        self.assertEqual(self.revision(), 2)
        renderer = self.ask("/stations")[0]
        values = {line["key"]: line["value"] for line in self.ask(f"/stations/{renderer['id']}/sheet")[0]["settings"]}
        self.assertEqual((values["file"], values["name"]), ("quay-r1.ocioz", "quay-r1"))
        self.assertEqual(self.ask("/config")["export_name"], "quay-r1")

    def test_each_station_gets_a_config_of_its_own_version_and_others_lose_nothing(self) -> None:
        renderer, compositor = self.ask("/stations")
        before = self.ask(f"/stations/{compositor['id']}/config/file")
        for version, suffix in (("2.1", "zip"), ("2.2", "ocioz"), ("2.4", "ocioz")):
            station = self.ask("/stations")[0]
            said = {"ocio_version": version}
            self.tell("put", f"/stations/{renderer['id']}", based_on=station["version"], abilities=said)
            told = self.ask(f"/stations/{renderer['id']}/config")
            self.assertEqual((told["file"], told["own"]), (f"quay-r1-ocio{version}.{suffix}", True))
            self.assertIn("left out", [part["fate"] for part in told["replacements"]])
            (self.folder / "own.zip").write_bytes(self.ask(f"/stations/{renderer['id']}/config/file"))
            with zipfile.ZipFile(self.folder / "own.zip") as packed:
                text = packed.read("config.ocio").decode()
                self.assertIn(f"ocio_profile_version: {version}", text)
                packed.extractall(self.folder / f"own-{version}")
            ocio.Config.CreateFromFile(str(self.folder / f"own-{version}" / "config.ocio")).validate()
            self.assertEqual(self.ask(f"/stations/{compositor['id']}/config/file"), before)
            told = self.ask(f"/stations/{compositor['id']}/config")
            self.assertEqual((told["own"], told["replacements"]), (False, []))

    def test_applications_are_added_ordered_and_removed(self) -> None:
        said = {"ocio_version": "2.4"}
        added = self.tell("post", "/stations", 201, name=" Paint ", kind="texturing", abilities=said)
        self.assertEqual((added["name"], added["abilities"] | said), ("Paint", added["abilities"]))
        self.refused("post", "/stations", "already", name="paint", reads="renders")
        self.refused("post", "/stations", "not a valid choice", name="x", reads="minds")
        renderer, compositor, paint = (row["id"] for row in self.ask("/stations"))
        ordered = self.tell("put", "/station-order", stations=[paint, renderer, compositor])
        self.assertEqual([row["name"] for row in ordered], ["Paint", "Renderer", "Compositor"])
        titles = [section["title"] for section in self.ask(f"/stations/{paint}/sheet")]
        self.assertEqual(titles[-1], "Then, in the renderer")
        for wrong in ([paint, renderer], [paint, paint, renderer], [paint, renderer, 999]):
            self.refused("put", "/station-order", "changed meanwhile", stations=wrong)
        self.tell("delete", f"/stations/{renderer}", 204)
        self.assertEqual([row["name"] for row in self.ask("/stations")], ["Paint", "Compositor"])
        with patch("saltwort.server.handoffs.operations.MOST_STATIONS", 2):
            self.refused("post", "/stations", "up to 2", name="x", reads="renders")

    def test_what_a_station_can_do_changes_its_sheet_and_the_findings(self) -> None:
        renderer = self.ask("/stations")[0]
        self.texture("wall_rough.png")
        change = {"ocio_version": "2.3", "follows_file_rules": False}
        self.tell("put", f"/stations/{renderer['id']}", based_on=1, abilities=change)
        sheet = self.ask(f"/stations/{renderer['id']}/sheet")
        lines = {line["label"]: line for section in sheet for line in section["settings"]}
        self.assertEqual(lines["Config version"]["value"], "OCIO 2.3")
        self.assertEqual(lines["OCIO config"]["value"], "quay-r1-ocio2.3.ocioz")
        self.assertEqual(lines["wall_rough.png"]["why"], "set this in the application")
        self.assertIn("handoff.config-of-its-own", [finding["code"] for finding in self.findings()])
        self.refused("put", f"/stations/{renderer['id']}", "changed meanwhile", status=409, based_on=1,
                     abilities=change)  # fmt: skip
        for bad, said in (
            ({"ocio_version": "newest"}, "has no value 'newest'. Choose one of 1.0"),
            ({"follows_file_rules": "yes"}, "Choose one of true, false"),
            ({"flies": True}, "has no “flies”"),
            ({"ocio_version": True}, "has no value True"),
            ({"ocio_version": ["2.4"]}, "has no value"),
        ):
            self.refused("put", f"/stations/{renderer['id']}", said, based_on=2, abilities=bad)

    def test_abilities_are_offered_to_the_applications_that_have_them(self) -> None:
        offered = self.client.get("/api/v1/station-abilities").json()
        self.assertEqual({ability["key"] for ability in offered}, {ability.key for ability in abilities()})
        for row in self.ask("/stations"):
            self.assertEqual(
                row["abilities"],
                {ability["key"]: ability["default"] for ability in offered if row["reads"] in ability["reads"]},
            )


class LiveData(ServerTestCase):
    def test_light_in_the_working_space_as_half_floats(self) -> None:
        render = self.render(colorInteropID="lin_rec709_scene")
        content = self.ask(f"/renders/{render.pk}/light", size=4096)
        width, height = np.frombuffer(content[:8], "<u4")
        rgba = np.frombuffer(content[8:], np.float16).reshape(height, width, 4)
        processor = project_config().getProcessor(ocio.ColorSpaceTransform(LINEAR_REC709, "ACEScg"))
        expected = apply(processor.getDefaultCPUProcessor(), read_pixels(render.image.file))
        np.testing.assert_allclose(rgba[..., :3], expected, rtol=1e-3, atol=1e-4)
        self.assertTrue((rgba[..., 3] == 1).all())
        self.ask(f"/renders/{render.pk}/light", 400, size=100_000)

    def test_a_program_with_its_proof(self) -> None:
        choice = {"display": SRGB_DISPLAY, "view": ACES_SDR.view, "look": ""}
        program = self.ask("/program", **choice)
        self.assertIn(program["function"], program["glsl"])
        weights = (adaptation(AP1.white, D65) @ rgb_to_xyz(AP1))[1]
        np.testing.assert_allclose(program["luminance"], weights, atol=1e-4)
        light, shown = np.frombuffer(self.ask("/program/proof", **choice), np.float32).reshape(2, -1, 3)
        expected = view_processor(project_config(), "ACEScg", ACES_SDR).applyRGB(light[100].tolist())
        np.testing.assert_allclose(shown[100], expected, atol=1e-6)
        self.ask("/program", 400, **{**choice, "view": "Nowhere"})

    def test_scopes_of_a_part(self) -> None:
        render = self.render()
        choice = {"display": SRGB_DISPLAY, "view": ACES_SDR.view, "look": ""}
        whole = self.ask(f"/renders/{render.pk}/scope", kind="parade", **choice)
        part = self.ask(f"/renders/{render.pk}/scope", kind="parade", x=0.5, width=0.25, **choice)
        before = self.ask(f"/renders/{render.pk}/scope", kind="parade", light=True, **choice)
        self.assertEqual(len({whole, part, before}), 3)
        found = self.ask(f"/renders/{render.pk}/light-scope", exposure=1)
        self.assertTrue(found["histogram"]["in_stops"])
        self.assertGreater(len(found["chromaticities"]), 10)
        self.ask(f"/renders/{render.pk}/scope", 400, kind="radar", **choice)
        self.ask(f"/renders/{render.pk}/scope", 400, kind="parade", x=2, **choice)

    def test_a_file_that_is_gone_is_told_and_the_list_stays(self) -> None:
        render = self.render()
        render.image.file.unlink()
        self.assertEqual(len(self.ask("/renders")), 1)
        self.assertIn("detail", self.ask(f"/renders/{render.pk}/light", 400))
