"""The Compare step through HTTP: panes, probes, programs, pairs, grades, and what is kept."""

import json
from dataclasses import asdict, replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, load_config, space_processor, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.project import compose
from saltwort.core.views import AddedView
from saltwort.core.views.families import agx, filmic
from saltwort.core.views.grade import NO_GRADE, graded
from saltwort.core.views.sample_pictures import SAMPLE_PICTURES
from saltwort.server.compare.grades import grade_from_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of
from tests.core.test_configs import OLD_CONFIG
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    light,
    project_config,
    sample_setup,
)
from tests.server import ServerTestCase

PQ = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (Rec.2020)", "look": ""}


class Compare(ServerTestCase):
    def test_two_panes_with_views_of_their_own(self) -> None:
        render = self.render()
        first = self.ask("/comparison")
        self.assertEqual(first["render"], render.pk)
        self.assertNotEqual(first["panes"][0], first["panes"][1])
        panes = [PQ, {"display": SRGB_DISPLAY, "view": "Raw", "look": "ACES 1.3 Reference Gamut Compression"}]
        saved = self.tell("put", "/comparison", based_on=1, render=render.pk, exposure=1.5, panes=panes)
        shown = [{name: pane[name] for name in ("display", "view", "look")} for pane in saved["panes"]]
        self.assertEqual((shown, saved["exposure"], saved["version"]), (panes, 1.5, 2))
        self.assertEqual(
            {(pane["exposure"], pane["render"], pane["gone"]) for pane in saved["panes"]}, {(None, None, "")}
        )

    def test_an_exposure_left_on_is_a_note(self) -> None:
        render = self.render()
        panes = self.ask("/comparison")["panes"]
        self.assertNotIn("view.exposure-left-on", [finding["code"] for finding in self.findings()])
        self.tell("put", "/comparison", based_on=1, render=render.pk, exposure=1.5, panes=panes)
        self.assertIn("view.exposure-left-on", [finding["code"] for finding in self.findings()])

    def test_where_views_put_light(self) -> None:
        tone = self.ask("/tone", display=SRGB_DISPLAY, view=UNTONED.view)
        self.assertAlmostEqual(tone["grey"], 0.18, places=3)
        self.assertEqual(len(tone["stops"]), len(tone["light"]))
        self.assertGreater(abs(tone["largest_turn"]["turn"]), 20)
        raw = self.ask("/tone", display=SRGB_DISPLAY, view="Raw")
        self.assertIn("does not output the colours of a display", raw["refused"])
        self.assertEqual((raw["stops"], raw["grey"]), ([], None))
        (self.folder / "sweep.png").write_bytes(self.ask("/tone/sweep", display=SRGB_DISPLAY, view=UNTONED.view))
        self.assertEqual(read_pixels(self.folder / "sweep.png").shape[1], 24 * 12)
        self.assertIn("detail", self.ask("/tone/sweep", 400, display=SRGB_DISPLAY, view="Raw"))

    def test_refusals(self) -> None:
        render = self.render()
        panes = self.ask("/comparison")["panes"]
        good = {"based_on": 1, "render": render.pk, "exposure": 0.0, "panes": panes}
        lost = {"display": SRGB_DISPLAY, "view": "Nowhere", "look": ""}
        self.refused("put", "/comparison", "no view", **{**good, "panes": [panes[0], lost]})
        self.refused("put", "/comparison", "Panes is too short: 1 at least", **{**good, "panes": []})
        self.refused("put", "/comparison", "Panes is too long: 9 at most", **{**good, "panes": panes * 5})
        self.refused("put", "/comparison", "Exposure is 32 at most", **{**good, "exposure": 99})
        self.refused("put", "/comparison", "gone", status=404, **{**good, "render": 999})
        self.tell("put", "/comparison", **good)
        self.refused("put", "/comparison", "changed meanwhile", status=409, **good)

    def test_the_probe_follows_light_through_a_view(self) -> None:
        render = self.render()
        pixels = read_pixels(render.image.file)
        choice = {"display": SRGB_DISPLAY, "view": ACES_SDR.view}
        found = self.ask(f"/renders/{render.pk}/probe", x=70, y=40, exposure=1, **choice)
        np.testing.assert_allclose(found["light"], pixels[40, 70], rtol=1e-6)
        expected = view_processor(project_config(), "ACEScg", ACES_SDR, 1.0).applyRGB(pixels[40, 70].tolist())
        np.testing.assert_allclose(found["values"], expected, atol=1e-6)
        self.assertEqual(found["code_values"][0], [round(min(1, max(0, value)) * 255) for value in expected])
        self.assertIn("none at 999, 0", self.ask(f"/renders/{render.pk}/probe", 400, x=999, y=0, **choice)["detail"])

    def test_places_are_followed_through_every_pane_with_what_is_its_own(self) -> None:
        render = self.render()
        pixels = read_pixels(render.image.file)
        height, width = pixels.shape[:2]
        pane = {"display": SRGB_DISPLAY, "view": UNTONED.view, "look": ""}
        panes = [pane, {**pane, "exposure": -2.0}, {**pane, "working": LINEAR_REC709}]
        asked = {"render": render.pk, "exposure": 1.0, "panes": panes}
        places = [[0.0, 0.0], [70.5 / width, 40.5 / height]]
        corner, place = self.tell("post", "/probes", places=places, **asked)
        np.testing.assert_allclose(place["panes"][0]["light"], pixels[40, 70], rtol=1e-6)
        np.testing.assert_allclose(corner["panes"][0]["light"], pixels[0, 0], rtol=1e-6)
        for followed, exposure in zip(place["panes"], (1.0, -2.0, 1.0), strict=True):
            expected = view_processor(project_config(), "ACEScg", UNTONED, exposure).applyRGB(pixels[40, 70].tolist())
            np.testing.assert_allclose(followed["values"], expected, atol=1e-4)
        moved = space_processor(project_config(), "ACEScg", LINEAR_REC709).applyRGB(pixels[40, 70].tolist())
        np.testing.assert_allclose(place["panes"][2]["light"], moved, atol=1e-4)
        self.refused("post", "/probes", "Places is too long: 13 at most", places=[[0, 0]] * 40, **asked)
        self.refused("post", "/probes", "gone", status=404, places=[[0, 0]], **{**asked, "render": 999})

    def test_panes_of_their_own_are_kept_and_checked(self) -> None:
        render = self.render()
        panes = self.ask("/comparison")["panes"]
        own = {**panes[0], "exposure": -1.0, "render": render.pk, "layer": "", "working": LINEAR_REC709}
        asked = {"based_on": 1, "render": render.pk, "exposure": 0.0, "probes": [[0.25, 0.5]]}
        saved = self.tell("put", "/comparison", panes=[own, panes[1]], **asked)
        self.assertEqual((saved["panes"][0], saved["probes"]), ({**own, "gone": ""}, [[0.25, 0.5]]))
        asked["based_on"] = 2
        self.refused("put", "/comparison", "is gone", panes=[{**own, "render": 999}], **asked)
        self.refused("put", "/comparison", "no colour space", panes=[{**own, "working": "Nowhere"}], **asked)
        self.refused("put", "/comparison", "Probes is 1 at most", panes=panes, **{**asked, "probes": [[2, 0]]})
        render.delete()
        self.assertEqual(self.ask("/comparison")["panes"][0]["gone"], "its picture")

    def test_a_comparison_is_kept_with_its_revision_and_notes(self) -> None:
        render = self.render()
        panes = [
            {name: value for name, value in pane.items() if name != "gone"} for pane in self.ask("/comparison")["panes"]
        ]
        state = {"render": render.pk, "exposure": 1.5, "panes": panes, "probes": [[0.5, 0.5]], "mode": "wipe"}
        state |= {"surround": "grey", "marks": "picture", "window": [0, 0, 1, 1]}
        kept = self.tell("post", "/kept-comparisons", 201, name=" Lamps ", notes="too hot", state=state)
        self.assertEqual(
            (kept["name"], kept["notes"], kept["revision"], kept["state"]["mode"]), ("Lamps", "too hot", 1, "wipe")
        )
        changed = self.tell("put", f"/kept-comparisons/{kept['id']}", based_on=1, name="Lamps", notes="fine now")
        self.assertEqual((changed["notes"], changed["state"]), ("fine now", kept["state"]))
        self.refused("put", f"/kept-comparisons/{kept['id']}", "meanwhile", status=409, based_on=1, name="x")
        self.refused("post", "/kept-comparisons", "empty", name=" ", state=state)
        self.assertEqual([row["id"] for row in self.ask("/kept-comparisons")], [kept["id"]])
        self.client.delete(self.url(f"/kept-comparisons/{kept['id']}"))
        self.assertEqual(self.ask("/kept-comparisons"), [])

    def test_a_program_of_an_older_revision_and_of_a_view_being_designed(self) -> None:
        added = {"display": SRGB_DISPLAY, "name": "Mine", "family": "agx", "rendering": "", "design": None}
        choice = {"display": SRGB_DISPLAY, "view": "Mine"}
        self.assertIn("no view", self.ask("/program", 400, **choice)["detail"])
        draft = self.ask("/program", draft=json.dumps(added), **choice)
        self.tell("post", "/setup", based_on=1, message="v", added_views=[added])
        self.assertEqual(self.ask("/program", **choice)["textures"], draft["textures"])
        self.assertIn("no view", self.ask("/program", 400, revision=1, **choice)["detail"])
        self.assertIn("no revision 9", self.ask("/program", 400, revision=9, **choice)["detail"])
        self.assertIn("as JSON", self.ask("/program", 400, draft="{", **choice)["detail"])
        wild = {**added, "name": "Wild", "design": {**asdict(agx.DESIGN), "contrast": 99}}
        answer = self.ask("/program", 400, draft=json.dumps(wild), display=SRGB_DISPLAY, view="Wild")
        self.assertIn("Contrast at grey lies from 0.4 to 2.5", answer["detail"])

    def test_programs_for_a_screen_and_what_a_display_is(self) -> None:
        found = {
            display: self.ask("/program", display=display, view=view)["light"]
            for display, view in (
                (SRGB_DISPLAY, UNTONED.view),
                (SRGB_DISPLAY, "Raw"),
                ("Display P3 - Display", UNTONED.view),
                ("Rec.1886 Rec.709 - Display", UNTONED.view),
                ("Rec.2100-PQ - Display", PQ["view"]),
            )
        }
        kinds = {
            "Display P3 - Display": "display-p3",
            "Rec.1886 Rec.709 - Display": "sdr",
            "Rec.2100-PQ - Display": "hdr",
        }
        self.assertEqual(found, {SRGB_DISPLAY: "none", **kinds})
        self.assertEqual(self.ask("/program", display=SRGB_DISPLAY, view=UNTONED.view)["light"], "srgb")
        raw = self.ask("/program", 400, display=SRGB_DISPLAY, view="Raw", target="light")
        self.assertIn("does not output the colours of a display", raw["detail"])

    def test_the_difference_of_two_panes_and_a_match(self) -> None:
        render = self.render()
        panes = [
            {"display": SRGB_DISPLAY, "view": ACES_SDR.view, "look": "", "exposure": exposure} for exposure in (0, 1)
        ]
        asked = {"panes": panes, "render": render.pk, "exposure": 0.0}
        grade = json.loads(json.dumps(asdict(NO_GRADE)))
        found = self.tell("post", "/pair/difference", **asked, grade=grade)
        self.assertEqual(found["measure"], "ΔE 2000")
        self.assertGreater(found["mean"], 2)
        self.assertTrue(found["picture"].startswith("data:image/png;base64,"))
        matched = self.tell("post", "/pair/match", **asked, kind="exposure", place="before", log=False)
        self.assertAlmostEqual(matched["grade"]["exposure"], 1.0, delta=0.02)
        self.assertLess(matched["after"]["mean"], 0.1)
        self.refused("post", "/pair/match", "not a valid choice", **asked, kind="magic", place="before", log=False)

    def test_a_grade_becomes_a_look(self) -> None:
        self.render()
        plain = {**json.loads(json.dumps(asdict(NO_GRADE))), "place": "before", "slope": [1.2, 1, 0.9]}
        saved = self.tell("post", "/grade-look", based_on=1, name="Warm", grade=plain)
        self.assertEqual(saved["setup"]["added_looks"][0]["slope"], [1.2, 1, 0.9])
        bent = {**plain, "log": True, "exposure": 0.5, "curve": [0, 0.2, 0.5, 0.8, 1]}
        self.tell("post", "/grade-look", based_on=2, name="Bent", grade=bent)
        config = config_of(Project.objects.get(slug=self.project.slug).current)
        pixels = light(8, 8)
        look = config.getProcessor(ocio.LookTransform("ACEScg", "ACEScg", "Bent")).getDefaultCPUProcessor()
        found = np.array([look.applyRGB(pixel.tolist()) for pixel in pixels.reshape(-1, 3)]).reshape(8, 8, 3)
        expected = graded(config, pixels, grade_from_json(bent), "before")
        np.testing.assert_allclose(found, expected, rtol=2e-3, atol=2e-4)
        self.refused("post", "/grade-look", "acts on light", based_on=3, name="x", grade={**plain, "place": "after"})

    def test_a_browser_that_draws_otherwise_is_a_finding_until_it_does_not(self) -> None:
        self.render()
        choice = {"display": SRGB_DISPLAY, "view": ACES_SDR.view}
        for largest, expected in ((0.001, False), (0.02, True), (0.02, True), (0.001, False)):
            self.tell("post", "/program/difference", 204, **choice, largest=largest)
            self.assertEqual("view.drawn-off" in [finding["code"] for finding in self.findings()], expected)

    def test_light_of_a_box_and_of_test_pictures(self) -> None:
        render = self.render()
        pixels = read_pixels(render.image.file)
        box = self.ask(f"/renders/{render.pk}/light", x=10, y=5, width=20, height=8)
        self.assertEqual(np.frombuffer(box[:8], "<u4").tolist(), [20, 8])
        rgba = np.frombuffer(box[8:], np.float16).reshape(8, 20, 4)
        np.testing.assert_array_equal(rgba[..., :3], pixels[5:13, 10:30].astype(np.float16))
        for name in (*SAMPLE_PICTURES, "rig"):
            content = self.ask(f"/test-pictures/{name}")
            width, height = np.frombuffer(content[:8], "<u4").tolist()
            self.assertEqual(len(content), 8 + width * height * 8)
        self.assertIn("no test picture", self.ask("/test-pictures/cat", 400)["detail"])

    def test_a_view_that_went_away_gives_way_to_the_projects_own(self) -> None:
        self.render()
        self.ask("/comparison")
        self.tell("post", "/setup", based_on=1, message="none", rules=[])
        (self.folder / "old.ocio").write_text(OLD_CONFIG)
        self.start_from(self.folder / "old.ocio")
        self.assertEqual([pane["view"] for pane in self.ask("/comparison")["panes"]], ["Plain", "Plain"])


