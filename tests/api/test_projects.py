"""Projects, setups, revisions, the tracer and the config, through HTTP."""

import io
import zipfile
from dataclasses import asdict
from pathlib import Path
from unittest import mock

import PyOpenColorIO as ocio
from django.test import override_settings

from saltwort.core.configs import Proof
from saltwort.core.engine import load_config
from saltwort.core.spaces.gamuts import REC2020
from saltwort.core.views import AddedView
from saltwort.server.projects.models import BaseConfig, Project, Revision
from tests.core.test_archives import LUT, config_with_luts, zipped
from tests.core.test_configs import OLD_CONFIG
from tests.core.test_edits import CORRECTION
from tests.core.test_explain import STUDIO
from tests.core.test_findings import cube
from tests.samples import ACES_SDR, BASE, GAMUT_COMPRESSION, LINEAR_REC709, SRGB, SRGB_DISPLAY, base_text, fresh_config
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


class BroughtConfigs(ServerTestCase):
    def bring(self, content: bytes, status: int = 200) -> dict:
        (self.folder / "config.ocio").write_bytes(content)
        return self.start_from(self.folder / "config.ocio", status)

    def test_a_config_becomes_the_base_and_keeps_what_it_can(self) -> None:
        renamed = base_text().replace("name: cg-config", "name: studio-of-ours-cg-config")
        brought = self.bring(renamed.encode())
        self.assertEqual(brought["revision"]["message"], "Start from config.ocio")
        self.assertTrue(brought["setup"]["base"].startswith("sha256:"))
        self.assertEqual(brought["setup"]["working_space"], "ACEScg")
        self.assertEqual(self.ask("/config")["base"], "config.ocio")

    def test_rules_that_lead_to_a_space_without_equal_are_left_out_and_listed(self) -> None:
        (self.folder / "old.ocio").write_bytes(OLD_CONFIG.encode())
        base = self.send("/base", self.folder / "old.ocio")["base"]
        changes = self.tell("post", "/setup-preview", base=base)["changes"]
        self.assertIn(
            {"what": "rule EXR files", "after": ""}, [{key: row[key] for key in ("what", "after")} for row in changes]
        )
        brought = self.start_from(self.folder / "old.ocio")
        self.assertNotIn("EXR files", [rule["name"] for rule in brought["setup"]["rules"]])

    def test_assignments_are_carried_over_by_meaning(self) -> None:
        other = fresh_config()
        for name, ours in ((SRGB, "Texture Paint Ours"), ("ACEScg", "Working Ours")):
            space = other.getColorSpace(name)
            for alias in list(space.getAliases()):
                space.removeAlias(alias)
            other.removeColorSpace(name)
            space.setName(ours)
            space.setInteropID("")
            other.addColorSpace(space)
            for role, led_to in list(other.getRoles()):
                if led_to == name:
                    other.setRole(role, ours)
        pinned, ruled = self.texture("wall.png"), self.texture("a.exr", "half")
        self.tell("put", f"/textures/{pinned.pk}/pin", based_on=1, space=SRGB, note="by eye")
        brought = self.bring(other.serialize().encode())
        self.assertEqual(brought["setup"]["working_space"], "Working Ours")
        spaces = {row["path"]: row["assignment"] for row in self.listed()}
        self.assertEqual(spaces["a.exr"]["space"], "Working Ours")
        self.assertEqual(
            (spaces["wall.png"]["space"], spaces["wall.png"]["reason"]["kind"]), ("Texture Paint Ours", "pin")
        )
        pinned.refresh_from_db()
        self.assertEqual((pinned.pin_space, pinned.version), (SRGB, 2))  # the pin itself is as it was
        self.undo()
        spaces = {row["path"]: row["assignment"]["space"] for row in self.listed()}
        self.assertEqual(spaces, {"a.exr": "ACEScg", "wall.png": SRGB})
        self.assertTrue(ruled)

    def test_the_rules_of_a_config_are_imported_once_and_stay_as_they_were_in_it(self) -> None:
        config = fresh_config()
        rules = ocio.FileRules()
        rules.insertRule(0, "Plates of ours", LINEAR_REC709, "*plate*", "*")
        rules.insertRule(1, "EXR files", "ACES2065-1", "*", "exr")
        rules.insertRule(2, "Masks", "Raw", r".*_msk\..*")
        rules.setDefaultRuleColorSpace("ACEScg")
        config.setFileRules(rules)
        text = config.serialize()
        brought = self.bring(text.encode())["setup"]
        found = [(rule["name"], rule["kind"], rule["space"]) for rule in brought["rules"]]
        self.assertEqual(
            found[:3],
            [("Plates of ours", "glob", LINEAR_REC709), ("EXR files", "glob", "ACES2065-1"), ("Masks", "regex", "Raw")],
        )
        self.assertIn(("EXR files 2", "glob", "ACEScg"), found)  # the project's own, which comes after
        self.assertEqual(brought["default_space"], "ACEScg")
        self.assertEqual(BaseConfig.objects.get().text, text)
        # The project changes them, goes elsewhere and comes back: they are not brought in a second time.
        self.tell("post", "/setup", based_on=2, message="fewer", rules=brought["rules"][1:])
        self.tell("post", "/setup", based_on=3, message="base", base=BASE)
        again = self.tell("post", "/setup", based_on=4, message="base", base=brought["base"])["setup"]
        self.assertNotIn("Plates of ours", [rule["name"] for rule in again["rules"]])

    def test_imported_rules_stand_last_where_textures_are_assigned(self) -> None:
        self.texture("a.exr", "half")
        config = fresh_config()  # whose own rules read every EXR as ACES2065-1
        brought = self.bring(config.serialize().encode())["setup"]
        self.assertEqual([rule["name"] for rule in brought["rules"]][-2:], ["EXR", "Movies"])
        self.assertEqual(self.listed()[0]["assignment"]["space"], "ACEScg")

    def test_what_is_no_config_is_kept_nowhere(self) -> None:
        for content, words in (
            (b"hello", "does not load"),
            (b"\xff\xfe\x00", "not UTF-8 text"),
            (b"a: [", "does not load"),
            (b"x" * 9_000_000, "larger than 8 MB"),
        ):
            with self.subTest(words):
                (self.folder / "config.ocio").write_bytes(content)
                self.assertIn(words, self.send("/base", self.folder / "config.ocio", 400)["detail"])
        self.assertEqual((BaseConfig.objects.count(), Revision.objects.count()), (0, 1))

    def test_one_that_the_project_mends_is_taken_and_told(self) -> None:
        broken = base_text().replace("{name: Default, colorspace: sRGB - Display}", "{name: Default, colorspace: gone}")
        self.bring(broken.encode())
        self.assertIn("source.default-rule-leads-nowhere", [row["code"] for row in self.findings()])
        (self.folder / "out.ocioz").write_bytes(self.ask("/export.ocioz"))
        ocio.Config.CreateFromFile(str(self.folder / "out.ocioz")).validate()

    def test_one_that_nothing_mends_is_refused_in_a_sentence(self) -> None:
        view = "    - !<View> {name: Raw, colorspace: Raw}"
        self.assertIn(view, base_text())
        answer = self.bring(
            base_text().replace(view, view.replace("colorspace: Raw", "colorspace: Lost"), 1).encode(), 400
        )
        self.assertIn("Lost", answer["detail"])
        self.assertEqual(Revision.objects.count(), 1)

    def test_an_archive_with_luts_comes_along_and_leaves_again(self) -> None:
        packed = zipped({"config.ocio": config_with_luts(), "luts/curve.spi1d": LUT})
        self.bring(packed)
        (self.folder / "out.ocioz").write_bytes(self.ask("/export.ocioz"))
        config = ocio.Config.CreateFromFile(str(self.folder / "out.ocioz"))
        curved = config.getProcessor("ACES2065-1", "curved").getDefaultCPUProcessor()
        self.assertEqual(curved.applyRGB([0.5, 0.25, 0.75]), [0.25, 0.125, 0.625])
        self.assertEqual(self.ask("/space", name="curved")["steps"][0]["kind"], "LUT")
        self.assertIn("lost.cube", self.ask("/space", 400, name="broken")["detail"])

    def test_another_built_in_config(self) -> None:
        listed = self.client.get("/api/v1/builtin-configs").json()
        studio = next(config for config in listed if config["kind"] == "studio")
        changed = self.tell("post", "/setup", based_on=1, message="base", base=f"builtin:{studio['name']}")
        self.assertEqual(changed["strip"]["spaces"], studio["spaces"])
        self.assertEqual(changed["setup"]["working_space"], "ACEScg")
        self.refused("post", "/setup", "no built-in config", based_on=2, message="b", base="builtin:nonsense")


