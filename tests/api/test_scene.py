"""Swatches, renders, Compare and hand-offs through HTTP."""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.spaces.gamuts import REC709
from saltwort.server.scene.models import Render, Swatch
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
)
from tests.server import ServerTestCase

PQ = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (Rec.2020)", "look": ""}


ENAMEL = {"name": "enamel", "space": SRGB, "unit": "8-bit", "text": "47 106 104"}


class Swatches(ServerTestCase):
    def test_a_swatch_is_kept_as_typed_and_converted(self) -> None:
        made = self.tell("post", "/swatches", 201, **ENAMEL)
        self.assertEqual((made["text"], made["unit"], made["space"]), ("47 106 104", "8-bit", SRGB))
        transform = project_config().getProcessor(ocio.ColorSpaceTransform(SRGB, "ACEScg")).getDefaultCPUProcessor()
        np.testing.assert_allclose(made["working"], transform.applyRGB([47 / 255, 106 / 255, 104 / 255]), atol=1e-7)
        shown = view_processor(project_config(), SRGB, ACES_SDR).applyRGB([47 / 255, 106 / 255, 104 / 255])
        np.testing.assert_allclose(made["shown"], shown, atol=1e-5)

    def test_conversions_follow_the_working_space_and_what_was_typed_stays(self) -> None:
        before = self.tell("post", "/swatches", 201, **ENAMEL)
        self.tell("post", "/setup", based_on=1, message="w", working_space=LINEAR_REC709)
        (after,) = self.ask("/swatches")
        self.assertEqual(after["text"], before["text"])
        self.assertNotEqual(after["working"], before["working"])

    def test_change_and_delete(self) -> None:
        made = self.tell("post", "/swatches", 201, **ENAMEL)
        changed = self.tell("put", f"/swatches/{made['id']}", based_on=1, **{**ENAMEL, "unit": "hex", "text": "#fff"})
        self.assertEqual((changed["version"], changed["text"]), (2, "#fff"))
        self.refused("put", f"/swatches/{made['id']}", "changed meanwhile", status=409, based_on=1, **ENAMEL)
        self.tell("delete", f"/swatches/{made['id']}", 204)
        self.assertEqual(Swatch.objects.count(), 0)

    def test_refusals(self) -> None:
        for change, words in (
            ({"text": "300 0 0"}, "0 to 255"),
            ({"text": "nan", "unit": "unit"}, "finite"),
            ({"name": ""}, "blank"),
            ({"space": "Nowhere"}, "no colour space"),
            ({"text": "x" * 101}, "100"),
        ):
            self.refused("post", "/swatches", words, **{**ENAMEL, **change})
        self.assertEqual(Swatch.objects.count(), 0)

    def test_a_swatch_outlives_its_space_and_is_reported(self) -> None:
        self.tell("post", "/swatches", 201, **ENAMEL)
        self.tell("post", "/setup", based_on=1, message="none", rules=[])
        (self.folder / "old.ocio").write_text(OLD_CONFIG)
        self.start_from(self.folder / "old.ocio")
        (swatch,) = self.ask("/swatches")
        self.assertEqual(swatch["working"], [None, None, None])
        self.assertIn("swatch.unknown-space", [finding["code"] for finding in self.ask("/findings")])
        self.assertEqual(len(self.ask("/path")), 5)  # the tracer goes on, in the default space


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

    def test_what_cannot_be_a_render(self) -> None:
        png = write(self.folder / "still.png", light(peak=1.0), "uint8")
        self.assertIn("cut light off at 1", self.send("/renders", png, 400)["detail"])
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


