"""Configs over HTTP: brought from files, compared, trimmed and told."""

import io
import zipfile
from unittest import mock

import PyOpenColorIO as ocio

from saltwort.core.configs import Proof
from saltwort.server.projects.models import BaseConfig, Revision
from tests.core.test_archives import LUT, config_with_luts, zipped
from tests.core.test_configs import OLD_CONFIG
from tests.samples import BASE, LINEAR_REC709, SRGB, SRGB_DISPLAY, base_text, fresh_config
from tests.server import ServerTestCase


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