class AddedViews(ServerTestCase):
    agx = AddedView(SRGB_DISPLAY, "AgX", "agx")

    def test_a_view_is_added_chosen_kept_through_a_change_of_base_and_taken_off(self) -> None:
        view = {"display": SRGB_DISPLAY, "view": "AgX"}
        added = self.tell("post", "/setup", based_on=1, message="v", added_views=[asdict(self.agx)], view=view)
        self.assertEqual(added["setup"]["added_views"], [asdict(self.agx)])
        self.assertEqual(self.ask("/config")["displays"][0]["views"][0], "AgX")
        (self.folder / "out.ocioz").write_bytes(self.ask("/export.ocioz"))
        config = ocio.Config.CreateFromFile(str(self.folder / "out.ocioz"))
        self.assertEqual(config.getDefaultView(SRGB_DISPLAY), "AgX")
        transform = ocio.DisplayViewTransform(src="ACEScg", display=SRGB_DISPLAY, view="AgX")
        shown = config.getProcessor(transform).getDefaultCPUProcessor().applyRGB([0.18] * 3)
        self.assertAlmostEqual(shown[0], 0.5039, places=3)

        older = "cg-config-v2.2.0_aces-v1.3_ocio-v2.4"
        moved = self.tell("post", "/setup", based_on=2, message="base", base=f"builtin:{older}")
        self.assertEqual(moved["setup"]["view"]["view"], "AgX")
        self.assertEqual(self.ask("/path")[3]["space"], SRGB_DISPLAY)

        gone = {"added_views": [], "view": {"display": SRGB_DISPLAY, "view": "Raw"}}
        self.tell("post", "/setup", based_on=3, message="off", **gone)
        self.assertNotIn("AgX", self.ask("/config")["displays"][0]["views"])

    def test_refusals(self) -> None:
        change = {"based_on": 1, "message": "v"}
        taken = asdict(AddedView(SRGB_DISPLAY, "Raw", "agx"))
        self.refused("post", "/setup", "has a view “Raw” already", **change, added_views=[taken])
        self.refused("post", "/setup", "not a valid choice", **change, added_views=[{**taken, "family": "magic"}])
        self.assertEqual(Revision.objects.count(), 1)

    def test_what_can_be_added_is_listed(self) -> None:
        offered = self.client.get("/api/v1/view-families").json()
        self.assertIn("agx", [family["key"] for family in offered["families"]])
        renderings = [row["name"] for family in offered["families"] for row in family["renderings"]]
        self.assertIn("HDR-1000nit-REC2020_2.0", renderings)


