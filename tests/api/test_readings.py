"""Readings of textures: narrowed, counted and paged in the database, and computed anew just where something changed."""

import json
import os
import random
from collections.abc import Iterator
from typing import Any
from unittest.mock import patch

from django.db import connection
from django.db.models import F
from django.test.utils import CaptureQueriesContext

from saltwort.core.findings import run_checks
from saltwort.server.findings.operations import findings_of
from saltwort.server.jobs.models import Job
from saltwort.server.projects.models import Project
from saltwort.server.textures import readings
from saltwort.server.textures.models import Reading, ReadingState, Texture, TextureFinding
from saltwort.server.textures.operations import add_textures, assigned, assigned_textures
from saltwort.server.textures.readings import bring_in_step, refresh
from tests.samples import SRGB
from tests.server import ServerTestCase

SEED = int(os.environ.get("SALTWORT_SEED", "13"))
EDITS = 25


class ReadingsTestCase(ServerTestCase):
    def show(self, sets: int = 3) -> None:
        """Sets of three maps, all with the same pixels."""
        image = self.texture("first_col.png").image
        paths = [f"set{number}/wall{number}_{kind}.png" for number in range(sets) for kind in ("col", "rough", "nrm")]
        add_textures(self.project, dict.fromkeys(paths, image))

    def page(self, **wanted: Any) -> dict[str, Any]:
        answer: dict[str, Any] = self.ask("/textures", **wanted)
        return answer

    def checked(self) -> Any:
        """Counts how many textures are checked while it lasts."""
        counted: list[int] = []
        check = readings._check

        def counting(project: Any, textures: Any) -> None:
            counted.append(len(textures))
            check(project, textures)

        return patch.object(readings, "_check", counting), counted


class Listing(ReadingsTestCase):
    def test_pages_hold_every_file_once_in_order(self) -> None:
        self.show()
        found = [row["path"] for offset in range(0, 12, 4) for row in self.page(offset=offset, limit=4)["textures"]]
        self.assertEqual(len(found), 10)
        self.assertEqual(sorted(found), sorted(self.project.textures.values_list("path", flat=True)))
        self.assertEqual(found, [row["path"] for row in self.page()["textures"]])
        self.assertEqual((self.page(limit=1)["total"], self.page(limit=1)["every"]), (10, 10))

    def test_sets_come_with_what_they_hold(self) -> None:
        image = self.texture("a.png").image
        paths = ("lamp/lamp_col_2k.1001.png", "lamp/lamp_rough_2k.1002.png", "lamp/lamp_rough_4k.1004.png")
        add_textures(self.project, dict.fromkeys(paths, image))
        (found,) = self.page()["sets"]
        self.assertEqual((found["name"], found["files"], found["kinds"]), ("lamp", 3, 2))
        self.assertEqual((found["first_tile"], found["last_tile"]), ("1001", "1004"))
        self.assertEqual((found["first_resolution"], found["last_resolution"]), ("2k", "4k"))

    def test_each_way_of_narrowing_agrees_with_its_count(self) -> None:
        self.show()
        rough = Texture.objects.filter(path__contains="rough").first()
        self.tell("put", f"/textures/{rough.pk}/pin", based_on=1, space=SRGB)
        every = self.ask("/textures/choices")
        names = {"kinds": "kind", "spaces": "space", "reasons": "reason", "findings": "finding", "sets": "set"}
        for group, name in names.items():
            self.assertTrue(every[group], group)
            for choice in every[group]:
                with self.subTest(**choice):
                    self.assertEqual(self.page(**{name: choice["value"]})["total"], choice["count"])
        self.assertEqual(self.page(finding="any")["total"], Reading.objects.filter(rank__gt=0).count())
        self.assertEqual(self.page(sought="WALL1 rough")["total"], 1)
        self.assertEqual(self.page(sought="base colour")["total"], 4)
        self.assertEqual(self.page(sought="'; DROP TABLE")["total"], 0)

    def test_what_is_chosen_is_summed_up(self) -> None:
        self.show()
        ids = [row["id"] for row in self.ask("/textures/ids", kind="roughness")]
        self.assertEqual(len(ids), 3)
        found = self.tell("post", "/textures/summary", textures=ids)
        self.assertEqual((found["files"], [choice["value"] for choice in found["kinds"]]), (3, ["roughness"]))
        self.assertEqual(self.tell("post", "/textures/summary", textures=[])["files"], 10)

    def test_findings_are_paged_with_their_fixes(self) -> None:
        self.show()
        pins = [
            {"texture": texture.pk, "based_on": 1, "space": SRGB}
            for texture in self.project.textures.filter(path__contains="rough")
        ]
        self.tell("put", "/textures/pins", 204, pins=pins)
        whole = self.ask("/findings", limit=200)
        self.assertEqual(whole["total"], len(whole["findings"]))
        self.assertEqual(sum(whole["counts"].values()), whole["total"])
        paged = [
            found
            for offset in range(0, whole["total"], 2)
            for found in self.ask("/findings", offset=offset, limit=2)["findings"]
        ]
        self.assertEqual(paged, whole["findings"])
        data = self.ask("/findings", code="texture.data-read-as-colour")
        self.assertEqual(data["total"], 3)
        self.assertTrue(all(found["fix"]["operation"] == "pin-texture" for found in data["findings"]))
        one = self.ask("/findings", subject="set1/wall1_rough.png")["findings"]
        self.assertEqual([found["code"] for found in one], ["texture.data-read-as-colour"])
        self.assertEqual(self.ask("/findings", level="blocker")["total"], whole["counts"]["blocker"])


