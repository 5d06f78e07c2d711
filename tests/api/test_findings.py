"""Findings by their cause, fixed together, and dismissed with a reason."""

import contextlib
import json
from io import StringIO
from typing import Any

from django.core.management import call_command

from saltwort.core.configs.builtins import builtin_configs
from saltwort.server.textures.models import Reading
from tests.samples import SRGB
from tests.server import ServerTestCase

DATA = "texture.data-read-as-colour"
HIDDEN = "rule.never-matches"


class FindingsTestCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        for seed, name in enumerate(("wall_rough", "lamp_rough", "rope_rough", "wall_col")):
            texture = self.texture(f"{name}.png", seed=seed)
            if "rough" in name:
                self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space=SRGB, note="too dark")

    def groups(self) -> dict[str, dict[str, Any]]:
        return {group["code"]: group for group in self.ask("/finding-groups")}

    def subjects(self, code: str = DATA) -> list[str]:
        return [finding["subject"] for finding in self.findings(code=code)]

    def dismiss(self, code: str = DATA, subject: str = "wall_rough.png", reason: str = "a mask", **more: Any) -> None:
        asked = {"code": code, "subject": subject, "title": "Data read as colour", "reason": reason}
        self.tell("post", "/dismiss", 204, based_on=self.revision(), **asked, **more)


class Groups(FindingsTestCase):
    def test_they_count_all_findings_worst_first(self) -> None:
        groups = self.ask("/finding-groups")
        levels = [("blocker", "caution", "note").index(group["level"]) for group in groups]
        self.assertEqual(levels, sorted(levels))
        page = self.ask("/findings")
        self.assertEqual(sum(group["count"] for group in groups), page["total"])
        self.assertEqual((self.groups()[DATA]["count"], self.groups()[DATA]["title"]), (3, "Data read as colour"))

    def test_all_of_a_kind_are_fixed_after_seeing_what_changes_and_undone_together(self) -> None:
        preview = self.ask("/fix-all-preview", code=DATA)
        self.assertEqual((preview["fixes"], preview["left"], preview["others"]), (3, 0, 0))
        self.assertEqual({change["what"] for change in preview["changes"]}, set(self.subjects()))
        self.assertEqual({(change["before"], change["after"]) for change in preview["changes"]}, {(SRGB, "Raw")})
        self.assertEqual(len(self.subjects()), 3)  # nothing is saved by looking
        self.tell("post", "/fix-all", 204, based_on=1, code=DATA)
        self.assertEqual(self.subjects(), [])
        pins = self.project.textures.exclude(pin_space="").values_list("pin_space", flat=True)
        self.assertEqual(list(pins), ["Raw"] * 3)
        self.assertEqual(self.ask()["undo"]["what"], "Data read as colour: 3 fixed together")
        self.undo()
        self.assertEqual(len(self.subjects()), 3)

    def test_fixes_of_the_setup_make_one_revision(self) -> None:
        rules = [
            {"name": name, "kind": "glob", "space": space, "pattern": pattern, "extension": "png", "map_kinds": []}
            for name, space, pattern in (("all", "Raw", "*"), ("walls", SRGB, "wall*"), ("ropes", SRGB, "rope*"))
        ]
        self.tell("post", "/setup", based_on=1, message="rules", rules=rules)
        self.assertEqual(self.groups()[HIDDEN]["count"], 2)
        self.tell("post", "/fix-all", 204, based_on=2, code=HIDDEN)
        self.assertNotIn(HIDDEN, self.groups())
        self.assertEqual(self.revision(), 3)
        self.assertEqual({rule["name"] for rule in self.ask()["setup"]["rules"][:2]}, {"walls", "ropes"})
        self.undo()
        self.assertEqual(self.groups()[HIDDEN]["count"], 2)

    def test_what_cannot_be_fixed_together(self) -> None:
        self.refusal("/fix-all-preview", "No finding asks for this", code="texture.unreadable")
        self.refused("post", "/fix-all", "No finding asks for this", based_on=1, code="texture.unreadable")
        self.refused("post", "/fix-all", "changed meanwhile", status=409, based_on=9, code=DATA)

    def refusal(self, path: str, words: str, **query: Any) -> None:
        self.assertRegex(self.ask(path, 400, **query)["detail"], words)