class Additions(ServerTestCase):
    def test_a_space_a_look_and_a_role_in_one_revision_and_back_out(self) -> None:
        space = {"name": "Quay", "chromaticities": list(REC2020.chromaticities), "curve": "linear", "aliases": ["quay"]}
        look = {"name": "Warm", "slope": [1.1, 1, 0.9], "offset": [0, 0, 0], "power": [1, 1, 1], "saturation": 1}
        changed = self.tell(
            "post",
            "/setup",
            based_on=1,
            message="ours",
            added_spaces=[space],
            added_looks=[look],
            roles=[{"role": "texture_paint", "space": "quay"}],
        )
        self.assertEqual(changed["setup"]["roles"], [{"role": "texture_paint", "space": "quay"}])
        config = self.ask("/config")
        self.assertIn("Quay", config["working_spaces"])
        self.assertIn("Warm", [look["name"] for look in config["looks"]])
        self.assertEqual({role["name"]: role["space"] for role in config["roles"]}["texture_paint"], "Quay")
        self.refused("post", "/setup", "no colour space", based_on=2, message="off", added_spaces=[])
        self.tell("post", "/setup", based_on=2, message="off", added_spaces=[], added_looks=[], roles=[])
        self.assertEqual([look["name"] for look in self.ask("/config")["looks"]], [GAMUT_COMPRESSION])

    def test_refusals(self) -> None:
        space = {"name": "Quay", "chromaticities": [0.3] * 7, "curve": "linear"}
        self.refused("post", "/setup", "eight finite numbers", based_on=1, message="s", added_spaces=[space])
        self.assertEqual(self.revision(), 1)


