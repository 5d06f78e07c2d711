"""Configs shaped over HTTP: views, spaces and looks added; displays, roles and rules changed."""

from dataclasses import asdict
from pathlib import Path

import PyOpenColorIO as ocio
from django.test import override_settings

from saltwort.core.spaces.gamuts import REC2020
from saltwort.core.views import AddedView
from saltwort.server.projects.models import Revision
from tests.core.test_archives import LUT, config_with_luts, zipped
from tests.core.test_edits import CORRECTION
from tests.core.test_explain import STUDIO
from tests.core.test_findings_configs import cube
from tests.newcomer import slate_added
from tests.samples import ACES_SDR, GAMUT_COMPRESSION, SRGB, SRGB_DISPLAY, base_text
from tests.schema import schema_written_now
from tests.server import ServerTestCase


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

    def test_a_new_part_of_the_setup_is_told_and_set_without_a_line_here(self) -> None:
        with slate_added(), schema_written_now():
            self.assertEqual(self.ask("")["setup"]["slate"], {"rate": 24.0, "space": ""})
            self.save(slate={"rate": 25, "space": SRGB})
            self.assertEqual(self.ask("")["setup"]["slate"], {"rate": 25.0, "space": SRGB})
            self.assertEqual(Revision.objects.get(number=2).parts, ["slate"])
            self.tell("post", "/setup-preview", slate={"rate": 30, "space": ""})
            for refused, why in (({"rate": "fast"}, "valid number"), ({"rate": 0}, "1 to 240"), (7, "Invalid data")):
                self.refused("post", "/setup", why, based_on=2, message="m", slate=refused)
            self.save(working_space="Linear Rec.2020")
            self.assertEqual(self.ask("")["setup"]["slate"], {"rate": 25.0, "space": SRGB})

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