class Dismissed(FindingsTestCase):
    def test_one_is_set_aside_with_its_reason_and_can_be_restored(self) -> None:
        counts = self.ask("/findings")["counts"]["blocker"]
        self.dismiss()
        self.assertNotIn("wall_rough.png", self.subjects())
        self.assertEqual(len(self.subjects()), 2)
        self.assertEqual(self.ask("/findings")["counts"]["blocker"], counts - 1)
        self.assertEqual(self.groups()[DATA]["count"], 2)
        rank = Reading.objects.get(path="wall_rough.png").rank
        self.assertLess(rank, Reading.objects.get(path="lamp_rough.png").rank)
        (kept,) = self.ask()["setup"]["dismissed"]
        self.assertEqual((kept["subject"], kept["reason"]), ("wall_rough.png", "a mask"))
        self.assertEqual(self.ask("/revisions")[0]["message"], "Dismissed: Data read as colour, wall_rough.png")
        self.tell("post", "/dismiss/restore", 204, based_on=2, code=DATA, subject="wall_rough.png")
        self.assertEqual(len(self.subjects()), 3)
        self.undo()
        self.assertEqual(len(self.subjects()), 2)

    def test_all_of_a_kind_those_that_come_later_too(self) -> None:
        self.dismiss(subject="")
        late = self.texture("late_rough.png", seed=9)
        self.tell("put", f"/textures/{late.pk}/pin", based_on=1, space=SRGB)
        self.assertEqual(self.subjects(), [])
        self.tell("post", "/dismiss/restore", 204, based_on=2, code=DATA, subject="")
        self.assertEqual(len(self.subjects()), 4)

    def test_one_of_the_project_itself(self) -> None:
        self.render()
        own = self.ask("/own-findings")
        self.assertTrue(own)
        for finding in own:
            self.dismiss(finding["code"], finding["subject"])
        self.assertEqual(self.ask("/own-findings"), [])
        self.undo()
        self.assertEqual(len(self.ask("/own-findings")), 1)

    def test_the_config_stays_and_the_reason_is_needed(self) -> None:
        before = self.ask("/export.zip")
        self.dismiss()
        self.assertEqual(self.ask("/export.zip"), before)
        asked = {"code": DATA, "subject": "lamp_rough.png", "title": "Data read as colour"}
        self.refused("post", "/dismiss", "Reason is empty", based_on=2, **asked, reason=" ")
        self.refused(
            "post", "/dismiss", "There is no finding “nothing”", based_on=2, **{**asked, "code": "nothing"}, reason="x"
        )

    def test_a_dismissed_finding_offers_no_fix(self) -> None:
        self.dismiss()
        fix = {"operation": "pin-texture", "arguments": {"path": "wall_rough.png", "space": "Raw"}}
        self.refused("post", "/fix", "No finding asks for this", based_on=2, **fix)

    def test_another_base_config_keeps_those_of_pictures(self) -> None:
        self.dismiss()
        other = next(
            config.name for config in builtin_configs() if config.name not in self.project.current.setup["base"]
        )
        self.tell("post", "/setup", based_on=2, message="base", base=f"builtin:{other}")
        self.assertEqual([one["subject"] for one in self.ask()["setup"]["dismissed"]], ["wall_rough.png"])

    def test_the_command_leaves_them_out_and_lists_them(self) -> None:
        self.dismiss()
        self.dismiss(subject="lamp_rough.png")
        self.dismiss(subject="rope_rough.png")
        out = StringIO()
        with contextlib.suppress(SystemExit):
            call_command("findings", project="quay", stdout=out)
        self.assertNotIn(DATA, out.getvalue())
        out = StringIO()
        call_command("findings", project="quay", dismissed=True, stdout=out)
        self.assertEqual([one["reason"] for one in json.loads(out.getvalue())], ["a mask"] * 3)