class Shaping(ServerTestCase):
    """Edits of spaces, looks from files, order, the target version, and what a change would do."""

    def save(self, **changes: object) -> dict:
        return self.tell("post", "/setup", based_on=self.revision(), message="shaped", **changes)

    def test_a_space_is_renamed_everywhere_and_back(self) -> None:
        edit = {"space": "ACEScg", "name": "Quay Light", "aliases": ["quay"], "family": "Quay", "encoding": None}
        renamed = self.save(space_edits=[edit])
        self.assertEqual(renamed["setup"]["working_space"], "Quay Light")
        self.assertIn("Quay Light", [space["name"] for space in self.ask("/config")["spaces"]])
        self.assertEqual(self.save(space_edits=[])["setup"]["working_space"], "ACEScg")

    def test_an_edit_survives_a_change_of_base_where_the_space_is_there(self) -> None:
        self.save(space_edits=[{"space": "ACEScg", "name": "Quay Light"}, {"space": "Linear P3-D65", "name": "Wide"}])
        moved = self.tell(
            "post", "/setup", based_on=2, message="base", base="builtin:cg-config-v1.0.0_aces-v1.3_ocio-v2.1"
        )
        self.assertEqual(moved["setup"]["working_space"], "Quay Light")
        edits = moved["setup"]["space_edits"]
        self.assertEqual([edit["space"] for edit in edits], ["ACEScg", "Linear P3-D65", "sRGB - Texture"])
        self.assertEqual(edits[-1]["aliases"], [SRGB])  # what the tracer calls it, and the older config does not

    def test_looks_of_files_are_brought_then_added(self) -> None:
        correction = self.folder / "dusk.cc"
        correction.write_text(CORRECTION.format(id="dusk"))
        (look,) = self.send("/look-file", correction)
        self.assertEqual((look["name"], look["saturation"]), ("dusk", 0.8))
        lut = self.folder / "print.cube"
        lut.write_bytes(cube(33))
        (film,) = self.send("/look-file", lut)
        self.save(added_looks=[look, {**film, "process_space": "ACEScct"}])
        self.assertEqual([look["name"] for look in self.ask("/config")["looks"]], [GAMUT_COMPRESSION, "dusk", "print"])
        (self.folder / "out.ocioz").write_bytes(self.ask("/export.ocioz"))
        config = ocio.Config.CreateFromFile(str(self.folder / "out.ocioz"))
        transform = ocio.LookTransform("ACEScg", "ACEScg", "print")
        shown = config.getProcessor(transform).getDefaultCPUProcessor().applyRGB([0.18] * 3)
        self.assertAlmostEqual(shown[0], 0.18, places=4)

    def test_a_lut_that_was_never_brought_or_is_none(self) -> None:
        look = {"name": "x", "slope": [1, 1, 1], "offset": [0, 0, 0], "power": [1, 1, 1], "saturation": 1}
        lost = {**look, "lut": "x.cube", "lut_sha256": "0" * 64}
        self.refused("post", "/setup", "Import its file again", based_on=1, message="m", added_looks=[lost])
        (self.folder / "x.cube").write_text("hello")
        self.assertIn("does not load as a LUT", self.send("/look-file", self.folder / "x.cube", 400)["detail"])

    def test_order_of_displays_and_views(self) -> None:
        self.save(displays=["Display P3 - Display", SRGB_DISPLAY], views=["Raw", ACES_SDR.view])
        config = self.ask("/config")
        self.assertEqual([row["name"] for row in config["displays"]], [SRGB_DISPLAY, "Display P3 - Display"])
        self.assertEqual(config["displays"][0]["views"], [ACES_SDR.view, "Raw"])
        self.assertGreater(len(config["all_displays"]), 5)
        self.assertIn("Un-tone-mapped", config["all_views"])

    def test_a_target_version_is_told_and_kept_with_the_revision(self) -> None:
        preview = self.tell("post", "/setup-preview", target_version="2.3")
        fates = {part["name"]: part["fate"] for part in preview["replacements"]}
        self.assertEqual(fates[ACES_SDR.view], "baked")
        self.assertIn({"what": "OCIO version", "before": "2.6", "after": "2.3"}, preview["changes"])
        self.assertIn("config.replaced-for-target", [row["code"] for row in preview["new_findings"]])
        self.assertEqual(self.revision(), 1)
        far = self.ask("/target-differences", version="2.3")
        self.assertEqual({row["metric"] for row in far["differences"] if row["metric"]}, {"ΔE 2000", "ΔE ITP"})

        self.save(target_version="2.3")
        self.assertEqual(self.ask("/config")["version"], "2.3")
        self.assertEqual(len(Revision.objects.get(number=2).replacements), len(preview["replacements"]))
        self.assertIn("config.replaced-for-target", [row["code"] for row in self.findings()])
        self.save(target_version="")
        self.assertEqual(self.ask("/config")["version"], "2.6")

    def test_a_preview_says_what_would_change_and_saves_nothing(self) -> None:
        self.texture("walls/wall_height.exr", "half")
        rule = {"name": "All EXR", "kind": "glob", "space": "ACES2065-1", "pattern": "*", "extension": "exr"}
        preview = self.tell("post", "/setup-preview", rules=[rule], working_space="Linear Rec.2020")
        self.assertIn({"what": "role scene_linear", "before": "ACEScg", "after": "Linear Rec.2020"}, preview["changes"])
        self.assertEqual(
            preview["textures"], [{"what": "walls/wall_height.exr", "before": "Raw", "after": "ACES2065-1"}]
        )
        self.assertEqual([row["code"] for row in preview["new_findings"]], ["texture.data-read-as-colour"])
        self.assertEqual((self.revision(), Revision.objects.count()), (1, 1))
        self.refused("post", "/setup-preview", "not scene-linear", working_space=SRGB)
        nothing = self.tell("post", "/setup-preview", working_space="ACEScg")
        self.assertEqual((nothing["changes"], nothing["textures"]), ([], []))

    def test_a_revision_says_who_made_it_and_what_it_changed(self) -> None:
        answer = self.client.post(
            self.url("/setup"),
            {"based_on": 1, "message": "m", "working_space": "Linear Rec.2020"},
            content_type="application/json",
            headers={"X-Saltwort-Author": "Ingrid%20Ha%C5%82as"},
        )
        self.assertEqual(answer.json()["revision"]["author"], "Ingrid Hałas")
        newest, first = self.ask("/revisions")
        self.assertEqual((newest["author"], newest["parts"]), ("Ingrid Hałas", ["working_space"]))
        self.assertEqual(first["author"], "")

    def test_what_the_config_holds_besides_spaces(self) -> None:
        self.tell("post", "/setup", based_on=1, message="base", base=f"builtin:{STUDIO}")
        config = self.ask("/config")
        self.assertIn("sRGB - Curve", [named["name"] for named in config["named_transforms"]])
        self.assertEqual(config["file_rules"][-1]["name"], "Default")
        self.assertIn("Any Scene-linear or Log", [rule["name"] for rule in config["viewing_rules"]])
        view = next(row for row in config["views"] if row["view"] == ACES_SDR.view)
        self.assertTrue(view["transform"] and view["rule"])
        self.assertIn("file-io", config["spaces"][0]["categories"])
        self.assertIn("ACEScg", config["used_spaces"])
        self.assertIn("quay-r2, from studio-config", config["description"])

    def test_a_config_by_its_path(self) -> None:
        show = self.folder / "show"
        (show / "luts").mkdir(parents=True)
        (show / "config.ocio").write_text(config_with_luts())
        (show / "luts" / "curve.spi1d").write_bytes(LUT)
        self.start_from(self._packed(show))
        theirs = self.folder / "theirs.ocioz"
        theirs.write_bytes(self.ask("/export.ocioz"))
        with override_settings(READABLE_FOLDERS=[self.folder]):
            for path in (theirs, f'export OCIO="{theirs}"', f" OCIO={theirs} "):
                self.assertEqual(self.tell("post", "/compare-path", path=str(path))["verdict"], "identical")
            found = self.tell("post", "/compare-path", path=str(show))
            self.assertEqual(found["verdict"], "different")
            self.assertNotIn("curved", [row["name"] for row in found["differences"]])  # its LUT was found
            self.assertEqual(self.tell("post", "/compare-path", path="ocio://default")["verdict"], "different")

    def _packed(self, show: Path) -> Path:
        packed = self.folder / "show.zip"
        luts = {"config.ocio": (show / "config.ocio").read_text(), "luts/curve.spi1d": LUT}
        packed.write_bytes(zipped(luts))
        return packed

    def test_paths_that_lead_out(self) -> None:
        inside = self.folder / "inside"
        inside.mkdir()
        (self.folder / "config.ocio").write_text(base_text())
        (inside / "link.ocio").symlink_to(self.folder / "config.ocio")
        with override_settings(READABLE_FOLDERS=[inside]):
            for path in ("/etc/passwd", f"{inside}/../config.ocio", f"{inside}/link.ocio"):
                self.refused("post", "/compare-path", "outside the folders", path=path)
            self.refused("post", "/compare-path", "no config at", path=str(inside / "lost.ocio"))
            self.refused("post", "/compare-path", "Paste the path", path='""')
            self.refused("post", "/compare-path", "no built-in config", path="ocio://nonsense")


