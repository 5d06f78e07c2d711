"""Projects, setups, revisions and the tracer, through HTTP."""

import PyOpenColorIO as ocio

from saltwort.core.engine import load_config
from saltwort.server.projects.models import Project, Revision
from tests.samples import LINEAR_REC709, SRGB, SRGB_DISPLAY, base_text
from tests.server import ServerTestCase


class Projects(ServerTestCase):
    def test_a_new_project_is_ready_to_work_in(self) -> None:
        answer = self.client.post("/api/v1/projects", {"name": "Night Ferry"}, content_type="application/json")
        self.assertEqual(answer.status_code, 201)
        made = answer.json()
        self.assertEqual((made["slug"], made["revision"]["number"]), ("night-ferry", 1))
        self.assertEqual(made["setup"]["working_space"], "ACEScg")
        self.assertEqual(made["strip"]["stations"], 2)
        self.assertFalse(made["undo"] or made["redo"])
        listed = self.client.get("/api/v1/projects").json()
        self.assertEqual([project["slug"] for project in listed], ["night-ferry", "quay"])

    def test_names_that_cannot_be(self) -> None:
        for name, words in (("Quay", "already"), ("!!!", "letters or digits"), ("  ", "empty"), ("x" * 81, "80")):
            answer = self.client.post("/api/v1/projects", {"name": name}, content_type="application/json")
            self.assertEqual(answer.status_code, 400)
            self.assertIn(words, answer.json()["detail"])
        self.assertEqual(Project.objects.count(), 1)

    def test_what_is_not_there(self) -> None:
        for path in (
            "/api/v1/projects/nowhere",
            "/api/v1/projects/nowhere/textures",
            "/api/v1/projects/quay/textures/99",
        ):
            answer = self.client.get(path)
            self.assertEqual(answer.status_code, 404)
            self.assertIn("gone", answer.json()["detail"])
        self.assertEqual(self.client.get("/api/no-such-call").json()["detail"], "There is no such call.")


class Setups(ServerTestCase):
    def change(self, status: int = 200, **changes: object) -> dict:
        return self.tell("post", "/setup", status, **{"based_on": self.revision(), "message": "a change", **changes})

    def test_each_change_makes_the_next_revision(self) -> None:
        changed = self.change(working_space="Linear Rec.2020")
        self.assertEqual((changed["revision"]["number"], changed["revision"]["message"]), (2, "a change"))
        self.assertEqual(changed["setup"]["working_space"], "Linear Rec.2020")
        text = Project.objects.get().current.text
        self.assertEqual(load_config(text).getColorSpace("scene_linear").getName(), "Linear Rec.2020")

    def test_a_change_of_nothing_makes_none(self) -> None:
        self.assertEqual(self.change(working_space="ACEScg")["revision"]["number"], 1)

    def test_a_stale_write_is_refused_with_the_newer_state_and_changes_nothing(self) -> None:
        self.change(working_space="Linear Rec.2020")
        answer = self.tell("post", "/setup", 409, based_on=1, message="late", default_space="Raw")
        self.assertEqual(answer["version"], 2)
        self.assertIn("changed meanwhile", answer["detail"])
        self.assertEqual(Revision.objects.count(), 2)
        self.assertEqual(self.ask()["setup"]["default_space"], SRGB)

    def test_a_change_that_the_config_cannot_hold_is_refused_and_changes_nothing(self) -> None:
        rule = {"name": "bad", "kind": "regex", "space": "Raw", "pattern": "(("}
        cases = (
            ({"working_space": "Nowhere"}, "no colour space"),
            ({"working_space": SRGB}, "not scene-linear"),
            ({"view": {"display": SRGB_DISPLAY, "view": "Nowhere"}}, "no view"),
            ({"rules": [rule]}, "Rule 1, “bad”"),
            ({"rules": [{**rule, "kind": "magic"}]}, "not a valid choice"),
            ({"default_space": ""}, "empty"),
        )
        for changes, words in cases:
            with self.subTest(words):
                self.assertIn(words, self.change(400, **changes)["detail"])
        self.assertEqual(Revision.objects.count(), 1)

    def test_undo_and_redo_go_back_and_forth_exactly(self) -> None:
        first = self.ask("/export.zip")
        self.change(working_space="Linear Rec.2020")
        second = self.ask("/export.zip")
        self.assertNotEqual(first, second)
        self.undo()
        project = self.ask()
        self.assertEqual((project["revision"]["number"], project["undo"]), (1, None))
        self.assertEqual(self.ask("/export.zip"), first)
        self.redo()
        self.assertEqual(self.revision(), 2)
        self.assertEqual(self.ask("/export.zip"), second)
        self.refused("post", "/redo", "nothing to redo", based_on=2)

    def test_nothing_before_the_first(self) -> None:
        self.refused("post", "/undo", "nothing to undo", based_on=1)

    def test_a_change_after_going_back_gets_a_new_number_and_keeps_the_other(self) -> None:
        self.change(working_space="Linear Rec.2020")
        self.undo()
        self.assertEqual(self.change(working_space=LINEAR_REC709)["revision"]["number"], 3)
        listed = [revision["number"] for revision in self.ask("/revisions")]
        self.assertEqual(listed, [3, 2, 1])
        returned = self.tell("post", "/revisions", based_on=3, number=2)
        self.assertEqual(returned["setup"]["working_space"], "Linear Rec.2020")

    def test_revisions_cannot_be_rewritten(self) -> None:
        revision = Revision.objects.get()
        revision.message = "another story"
        with self.assertRaises(TypeError):
            revision.save()

    def test_rules_reach_the_exported_config(self) -> None:
        rules = [
            {"name": "plates", "kind": "glob", "space": LINEAR_REC709, "pattern": "*plate*", "extension": "exr"},
            {"name": "kinds", "kind": "map_kind", "space": "Raw", "map_kinds": ["roughness"]},
        ]
        self.change(rules=rules, default_space="ACES2065-1")
        (self.folder / "a.ocioz").write_bytes(self.ask("/export.ocioz"))
        config = ocio.Config.CreateFromFile(str(self.folder / "a.ocioz"))
        self.assertEqual(config.getColorSpaceFromFilepath("x/back_plate.exr"), (LINEAR_REC709, 0))
        self.assertEqual(config.getColorSpaceFromFilepath("x/wallRough.png"), ("Raw", 1))
        self.assertEqual(config.getColorSpaceFromFilepath("x/y.png"), ("ACES2065-1", 2))


