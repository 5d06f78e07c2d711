"""The old scene of the demo, and lists, taken the whole way."""

from dataclasses import replace

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.migration.balls import balls_beside
from saltwort.core.migration.documents import Documents
from saltwort.core.migration.habits.registry import habits_of
from saltwort.core.migration.plan import Asked, plan_of, steps, taken, usual_plan
from saltwort.core.migration.proof import proved
from saltwort.core.migration.report import report_of
from saltwort.core.migration.writing import staged
from tests.core.made_scenes import picture
from tests.core.test_migration import TO_ACESCG, MigrationTestCase
from tests.core.test_scene_documents import LIST_JSON
from tests.made_quay import old_quay
from tests.samples import SRGB


class OldQuay(MigrationTestCase):
    """The demo's scene: each habit is found, each step does what it says, and every difference has its reason."""

    def setUp(self) -> None:
        super().setUp()
        self.path = old_quay(self.folder / "quay")

    def test_its_habits(self) -> None:
        found = {habit.code: habit for habit in habits_of(self.draft(self.path))}
        self.assertEqual(
            set(found),
            {
                "management-off",
                "gamma-node",
                "gamma-on-data",
                "decoded-twice",
                "other-space",
                "display-numbers",
                "pre-corrected",
                "tone-mapping",
                "frames-with-view",
            },
        )
        self.assertIn("47 106 104", found["display-numbers"].seen[0].says)
        self.assertIn("168 42 30", found["pre-corrected"].seen[0].says)
        self.assertNotIn("look", str(found["gamma-node"].seen))
        known = {step.key for step in steps()}
        self.assertTrue(all(habit.step in known or not habit.step for habit in found.values()))

    def test_raised_lights_are_told_by_middle_and_highlights(self) -> None:
        """By the render of a scene whose lights were set through a view, and without one."""
        draft = self.draft(self.path)
        for middle, bright, seen in (
            (None, None, 0),
            (0.18, 1.0, 0),  # highlights of a dull day
            (0.18, 12.0, 0),  # lit through a view
            (0.3, 12.0, 0),
            (0.3, 1.0, 2),  # brightened until white is reached
            (0.45, 1.1, 2),
            (0.45, 20.0, 1),
            (0.45, None, 1),
        ):
            draft.choices |= {"render-middle": middle, "render-bright": bright}
            habits = {habit.code: habit for habit in habits_of(draft)}
            told = habits["raised-lights"].seen if "raised-lights" in habits else []
            self.assertEqual(len(told), seen, (middle, bright))
        self.assertIn("1.3 stops above", told[0].says)

    def test_the_usual_plan(self) -> None:
        draft = self.draft(self.path)
        changes = taken(draft, usual_plan("ACEScg", "rename"))
        self.assertTrue(any(change.step == "tone-mapping-off" for change in changes))
        proof = proved(draft, None)
        self.assertTrue(all(row.same or row.why for row in proof))
        self.assertFalse([row for row in proof if "Nobody asked" in row.why])
        report = report_of(draft, usual_plan("ACEScg", "rename"), changes, proof, Documents(draft), None)
        self.assertEqual([problem for one in report.differences for problem in one.problems], [])
        again = Documents(draft).contents["old_quay.usda"].decode()
        self.assertIn("# Lit by hand in one night. Do not touch the brass!", again)
        self.assertIn("# a look, not a correction: dries the rope", again)
        self.assertNotIn('"degamma"', again)
        self.assertIn('colorSpace:name = "lin_ap1_scene"', again)

    def test_a_migrated_scene_has_nothing_left_to_migrate(self) -> None:
        draft = self.draft(self.path)
        plan = [*usual_plan("ACEScg"), Asked("decode-colours")]
        taken(draft, [plan[0], plan[-1], *plan[1:-1]])
        with staged(draft, self.folder / "out") as outcome:
            outcome.put()
        again = self.draft(self.folder / "out" / "old_quay.usda")
        self.assertEqual({habit.code for habit in habits_of(again)} - {"pre-corrected"}, set())
        self.assertEqual(taken(again, usual_plan("ACEScg")), [])

    def test_the_balls_show_what_was_wrong(self) -> None:
        draft = self.draft(self.path)
        taken(draft, [Asked("gamma-out"), Asked("declare-textures")])
        found = balls_beside(draft, (160, 72), 2)
        assert found is not None
        self.assertEqual(found.names[:4], ("brass", "moss", "rope", "wall"))
        left, right = np.array_split(found.difference, 2, axis=1)
        self.assertGreater(left.mean(), right.mean(), "brass and moss were wrong, buoy and enamel not")
        unchanged = balls_beside(self.draft(self.path), (160, 72), 2)
        assert unchanged is not None
        self.assertEqual(unchanged.worst, 0.0)

    def test_plans_are_read_strictly(self) -> None:
        draft = self.draft(self.path)
        for terms in (None, {"steps": 3}, [3], [{"to": "ACEScg"}], [{"step": "convert-colours"}], [{"step": "dance"}],
                      [{"step": "convert-colours", "to": "Raw"}], [{"step": "convert-colours", "to": SRGB}],
                      [{"step": "convert-colours", "to": "ACEScg", "outside": "maybe"}],
                      [{"step": "gamma-out", "evry": True}], [{"step": "rename-textures", "pattern": "x"}],
                      [{"step": "convert-textures", "to": "ACEScg", "format": "jpg"}],
                      [{"step": "tone-mapping-off", "curve": "magic"}],
                      [{"step": "decode-colours", "colours": ["no"]}]):  # fmt: skip
            with self.subTest(terms), self.assertRaises(BadInput):
                taken(draft, plan_of(terms))

    def test_the_nearest_view_of_a_known_curve(self) -> None:
        draft = self.draft(self.path)
        taken(draft, [Asked("tone-mapping-off")])
        self.assertNotIn("tone-mapping-off", draft.choices, "which curve it is cannot be read from the document")
        draft = self.draft(self.path)
        taken(draft, [Asked("tone-mapping-off", {"curve": "linear"})])
        best = draft.choices["tone-mapping-off"][0]
        self.assertEqual((best.view, best.exposure), ("Un-tone-mapped", 0.0))
        self.assertLess(best.mean, 1.0, "an exponent of 2.2 is nearly the curve of sRGB")