class Trimming(ServerTestCase):
    def used(self) -> dict:
        choices = self.ask("/trim")
        return {
            "spaces": [space["name"] for space in choices["spaces"] if space["used"]],
            "views": [{"display": view["display"], "view": view["view"]} for view in choices["views"] if view["used"]],
            "looks": [],
        }

    def test_only_what_the_project_uses_proved_and_undone(self) -> None:
        self.texture("lin_rec709/wall_any.exr", "half")
        before = Revision.objects.get().text
        picked = self.used()
        self.assertIn(LINEAR_REC709, picked["spaces"])
        self.assertNotIn("ACEScc", picked["spaces"])
        preview = self.tell("post", "/trim", **picked)
        self.assertEqual(preview["proof"]["largest"], 0.0)
        self.assertLess(preview["after"]["spaces"], preview["before"]["spaces"])
        self.assertIn("ACES2065-1", preview["kept_besides"])
        self.assertEqual(self.revision(), 1)

        saved = self.tell("post", "/setup", based_on=1, message="trimmed", trim=picked)
        self.assertLess(saved["strip"]["spaces"], 12)
        proof = Revision.objects.get(number=2).proof
        self.assertEqual((proof["largest"], proof["colours"]), (0.0, preview["proof"]["colours"]))
        self.assertTrue(self.ask("/trim")["trimmed"])
        self.assertEqual(self.listed()[0]["assignment"]["space"], LINEAR_REC709)
        whole = self.tell("post", "/setup", based_on=2, message="whole", trim=None)
        self.assertIsNone(whole["setup"]["trim"])
        self.assertEqual(Revision.objects.get(number=3).text.replace("quay-r3", "quay-r1"), before)

    def test_a_trim_keeps_the_spaces_that_files_are_read_in(self) -> None:
        """Also those that only a path names: `lin_p3d65` in it must go on to be found."""
        self.texture("lamp_lin_p3d65_a.exr")
        self.tell("post", "/setup", based_on=1, message="r", rules=[{"name": "path", "kind": "space_in_path"}])
        self.assertEqual(self.listed()[0]["assignment"]["space"], "Linear P3-D65")
        picked = {**self.used(), "spaces": ["ACEScg"]}
        preview = self.tell("post", "/trim", **picked)
        self.assertIn("Linear P3-D65", preview["kept_besides"])
        self.tell("post", "/setup", based_on=2, message="trimmed", trim=picked)
        self.assertEqual(self.listed()[0]["assignment"]["space"], "Linear P3-D65")
        self.texture("rope_lin_rec2020_b.exr")
        (finding,) = [row for row in self.findings() if row["code"] == "texture.names-a-trimmed-space"]
        self.assertEqual(finding["subject"], "rope_lin_rec2020_b.exr")

    def test_a_trim_that_changes_a_colour_is_shown_and_never_saved(self) -> None:
        picked = self.used()
        changed = Proof(colours=4296, compared=9, largest=0.25, where="ACEScg", unproved=())
        with mock.patch("saltwort.server.projects.operations.prove_equal", return_value=changed):
            self.assertEqual(self.tell("post", "/trim", **picked)["proof"]["largest"], 0.25)
            self.refused("post", "/setup", "“ACEScg” would give other colours", based_on=1, message="t", trim=picked)
        self.assertEqual(self.revision(), 1)

    def test_refusals(self) -> None:
        self.refused("post", "/trim", "no colour space", spaces=["Nowhere"], views=[], looks=[])
        self.refused("post", "/setup", "no look", based_on=1, message="t", trim={**self.used(), "looks": ["Nowhere"]})
        self.assertEqual(self.revision(), 1)