class Explained(ServerTestCase):
    def test_a_space_and_its_ground(self) -> None:
        report = self.ask("/space", name="srgb_texture")
        self.assertEqual(report["primaries"]["known"], "Rec.709")
        self.assertEqual(len(report["primaries"]["red"]["uv"]), 2)
        self.assertIn("no colour space", self.ask("/space", 400, name="Nowhere")["detail"])
        ground = self.client.get("/api/v1/chromaticity").json()
        self.assertGreater(len(ground["locus"]), 50)

    def test_a_colour_is_followed(self) -> None:
        asked = {"space": SRGB, "unit": "hex", "text": "#2f6a68"}
        rows = self.ask("/follow", **asked, to="ACEScg")
        self.assertEqual(rows[-1]["text"], "ACEScg")
        self.assertGreater(len(self.ask("/follow", **asked, display=SRGB_DISPLAY, view="Un-tone-mapped")), 3)
        self.assertIn("no view", self.ask("/follow", 400, **asked, display=SRGB_DISPLAY, view="x")["detail"])
        self.assertIn("no display", self.ask("/follow", 400, **asked)["detail"])


class Tracer(ServerTestCase):
    def test_the_tracer_is_carried_along_the_path(self) -> None:
        project = self.tell("put", "/tracer", based_on=1, space=SRGB, unit="hex", text="#ff8000")
        self.assertEqual((project["tracer"]["text"], project["tracer"]["version"]), ("#ff8000", 2))
        self.assertEqual(project["revision"]["number"], 1)
        joints = self.ask("/path")
        self.assertEqual([joint["key"] for joint in joints], ["typed", "working", "render", "view", "file"])
        self.assertEqual(joints[0]["values"], [1.0, 128 / 255, 0.0])
        expected = load_config(base_text()).getProcessor(ocio.ColorSpaceTransform(SRGB, "ACEScg"))
        engine = expected.getDefaultCPUProcessor().applyRGB([1.0, 128 / 255, 0.0])
        for found, wanted in zip(joints[1]["values"], engine, strict=True):
            self.assertAlmostEqual(found, wanted, places=6)

    def test_it_follows_the_view_and_the_working_space(self) -> None:
        before = self.ask("/path")
        view = {"display": SRGB_DISPLAY, "view": "Un-tone-mapped"}
        self.tell("post", "/setup", based_on=1, message="view", view=view, working_space="Linear Rec.2020")
        after = self.ask("/path")
        self.assertEqual(after[0], before[0])
        self.assertNotEqual(after[1]["values"], before[1]["values"])
        self.assertEqual(after[1]["space"], "Linear Rec.2020")
        self.assertEqual([round(value * 255) for value in after[4]["values"]], [47, 106, 104])

    def test_light_beyond_half_float_is_told_and_stays_json(self) -> None:
        self.tell("put", "/tracer", based_on=1, space=SRGB, unit="unit", text="900")
        joints = self.ask("/path")
        self.assertIsNone(joints[2]["values"][0])
        self.assertIn("brightest", joints[2]["remarks"][0])

    def test_refusals(self) -> None:
        asked = {"based_on": 1, "space": SRGB, "unit": "unit", "text": "0.5"}
        self.refused("put", "/tracer", "three numbers", **{**asked, "text": "red"})
        self.refused("put", "/tracer", "no colour space", **{**asked, "space": "Nowhere"})
        self.refused("put", "/tracer", "not a valid choice", **{**asked, "unit": "nits"})
        self.refused("put", "/tracer", "changed meanwhile", status=409, **{**asked, "based_on": 5})
        self.assertEqual(self.ask()["tracer"]["version"], 1)


class Safety(ServerTestCase):
    def test_another_sites_page_cannot_change_anything(self) -> None:
        body = {"based_on": 1, "message": "hi", "default_space": "Raw"}
        for origin in ("http://elsewhere.example", "null"):
            answer = self.client.post(
                self.url("/setup"), body, content_type="application/json", headers={"origin": origin}
            )
            self.assertEqual(answer.status_code, 403)
        own = self.client.post(
            self.url("/setup"), body, content_type="application/json", headers={"origin": "http://testserver"}
        )
        self.assertEqual(own.status_code, 200)

    def test_only_this_machines_names_are_answered(self) -> None:
        self.assertEqual(self.client.get("/api/v1/projects", headers={"host": "elsewhere.example"}).status_code, 400)

    def test_pages_may_load_nothing_from_outside(self) -> None:
        policy = self.client.get("/api/v1/projects")["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("http", policy)