class InStep(ReadingsTestCase):
    """What is kept is what would be computed from nothing, whatever changed."""

    def assert_in_step(self) -> None:
        self.project.refresh_from_db()
        refresh(self.project, seconds=60)
        kept = {
            reading.path: (reading.space, reading.reason, reading.reason_name, reading.kind, reading.set_key)
            for reading in Reading.objects.filter(project=self.project)
        }
        fresh = {
            row.texture.path: (
                row.assignment.space,
                row.assignment.reason.kind,
                row.assignment.reason.name,
                row.kind.kind.key if row.kind else "",
                row.member.key,
            )
            for row in assigned_textures(self.project)
        }
        self.assertEqual(kept, fresh)
        self.assertFalse(self.project.textures.exclude(version=F("reading__texture_version")).exists())
        subjects = readings.subjects_for(self.project, assigned_textures(self.project), offers_fixes=False)
        computed = {(finding.code, finding.subject) for finding in run_checks(subjects, "texture.")}
        listed = TextureFinding.objects.filter(project=self.project).values_list("code", "path")
        self.assertEqual(set(listed), computed)
        self.assertEqual(
            {(found.code, found.subject) for found in findings_of(self.project) if found.code.startswith("texture.")},
            computed,
        )

    def change(self, **parts: Any) -> None:
        self.tell("post", "/setup", based_on=self.revision(), message="change", **parts)

    def rule(self, **fields: Any) -> dict[str, Any]:
        return {"name": "first", "kind": "glob", "space": "ACEScg", "pattern": "*wall1*", "extension": "png", **fields}

    def test_through_changes_of_every_sort(self) -> None:
        self.show()
        self.assert_in_step()
        setup = self.ask()["setup"]
        rough = Texture.objects.get(path="set1/wall1_rough.png")
        for name, change in {
            "rule added": lambda: self.change(rules=[self.rule(), *setup["rules"]]),
            "rule renamed": lambda: self.change(rules=[self.rule(name="other"), *setup["rules"]]),
            "rules turned round": lambda: self.change(rules=[*setup["rules"], self.rule()]),
            "words": lambda: self.change(kind_words=[{"word": "rough", "kind": "mask"}]),
            "words back": lambda: self.change(kind_words=setup["kind_words"]),
            "default": lambda: self.change(default_space="ACEScct"),
            "pin": lambda: self.tell("put", f"/textures/{rough.pk}/pin", based_on=1, space=SRGB),
            "undo": lambda: self.undo(),
            "a file more": lambda: self.texture("set9/late_nrm.png", seed=9),
            "another content": lambda: self.texture("set1/wall1_col.png", "float", seed=8),
            "a file less": lambda: self.tell("post", "/textures/remove", 204, textures=[rough.pk]),
            "a space more": lambda: self.change(
                added_spaces=[{"name": "wall1", "chromaticities": [0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329]}]
            ),
            "working space": lambda: self.change(working_space="Linear Rec.709 (sRGB)"),
        }.items():
            with self.subTest(name):
                change()
                self.assert_in_step()

    def test_through_rules_and_words_edited_at_random(self) -> None:
        """Only the files that an edit may concern are asked about again; here all are, to compare."""
        print(f"edits of rules, seed {SEED}")
        chance = random.Random(SEED)
        self.show(4)
        setup = self.ask()["setup"]
        rules, words = setup["rules"], setup["kind_words"]
        for turn in range(EDITS):
            edit = chance.choice(("add", "add", "remove", "move", "change", "word", "word", "default", "undo"))
            at = chance.randrange(len(rules)) if rules else 0
            if edit == "add" and len(rules) < 12:
                rules = [*rules[:at], self.random_rule(chance, f"rule {turn}"), *rules[at:]]
            elif edit == "remove" and rules:
                rules = [*rules[:at], *rules[at + 1 :]]
            elif edit == "move" and rules:
                rules = chance.sample(rules, len(rules))
            elif edit == "change" and rules:
                rules = [*rules[:at], self.random_rule(chance, rules[at]["name"]), *rules[at + 1 :]]
            elif edit == "word":
                known = [said for said in words if said["word"] not in ("wall", "nrm", "set one")]
                added = {"word": chance.choice(("wall", "nrm", "set one")), "kind": chance.choice(("mask", "normal"))}
                words = chance.choice((known, [*known, added], [added, *known]))
            default = {"default_space": chance.choice(("ACEScct", SRGB))} if edit == "default" else {}
            if edit == "undo" and self.ask()["undo"]:
                self.undo()
                setup = self.ask()["setup"]
                rules, words = setup["rules"], setup["kind_words"]
            else:
                self.change(rules=rules, kind_words=words, **default)
            with self.subTest(edit, turn=turn):
                self.assert_in_step()

    def random_rule(self, chance: random.Random, name: str) -> dict[str, Any]:
        space = chance.choice(("ACEScg", "Raw", SRGB))
        return chance.choice(
            (
                self.rule(name=name, space=space, pattern=f"*wall{chance.randrange(5)}*"),
                self.rule(name=name, space=space, pattern="*", extension=chance.choice(("png", "exr"))),
                {"name": name, "kind": "regex", "space": space, "pattern": f".*set[{chance.randrange(4)}0]/.*"},
                {"name": name, "kind": "regex", "space": space, "pattern": "(?!.*nrm).*wall1.*"},
                {"name": name, "kind": "map_kind", "space": space, "map_kinds": ["roughness", "mask"]},
                {"name": name, "kind": "space_in_path"},
            )
        )

    def test_just_what_changed_is_checked_again(self) -> None:
        self.show()
        self.page()
        rough = Texture.objects.get(path="set1/wall1_rough.png")
        setup = self.ask()["setup"]
        for name, change, most in (
            ("nothing", lambda: None, 0),
            ("a pin", lambda: self.tell("put", f"/textures/{rough.pk}/pin", based_on=1, space=SRGB), 1),
            ("a rule for three", lambda: self.change(rules=[self.rule(pattern="*wall2*"), *setup["rules"]]), 3),
            ("a name alone", lambda: self.change(rules=[self.rule(pattern="*wall2*", name="b"), *setup["rules"]]), 0),
            ("a word more", lambda: self.change(kind_words=[*setup["kind_words"], {"word": "q", "kind": "mask"}]), 0),
        ):
            counting, counted = self.checked()
            with self.subTest(name), counting:
                change()
                self.project.refresh_from_db()
                refresh(self.project)
                self.assertLessEqual(sum(counted), most)

    def test_who_asks_late_does_not_write_an_older_state_back(self) -> None:
        self.show()
        asked_before = Project.objects.select_related("current").get()
        self.change(rules=[self.rule(), *self.ask()["setup"]["rules"]])
        self.assert_in_step()
        bring_in_step(asked_before)
        readings._check(asked_before, list(self.project.textures.select_related("image", "reading")))
        self.assertEqual(set(Reading.objects.filter(path__contains="wall1").values_list("reason_name")), {("first",)})
        self.assert_in_step()

    def test_what_is_computed_while_another_writes_is_computed_again(self) -> None:
        """Readings of new files come in between: they were assigned by what was."""
        self.show()
        self.assert_in_step()
        image = Texture.objects.first().image
        asked_before = Project.objects.select_related("current").get()
        self.change(rules=[self.rule(), *self.ask()["setup"]["rules"]])
        project = Project.objects.select_related("current").get()
        compute, late = readings.assigned_otherwise, ["wall1_late.png"]

        def computing(asked: Project) -> Iterator[readings.Reread]:
            found = list(compute(asked))
            if late:
                add_textures(self.project, {late[0]: image})
                rows = assigned(asked_before, list(Texture.objects.filter(path=late.pop())))
                Reading.objects.bulk_create(readings._first_reading(asked_before, row) for row in rows)
                ReadingState.objects.update(written=F("written") + 1)
            return iter(found)

        with patch.object(readings, "assigned_otherwise", computing):
            bring_in_step(project)
        self.assertEqual(Reading.objects.get(path="wall1_late.png").reason_name, "first")
        self.assert_in_step()

    def test_what_takes_too_long_is_a_job(self) -> None:
        self.show(sets=100)
        with patch.object(readings, "AT_ONCE_SECONDS", 0.0), patch.object(readings, "CHUNK", 10):
            page = self.ask("/textures", limit=500)
            self.assertEqual((page["every"], len(page["textures"])), (301, 301), "all are listed at once")
            self.assertGreater(page["unchecked"], 0)
            self.ask("/textures")
        (job,) = self.do_jobs()
        self.assertEqual((job.kind, job.state), ("check-textures", "done"))
        self.assertEqual(self.ask("/textures", limit=1)["unchecked"], 0)
        self.assertEqual(Job.objects.count(), 1)
        self.assert_in_step()

    def test_the_cost_of_a_page_does_not_grow_with_the_project(self) -> None:
        counts = []
        for sets in (2, 30):
            self.show(sets)
            self.page()
            with CaptureQueriesContext(connection) as queries:
                self.page(limit=5, sought="wall")
            counts.append(len(queries))
        self.assertEqual(counts[0], counts[1])

    def test_spaces_are_told_at_once_however_much_is_to_be_checked(self) -> None:
        self.show(sets=20)
        self.page()
        with patch.object(readings, "AT_ONCE_SECONDS", 0.0), patch.object(readings, "CHUNK", 1):
            for version, space in enumerate((SRGB, "ACEScg", ""), start=1):
                pins = [
                    {"texture": row["id"], "based_on": version, "space": space}
                    for row in self.ask("/textures/ids", kind="roughness")
                ]
                self.tell("put", "/textures/pins", 204, pins=pins)
                found = self.tell("post", "/textures/summary", textures=[pin["texture"] for pin in pins])
                self.assertEqual([choice["value"] for choice in found["spaces"]], [space or "Raw"])
                self.assertEqual(self.page(kind="roughness", space=space or "Raw")["total"], 20)

    def test_a_second_request_beside_the_first_changes_nothing(self) -> None:
        self.show()
        before = readings.assigned_otherwise

        def beside(project: Any) -> Any:
            with patch.object(readings, "assigned_otherwise", before):
                readings._bring_in_step(project)
            return before(project)

        with patch.object(readings, "assigned_otherwise", beside):
            bring_in_step(self.project)
        self.assert_in_step()


class Manifest(ReadingsTestCase):
    def test_it_is_sent_as_it_comes(self) -> None:
        self.show(sets=5)
        with patch("saltwort.server.textures.manifest.CHUNK", 4):
            answer = self.client.get(self.url("/textures/manifest.csv"))
            self.assertTrue(answer.streaming)
            lines = answer.getvalue().decode().splitlines()
        self.assertEqual(len(lines), 17)
        self.assertEqual(lines[1:], sorted(lines[1:]))

    def test_files_that_come_meanwhile_do_no_harm(self) -> None:
        self.show(sets=5)
        with patch("saltwort.server.textures.manifest.CHUNK", 4):
            answer = iter(self.client.get(self.url("/textures/manifest.json")).streaming_content)
            first = next(answer)
            self.texture("aaa_col.png", seed=4)
            self.texture("zzz_col.png", seed=5)
            self.tell("post", "/textures/remove", 204, textures=[Texture.objects.get(path="set1/wall1_col.png").pk])
            rest = b"".join(answer)
        paths = [row["path"] for row in json.loads(first + rest)]
        self.assertEqual(paths, sorted(set(paths)))
        self.assertEqual(len(paths), 15, "the project as it stood, without what was removed on the way")