class Comparing(ServerTestCase):
    def test_two_revisions(self) -> None:
        self.tell("post", "/setup", based_on=1, message="r", roles=[{"role": "texture_paint", "space": "ACEScg"}])
        found = self.tell("post", "/compare-configs", first="revision:1", second="revision:2")
        self.assertEqual(found["verdict"], "different")
        (changed,) = found["differences"]
        self.assertEqual((changed["what"], changed["name"], changed["metric"]), ("role", "texture_paint", "relative"))
        self.assertEqual(len(changed["worst"]), 3)

    def test_a_config_that_an_application_uses(self) -> None:
        same = self.folder / "config.ocio"
        same.write_bytes(zipfile.ZipFile(io.BytesIO(self.ask("/export.zip"))).read("config.ocio"))
        self.assertEqual(self.send("/compare-file", same, 200)["verdict"], "identical")
        same.write_text(same.read_text().replace("name: quay", "name: other"))
        self.assertEqual(self.send("/compare-file", same, 200), {"verdict": "same meaning", "differences": []})
        same.write_text(base_text())
        self.assertEqual(self.send("/compare-file", same, 200)["verdict"], "different")
        self.assertEqual((Revision.objects.count(), BaseConfig.objects.count()), (1, 0))

    def test_what_cannot_be_computed_stays_json(self) -> None:
        (self.folder / "a.zip").write_bytes(zipped({"config.ocio": config_with_luts(), "luts/curve.spi1d": LUT}))
        self.start_from(self.folder / "a.zip")
        (self.folder / "b.ocio").write_text(Revision.objects.get(number=2).text)
        found = self.send("/compare-file", self.folder / "b.ocio", 200)
        self.assertEqual([row["name"] for row in found["differences"] if row["largest"] is None], ["curved"])

    def test_refusals(self) -> None:
        for first, words in (("revision:9", "no revision 9"), ("builtin:x", "no built-in"), ("sha256:0", "gone")):
            self.refused("post", "/compare-configs", words, first=first, second="revision:1")
        (self.folder / "x.ocio").write_bytes(b"hello")
        self.assertIn("does not load", self.send("/compare-file", self.folder / "x.ocio", 400)["detail"])


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


class Configs(ServerTestCase):
    def test_description(self) -> None:
        config = self.ask("/config")
        self.assertEqual(config["working_spaces"][:3], ["ACEScg", LINEAR_REC709, "Linear Rec.2020"])
        self.assertIn("scene_linear", [role["name"] for role in config["roles"]])
        self.assertEqual(config["displays"][0]["name"], SRGB_DISPLAY)
        self.assertEqual(config["export_name"], "quay-r1")
        self.assertEqual(config["environment"]["Linux (bash)"], 'export OCIO="/path/to/quay-r1.ocioz"')

    def test_exports_are_named_after_the_revision(self) -> None:
        for kind in ("ocioz", "zip"):
            answer = self.client.get(self.url(f"/export.{kind}"))
            self.assertEqual(answer["Content-Disposition"], f'attachment; filename="quay-r1.{kind}"')
            with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
                self.assertEqual(archive.namelist(), ["config.ocio"])


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