class Lists(MigrationTestCase):
    def test_a_list_goes_the_same_way(self) -> None:
        picture(self.folder / "wall.png", 1)
        path = self.folder / "scene.json"
        path.write_bytes(LIST_JSON)
        draft = self.draft(path)
        self.assertLessEqual({"gamma-node", "tone-mapping"}, {habit.code for habit in habits_of(draft)})
        taken(draft, [Asked("gamma-out"), Asked("declare-textures"), TO_ACESCG, Asked("tone-mapping-off")])
        text = Documents(draft).contents["scene.json"].decode()
        self.assertIn('"gamma": null', text)
        self.assertIn(f'"space": "{SRGB}"', text)
        self.assertIn('"odd": [1, 2]', text)
        self.assertIn('"space": "ACEScg"', text)
        self.assertTrue(all(row.same for row in proved(draft, None) if row.kind == "colour"))

    def test_a_chain_of_gamma_nodes_goes_at_once(self) -> None:
        picture(self.folder / "a.png", 1)
        nodes = "".join(
            f'def Shader "{name}"\n{{\n    uniform token info:id = "ND_power_color3FA"\n'
            f"    color3f inputs:in1.connect = <{source}>\n    float inputs:in2 = {exponent}\n"
            "    color3f outputs:out\n}\n"
            for name, source, exponent in (("G1", "/T.outputs:rgb", 2.2), ("G2", "/G1.outputs:out", 0.4545))
        )
        path = self.usd(
            'def Shader "S"\n{\n    uniform token info:id = "UsdPreviewSurface"\n'
            f"    color3f inputs:diffuseColor.connect = </G2.outputs:out>\n}}\n{nodes}"
            'def Shader "T"\n{\n    uniform token info:id = "UsdUVTexture"\n    asset inputs:file = @a.png@\n'
            '    token inputs:sourceColorSpace = "raw"\n    float3 outputs:rgb\n}\n'
        )
        draft = self.draft(path)
        taken(draft, [Asked("gamma-out")])
        text = Documents(draft).contents["scene.usda"].decode()
        self.assertIn("inputs:diffuseColor.connect = </T.outputs:rgb>", text)
        self.assertNotIn("ND_power", text)
        self.assertEqual(replace(draft.pictures[0].reading).exponent, 1.0)