class Compare(ServerTestCase):
    def test_two_panes_with_views_of_their_own(self) -> None:
        render = self.render()
        first = self.ask("/comparison")
        self.assertEqual(first["render"], render.pk)
        self.assertNotEqual(first["panes"][0], first["panes"][1])
        panes = [PQ, {"display": SRGB_DISPLAY, "view": "Raw", "look": "ACES 1.3 Reference Gamut Compression"}]
        saved = self.tell("put", "/comparison", based_on=1, render=render.pk, exposure=1.5, panes=panes)
        self.assertEqual((saved["panes"], saved["exposure"], saved["version"]), (panes, 1.5, 2))

    def test_refusals(self) -> None:
        render = self.render()
        panes = self.ask("/comparison")["panes"]
        good = {"based_on": 1, "render": render.pk, "exposure": 0.0, "panes": panes}
        lost = {"display": SRGB_DISPLAY, "view": "Nowhere", "look": ""}
        self.refused("put", "/comparison", "no view", **{**good, "panes": [panes[0], lost]})
        self.refused("put", "/comparison", "at least 2", **{**good, "panes": panes[:1]})
        self.refused("put", "/comparison", "less than or equal to 32", **{**good, "exposure": 99})
        self.refused("put", "/comparison", "gone", status=404, **{**good, "render": 999})
        self.tell("put", "/comparison", **good)
        self.refused("put", "/comparison", "changed meanwhile", status=409, **good)

    def test_the_probe_holds_light_and_what_each_pane_makes_of_it(self) -> None:
        render = self.render()
        self.ask("/comparison")
        pixels = read_pixels(render.image.file)
        found = self.ask(f"/renders/{render.pk}/probe", x=70, y=40, exposure=1)
        np.testing.assert_allclose(found["light"], pixels[40, 70], rtol=1e-6)
        expected = view_processor(project_config(), "ACEScg", ACES_SDR, 1.0).applyRGB(pixels[40, 70].tolist())
        np.testing.assert_allclose(found["views"][0]["values"], expected, atol=1e-6)
        self.assertEqual(found["views"][0]["code_values"], [round(min(1, max(0, value)) * 255) for value in expected])
        self.assertEqual(len(found["views"]), 2)
        self.assertIn("outside", self.ask(f"/renders/{render.pk}/probe", 400, x=999, y=0)["detail"])

    def test_a_view_that_went_away_gives_way_to_the_projects_own(self) -> None:
        self.render()
        self.ask("/comparison")
        self.tell("post", "/setup", based_on=1, message="none", rules=[])
        (self.folder / "old.ocio").write_text(OLD_CONFIG)
        self.start_from(self.folder / "old.ocio")
        self.assertEqual([pane["view"] for pane in self.ask("/comparison")["panes"]], ["Plain", "Plain"])


class HandOffs(ServerTestCase):
    def test_two_stations_with_sheets_that_follow_the_project(self) -> None:
        self.texture("wall_rough.png")
        renderer, compositor = self.ask("/stations")
        self.assertEqual((renderer["name"], compositor["name"]), ("Renderer", "Compositor"))
        before = self.ask(f"/stations/{renderer['id']}/sheet")
        self.assertIn("ACEScg", [line["value"] for section in before for line in section["lines"]])
        self.tell("post", "/setup", based_on=1, message="w", working_space="Linear Rec.2020")
        after = self.ask(f"/stations/{renderer['id']}/sheet")
        values = [line["value"] for section in after for line in section["lines"]]
        self.assertIn("Linear Rec.2020", values)
        self.assertIn("lin_rec2020_scene", values)
        self.assertIn("quay-r2.ocioz", values)
        text = self.ask(f"/stations/{compositor['id']}/sheet.txt").decode()
        self.assertIn("Read EXR renders as: Linear Rec.2020", text)

    def test_what_a_station_can_do_changes_its_sheet_and_the_findings(self) -> None:
        renderer = self.ask("/stations")[0]
        self.texture("wall_rough.png")
        change = {"ocio_version": "2.3", "follows_file_rules": False}
        self.tell("put", f"/stations/{renderer['id']}", based_on=1, **change)
        sheet = self.ask(f"/stations/{renderer['id']}/sheet")
        lines = {line["setting"]: line for section in sheet for line in section["lines"]}
        self.assertIn("Attention", lines)
        self.assertEqual(lines["wall_rough.png"]["why"], "set by hand on this file")
        self.assertIn("handoff.config-too-new", [finding["code"] for finding in self.ask("/findings")])
        self.refused("put", f"/stations/{renderer['id']}", "changed meanwhile", status=409, based_on=1, **change)
        bad = {**change, "ocio_version": "newest"}
        self.refused("put", f"/stations/{renderer['id']}", "does not match", based_on=2, **bad)