class OtherConfigs(ServerTestCase):
    """Pictures, scopes and curves through configs that are not the current one."""

    FILM = AddedView(SRGB_DISPLAY, "Film", "filmic")

    def with_film(self) -> None:
        change_setup(self.project, 1, "film", lambda setup: replace(setup, added_views=(self.FILM,)))

    def test_a_picture_in_another_working_space_and_of_an_older_revision(self) -> None:
        render = self.render()
        self.with_film()
        query = {"display": SRGB_DISPLAY, "view": "Film", "size": 80}
        setup = replace(sample_setup(), added_views=(self.FILM,), working_space=LINEAR_REC709)
        config = load_config(compose(base_archive(), setup, "x"))
        processor = view_processor(config, "ACEScg", ViewChoice(SRGB_DISPLAY, "Film"))
        expected = np.clip(apply(processor, read_pixels(render.image.file)), 0, 1)
        (self.folder / "seen.png").write_bytes(
            self.ask(f"/renders/{render.pk}/picture", working=LINEAR_REC709, **query)
        )
        self.assertLessEqual(np.abs(read_pixels(self.folder / "seen.png") - expected).max(), 1 / 255)
        plain = self.ask(f"/renders/{render.pk}/picture", **query)
        self.assertNotEqual(plain, (self.folder / "seen.png").read_bytes())
        self.assertIn("no view", self.ask(f"/renders/{render.pk}/picture", 400, revision=1, **query)["detail"])
        answer = self.ask(f"/renders/{render.pk}/picture", 400, working="Raw", **query)
        self.assertIn("not scene-linear", answer["detail"])

    def test_curves_in_two_working_spaces(self) -> None:
        self.with_film()
        query = {"display": SRGB_DISPLAY, "view": "Film"}
        here, there = self.ask("/tone", **query), self.ask("/tone", working=LINEAR_REC709, **query)
        np.testing.assert_allclose(here["light"], there["light"], atol=1e-4)  # greys are grey in both
        turns = [[hue["turn"] for hue in tone["hues"]] for tone in (here, there)]
        self.assertGreater(float(np.abs(np.subtract(*turns)).max()), 1)
        self.assertEqual(len(here["saturation"]), len(here["swept"]))

    def test_scopes_follow_the_grade_and_the_part_that_is_marked(self) -> None:
        render = self.render()
        query = {"kind": "waveform", "display": SRGB_DISPLAY, "view": UNTONED.view}
        plain = self.ask(f"/renders/{render.pk}/scope", **query)
        changes = (
            {"grade": "before", "grade_exposure": -2},
            {"grade": "before", "log": True, "curve": "0,0.2,0.6,0.8,1"},
            {"grade": "after", "curve": "0.2,0.3,0.5,0.7,0.8"},
            {"x": 0.5, "y": 0.5, "width": 0.1, "height": 0.1},
            {"working": LINEAR_REC709, "light": True},
        )
        seen = {plain, *(self.ask(f"/renders/{render.pk}/scope", **query, **change) for change in changes)}
        self.assertEqual(len(seen), 1 + len(changes), "each is another picture")
        bad = self.ask(f"/renders/{render.pk}/scope", 400, grade="after", curve="0,1", **query)
        self.assertIn("5 numbers", bad["detail"])
        bad = self.ask(f"/renders/{render.pk}/scope", 400, grade="after", curve="0,0.5,0.4,0.8,1", **query)
        self.assertIn("must not fall", bad["detail"])

    def test_what_the_checks_say_of_a_design(self) -> None:
        view = {"display": SRGB_DISPLAY, "name": "Mine", "family": "agx", "rendering": ""}
        turned = {**asdict(agx.DESIGN), "inset_turn": [20, -20, 20], "outset_turn": [-20, 20, -20]}
        for design, expected in ((asdict(agx.DESIGN), False), (turned, True)):
            draft = json.dumps({**view, "design": design})
            found = self.ask("/design/findings", display=SRGB_DISPLAY, view="Mine", draft=draft)
            codes = {finding["code"] for finding in found}
            self.assertEqual("view.hues-reversed" in codes, expected)
            self.assertTrue(all(code.startswith("view.") for code in codes))

    def test_a_design_is_saved_replaced_and_undone(self) -> None:
        view = {"display": SRGB_DISPLAY, "name": "Mine", "family": "filmic", "rendering": ""}
        for revision, contrast in ((1, 1.1), (2, 1.3)):
            design = json.loads(json.dumps(asdict(replace(filmic.DESIGN, contrast=contrast))))
            added = [{**view, "design": design}]
            saved = self.tell("post", "/setup", based_on=revision, message="v", added_views=added)
            self.assertEqual(saved["setup"]["added_views"], added)
            slope = self.ask("/tone", display=SRGB_DISPLAY, view="Mine")["slope"]
            self.assertAlmostEqual(slope, contrast, delta=5e-3)
        self.undo()
        self.assertAlmostEqual(self.ask("/tone", display=SRGB_DISPLAY, view="Mine")["slope"], 1.1, delta=5e-3)
        wild = [{**view, "design": {**design, "toe": 9}}]
        self.refused("post", "/setup", "Toe begins below grey lies", based_on=2, message="v", added_views=wild)
