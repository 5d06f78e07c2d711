"""Textures through HTTP: upload, assignment, pins, pictures and refusals."""

from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from django.conf import settings

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.images import read_pixels
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import add_texture
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, light, project_config, write, write_absurd_png, write_damaged
from tests.server import ServerTestCase


class Uploading(ServerTestCase):
    def test_a_file_comes_in_measured_and_assigned(self) -> None:
        file = write(self.folder / "wall_rough.png", light(peak=1.0), "uint16")
        made = self.send("/textures", file, path="quay/wall_rough.png")
        self.assertEqual(
            (made["path"], made["kind"]["key"], made["kind_word"]), ("quay/wall_rough.png", "roughness", "rough")
        )
        self.assertEqual(
            made["assignment"], {"space": "Raw", "reason": {"kind": "rule", "index": 0, "name": "Data maps"}}
        )
        self.assertEqual((made["width"], made["height"], made["bit_depth"]), (40, 24, "16-bit"))
        self.assertIn({"name": "below 0", "value": "none"}, made["facts"])
        self.assertEqual(self.ask()["strip"]["textures"], 1)

    def test_the_same_content_is_stored_once(self) -> None:
        file = write(self.folder / "a.png", light(peak=1.0), "uint8")
        for path in ("one/a.png", "two/b.png"):
            self.send("/textures", file, path=path)
        self.assertEqual((Texture.objects.count(), StoredImage.objects.count()), (2, 1))
        stored = [file for file in Path(settings.MEDIA_ROOT).rglob("*") if file.is_file()]
        images = [file for file in stored if file.suffix != ".npz"]  # the thumbnail is kept beside it
        self.assertEqual([image.read_bytes() for image in images], [file.read_bytes()])

    def test_a_taken_path_gets_the_new_content_and_keeps_its_pin(self) -> None:
        texture = self.texture("wall.png")
        self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space="Raw", note="a mask")
        other = write(self.folder / "wall.png", light(peak=1.0, seed=5), "uint8")
        again = self.send("/textures", other, path="wall.png")
        self.assertEqual((again["id"], again["assignment"]["space"]), (texture.pk, "Raw"))
        self.assertNotEqual(Texture.objects.get().image_id, texture.image_id)

    def test_what_is_no_whole_image_is_refused_by_name_and_kept_nowhere(self) -> None:
        (self.folder / "notes.exr").write_text("hello")
        (self.folder / "empty.png").touch()
        cases = (
            (self.folder / "notes.exr", "notes.exr is not an image"),
            (write_damaged(self.folder / "cut.exr", light(200, 200), "half"), "cut.exr is damaged"),
            (write_absurd_png(self.folder / "huge.png"), "huge.png"),
            (self.folder / "empty.png", "empty"),
        )
        for file, words in cases:
            with self.subTest(words):
                self.assertIn(words, self.send("/textures", file, 400, path=file.name)["detail"])
        self.assertEqual((Texture.objects.count(), StoredImage.objects.count()), (0, 0))
        self.assertFalse(any(file.is_file() for file in Path(settings.MEDIA_ROOT).rglob("*")))

    def test_paths_that_lead_out_of_the_project_are_refused(self) -> None:
        file = write(self.folder / "a.png", light(peak=1.0), "uint8")
        for path in ("../a.png", "/etc/a.png", "a/../../b.png", "C:\\a.png", "a\nb.png", "x" * 1025):
            with self.subTest(path[:12]):
                self.send("/textures", file, 400, path=path)
        self.assertEqual(Texture.objects.count(), 0)
        self.assertEqual(self.send("/textures", file, path="a\\.\\b.png")["path"], "a/b.png")

    def test_names_of_all_kinds(self) -> None:
        file = write(self.folder / "a.png", light(peak=1.0), "uint8")
        for path in ("with space.png", "quote'\".png", "<b>.png", "燈.png", "😀_rough.png"):
            self.assertEqual(self.send("/textures", file, path=path)["path"], path)
        self.assertEqual(len(self.listed()), 5)


class Assigning(ServerTestCase):
    def test_the_engine_resolves_the_same_space_for_every_file(self) -> None:
        for path in ("a/wall_rough.png", "b/lin_rec709/plate.exr", "c/any.exr", "d/sky.hdr", "e/wall_col.png"):
            self.texture(path, "half" if path.endswith("exr") else "float" if path.endswith("hdr") else "uint8")
        config = ocio.Config.CreateFromStream(Project.objects.get().current.text)
        for row in self.listed():
            reason = row["assignment"]["reason"]
            with self.subTest(row["path"]):
                found = (row["assignment"]["space"], reason["index"])
                self.assertEqual(found, config.getColorSpaceFromFilepath(row["path"]))

    def test_reordering_rules_changes_the_assignments(self) -> None:
        texture = self.texture("lin_rec709/wall_any.exr", "half")
        rules = self.ask()["setup"]["rules"]
        self.assertEqual(self.ask(f"/textures/{texture.pk}")["assignment"]["space"], LINEAR_REC709)
        rules[1], rules[2] = rules[2], rules[1]
        self.tell("post", "/setup", based_on=1, message="order", rules=rules)
        detail = self.ask(f"/textures/{texture.pk}")
        self.assertEqual((detail["assignment"]["space"], detail["assignment"]["reason"]["index"]), ("ACEScg", 1))
        self.assertEqual([trace["space"] for trace in detail["why"]], [None, "ACEScg", LINEAR_REC709, None, SRGB])

    def test_a_pin_stands_whatever_the_rules_say(self) -> None:
        texture = self.texture("wall_rough.png")
        pinned = self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space="lin_rec709", note="by eye")
        self.assertEqual(pinned["assignment"]["space"], LINEAR_REC709)
        self.assertEqual(pinned["assignment"]["reason"], {"kind": "pin", "index": None, "name": "by eye"})
        asked = self.tell("post", "/textures/run-rules")
        self.assertEqual((asked["files"], asked["pins"]), (1, 1))
        self.assertEqual(asked["textures"], [{"what": "wall_rough.png", "before": LINEAR_REC709, "after": "Raw"}])
        self.assertEqual(
            [finding["code"] for finding in asked["gone_findings"]],
            ["texture.data-read-as-colour", "rule.takes-nothing"],
        )
        self.tell("post", "/setup", based_on=1, message="rules", rules=[])
        self.assertEqual(self.ask(f"/textures/{texture.pk}")["assignment"]["space"], LINEAR_REC709)
        freed = self.tell("put", f"/textures/{texture.pk}/pin", based_on=2, space="")
        self.assertEqual(freed["assignment"]["reason"]["kind"], "default")

    def test_stale_and_unknown_pins_are_refused(self) -> None:
        texture = self.texture("wall.png")
        self.refused("put", f"/textures/{texture.pk}/pin", "no colour space", based_on=1, space="Nowhere")
        self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space="Raw")
        self.refused("put", f"/textures/{texture.pk}/pin", "changed meanwhile", status=409, based_on=1, space=SRGB)
        self.assertEqual(Texture.objects.get().pin_space, "Raw")

    def test_taking_a_file_out(self) -> None:
        texture = self.texture("wall.png")
        self.tell("post", "/textures/remove", 204, textures=[texture.pk])
        self.assertEqual(self.listed(), [])


class Pictures(ServerTestCase):
    def picture(self, texture: Texture, **query: object) -> np.ndarray:
        (self.folder / "seen.png").write_bytes(self.ask(f"/textures/{texture.pk}/picture", **query))
        return read_pixels(self.folder / "seen.png")

    def test_a_thumbnail_is_the_file_as_read_through_the_view(self) -> None:
        texture = self.texture("wall_col.png")
        self.tell(
            "post", "/setup", based_on=1, message="v", view={"display": "sRGB - Display", "view": "Un-tone-mapped"}
        )
        # Read as sRGB and shown on an sRGB screen without a rendering, the numbers are those of the file.
        expected = read_pixels(texture.image.file)
        np.testing.assert_allclose(self.picture(texture), expected, atol=1.01 / 255)
        decoded_twice = self.picture(texture, space="ACEScg")
        self.assertGreater(np.abs(decoded_twice - expected).mean(), 0.02)

    def test_sizes(self) -> None:
        texture = self.texture("wall_col.png")
        self.assertEqual(self.picture(texture, size=20).shape, (12, 20, 3))
        self.ask(f"/textures/{texture.pk}/picture", 400, size=100000)
        self.ask(f"/textures/{texture.pk}/picture", 400, space="Nowhere")

    def test_pictures_are_kept_by_the_browser_under_an_address_that_says_it_all(self) -> None:
        texture = self.texture("wall_col.png")
        first = self.listed()[0]["thumbnail"]
        self.assertIn("immutable", self.client.get(first)["Cache-Control"])
        self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space="Raw")
        self.assertNotEqual(self.listed()[0]["thumbnail"], first)


class Findings(ServerTestCase):
    def test_both_checks_find_and_their_fixes_mend(self) -> None:
        rough, colour = self.texture("lamp_rough.png"), self.texture("scans_raw/rope_albedo.png", seed=2)
        self.tell("put", f"/textures/{rough.pk}/pin", based_on=1, space=SRGB)
        found = {finding["code"]: finding for finding in self.findings()}
        self.assertEqual(found["texture.data-read-as-colour"]["subject"], rough.path)
        self.assertEqual(found["texture.colour-read-as-data"]["subject"], colour.path)
        for code in ("texture.data-read-as-colour", "texture.colour-read-as-data"):
            fix = found[code]["fix"]
            self.tell(
                "post", "/fix", 204, based_on=self.revision(), operation=fix["operation"], arguments=fix["arguments"]
            )
        self.assertEqual([finding for finding in self.findings() if finding["level"] == "blocker"], [])
        self.assertEqual(self.ask(f"/textures/{rough.pk}")["assignment"]["space"], "Raw")

    def test_a_fix_that_no_finding_offers_any_more(self) -> None:
        rough = self.texture("lamp_rough.png")
        nothing = {"operation": "pin-texture", "arguments": {"path": rough.path, "space": SRGB}}
        self.refused("post", "/fix", "No finding asks for this", based_on=self.revision(), **nothing)
        self.refused(
            "post", "/fix", "No finding asks for this", based_on=self.revision(), operation="format-disk", arguments={}
        )
        self.assertEqual(Texture.objects.get().pin_space, "")

    def test_the_page_of_codes(self) -> None:
        codes = self.client.get("/api/v1/finding-codes").json()
        self.assertIn("texture.data-read-as-colour", [code["code"] for code in codes])


class LookingClosely(ServerTestCase):
    def test_a_study_tells_figures_histogram_and_colours(self) -> None:
        texture = self.texture("wall_col.png")
        found = self.ask(f"/textures/{texture.pk}/study", space="srgb_texture")
        self.assertEqual(found["space"], SRGB)
        self.assertEqual([gamut["name"] for gamut in found["gamuts"]], [SRGB, "ACEScg"])
        self.assertFalse(found["histogram"]["in_stops"])
        self.assertAlmostEqual(sum(found["histogram"]["channels"][0]), 1.0)
        self.assertGreater(len(found["colours"]), 20)
        data = self.ask(f"/textures/{texture.pk}/study", space="Raw")
        self.assertEqual(data["colours"], [])
        self.assertGreater(max(data["reading"]["median"]), max(found["reading"]["median"]))
        self.refusal(f"/textures/{texture.pk}/study", "no colour space", space="Nowhere")

    def refusal(self, path: str, words: str, **query: object) -> None:
        self.assertIn(words, self.ask(path, 400, **query)["detail"])

    def test_a_pixel_is_told_as_stored_decoded_and_shown(self) -> None:
        texture = self.texture("wall_col.png", "uint16")
        found = self.ask(f"/textures/{texture.pk}/pixel", x=3, y=2, space=["Raw", SRGB])
        stored = read_pixels(self.folder / "files" / "wall_col.png")[2, 3]
        np.testing.assert_allclose(found["stored"], stored, rtol=1e-6)
        raw, decoded = found["readings"]
        np.testing.assert_allclose(raw["light"], stored, rtol=1e-6)
        expected = apply_to_colour(space_processor(project_config(), SRGB, "ACEScg"), tuple(map(float, stored)))
        np.testing.assert_allclose(decoded["light"], expected, rtol=1e-5)
        self.refusal(f"/textures/{texture.pk}/pixel", "40 × 24 pixels, so none at 40, 0", x=40, y=0, space=SRGB)

    def test_a_plate_may_be_undone_and_a_base_colour_is_warned_of(self) -> None:
        plate, wall = self.texture("quay_backplate.png"), self.texture("wall_col.png", seed=2)
        view = {"display": ACES_SDR.display, "view": ACES_SDR.view}
        for texture, right, words in ((plate, True, "looks as it did"), (wall, False, "wrong for a material")):
            found = self.ask(f"/textures/{texture.pk}/undone", **view)
            self.assertEqual(found["right"], right)
            self.assertIn(words, found["says"])
            self.assertGreater(max(found["reading"]["peak"]), 1)
        picture = self.ask(f"/textures/{plate.pk}/picture", size=64, **view)
        self.assertTrue(picture.startswith(b"\x89PNG"))
        pinned = self.tell("post", f"/textures/{plate.pk}/read-undone", based_on=1, **view)
        name = pinned["assignment"]["space"]
        self.assertTrue(name.startswith("Undone ACES 2.0"))
        self.assertEqual(self.revision(), 2)
        self.tell("post", f"/textures/{wall.pk}/read-undone", based_on=1, **view)
        self.assertEqual(self.revision(), 2)  # the space is there already
        codes = {(finding["code"], finding["subject"]) for finding in self.findings()}
        self.assertIn(("texture.inverted-view", "wall_col.png"), codes)
        self.assertNotIn(("texture.inverted-view", "quay_backplate.png"), codes)
        self.refusal(f"/textures/{wall.pk}/undone", "no view", display=ACES_SDR.display, view="Nowhere")


class RulesForLikes(ServerTestCase):
    def test_a_finding_offers_a_rule_that_catches_a_file_and_its_likes(self) -> None:
        for seed, path in enumerate(("a/wall_rough.png", "b/rope_rough.png", "b/rope_col.png")):
            self.texture(path, seed=seed)
        self.tell("post", "/setup", based_on=1, message="no rules", rules=[])
        finding = next(found for found in self.findings() if found["subject"] == "a/wall_rough.png")
        self.assertEqual(finding["fix"]["operation"], "pin-texture")
        (rule,) = finding["also"]
        self.assertEqual(rule["label"], "Read 2 such files as Raw")
        self.assertEqual(
            [change["what"] for change in rule["changes"]], ["rule 1", "a/wall_rough.png", "b/rope_rough.png"]
        )
        self.tell(
            "post", "/fix", 204, based_on=self.revision(), operation=rule["operation"], arguments=rule["arguments"]
        )
        spaces = {row["path"]: row["assignment"]["space"] for row in self.listed()}
        self.assertEqual(spaces, {"a/wall_rough.png": "Raw", "b/rope_rough.png": "Raw", "b/rope_col.png": SRGB})
        codes = {finding["code"] for finding in self.findings()}
        self.assertNotIn("texture.data-read-as-colour", codes)

    def test_none_is_offered_for_one_file_alone_or_a_pinned_one(self) -> None:
        alone = self.texture("a/wall_rough.png")
        self.tell("post", "/setup", based_on=1, message="no rules", rules=[])
        self.assertEqual(self.also("a/wall_rough.png"), [])
        self.texture("b/rope_rough.png", seed=2)
        self.tell("put", f"/textures/{alone.pk}/pin", based_on=1, space=SRGB)
        self.assertEqual(self.also("a/wall_rough.png"), [])

    def also(self, path: str) -> list[object]:
        return next(found["also"] for found in self.findings() if found["subject"] == path)


class ManyPins(ServerTestCase):
    def test_all_are_pinned_or_none(self) -> None:
        first, second = self.texture("a.png"), self.texture("b.png", seed=2)
        pins = [
            {"texture": texture.pk, "based_on": 1, "space": "ACEScg", "note": "by eye"} for texture in (first, second)
        ]
        pins[1]["based_on"] = 7
        self.tell("put", "/textures/pins", 409, pins=pins)
        self.assertEqual(Texture.objects.exclude(pin_space="").count(), 0)
        pins[1]["based_on"] = 1
        self.tell("put", "/textures/pins", 204, pins=pins)
        self.assertEqual(Texture.objects.filter(pin_space="ACEScg", pin_note="by eye").count(), 2)
        self.refused("put", "/textures/pins", "no longer in the project", pins=[{**pins[0], "texture": 999}])
        self.undo()
        self.assertEqual(Texture.objects.filter(pin_space="", version=3).count(), 2)

    def test_sets_are_told_with_each_file(self) -> None:
        for seed, path in enumerate(("lamp/lamp_col.1001.png", "lamp/lamp_rough.1002.png", "lamp/lamp_rough_2k.png")):
            self.texture(path, seed=seed)
        members = [row["member"] for row in self.listed()]
        self.assertEqual({member["key"] for member in members}, {"lamp/lamp"})
        self.assertEqual([member["tile"] for member in members], ["1001", "1002", ""])
        self.assertEqual(members[2]["resolution"], "2k")


class KindsByHand(ServerTestCase):
    """What a file holds, where its name does not say it."""

    def setUp(self) -> None:
        super().setUp()
        self.file = self.texture("wall_xyz.png")

    def set(self, kind: str, based_on: int) -> Any:
        return self.tell("put", f"/textures/{self.file.pk}/kind", based_on=based_on, kind=kind)

    def test_it_is_read_as_its_kind_is_and_lets_the_name_tell_again(self) -> None:
        found = self.set("normal", 1)
        self.assertEqual((found["kind"]["key"], found["kind_by_hand"], found["kind_word"]), ("normal", "normal", ""))
        self.assertEqual((found["assignment"]["space"], found["pin_note"]), ("Raw", "map kind set by hand: normal"))
        self.assertIn("It is normal, set by hand.", {piece["says"] for piece in found["evidence"]})
        self.assertEqual([row["kind"]["key"] for row in self.listed(kind="normal")], ["normal"])
        codes = {finding["code"] for finding in self.findings(subject="wall_xyz.png")}
        self.assertIn("texture.normals-not-unit", codes)
        found = self.set("", 2)
        self.assertEqual((found["kind"], found["assignment"]["reason"]["kind"]), (None, "default"))

    def test_it_stays_through_changes_of_rules_and_words(self) -> None:
        self.set("roughness", 1)
        words = [*self.ask()["setup"]["kind_words"], {"word": "xyz", "kind": "base_colour"}]
        self.tell("post", "/setup", based_on=1, message="w", kind_words=words)
        (row,) = self.listed()
        self.assertEqual((row["kind"]["key"], row["assignment"]["space"]), ("roughness", "Raw"))

    def test_a_kind_that_no_rule_is_for_leaves_the_space(self) -> None:
        found = self.set("emission", 1)
        self.assertEqual((found["kind"]["key"], found["assignment"]["reason"]["kind"]), ("emission", "default"))

    def test_what_there_is_not(self) -> None:
        self.refused("put", f"/textures/{self.file.pk}/kind", "no map kind", based_on=1, kind="fur")
        self.refused("put", f"/textures/{self.file.pk}/kind", "changed meanwhile", 409, based_on=9, kind="normal")

    def test_a_finding_that_knows_it_offers_it(self) -> None:
        down, across = np.mgrid[:32, :32] / 32
        vectors = np.stack((np.cos(across * 9) * 0.4, np.sin(down * 7) * 0.4, np.ones_like(down)), -1)
        vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
        file = write(self.folder / "files" / "scan_a.png", ((vectors + 1) / 2).astype(np.float32), "uint8")
        add_texture(self.project, "scan_a.png", store_file(file, "scan_a.png"))
        (finding,) = self.findings(code="texture.looks-like-normals")
        fix = {name: finding["fix"][name] for name in ("operation", "arguments")}
        self.assertEqual(fix, {"operation": "set-kind", "arguments": {"path": "scan_a.png", "kind": "normal"}})
        self.tell("post", "/fix", 204, based_on=1, **fix)
        self.assertEqual(self.findings(code="texture.looks-like-normals"), [])
        row = next(row for row in self.listed() if row["path"] == "scan_a.png")
        self.assertEqual((row["kind"]["key"], row["assignment"]["space"]), ("normal", "Raw"))


class PrimariesNotDeclared(ServerTestCase):
    """Linear light tells how bright, not in which primaries."""

    def found(self, path: str, **tags: Any) -> list[dict[str, Any]]:
        file = write(self.folder / "files" / Path(path).name, light(), "half", **tags)
        add_texture(self.project, path, store_file(file, path))
        return [one for one in self.findings(subject=path) if one["code"] == "texture.primaries-not-declared"]

    def test_an_untagged_float_exr_is_linear_and_no_more(self) -> None:
        (finding,) = self.found("sky_paint.exr")
        self.assertRegex(finding["why"], "If it looks too saturated read as ACEScg, it is Linear Rec.709")
        self.assertIsNone(finding["fix"])  # nobody knows, so there is nothing to fix for all at once
        self.assertEqual([fix["label"] for fix in finding["also"]], ["It is ACEScg", "It is Linear Rec.709 (sRGB)"])
        detail = self.ask(f"/textures/{self.project.textures.get().pk}")
        self.assertTrue(detail["verdict"]["primaries_are_assumed"])
        said = finding["also"][0]
        self.tell("post", "/fix", 204, based_on=1, operation=said["operation"], arguments=said["arguments"])
        self.assertEqual(self.findings(code="texture.primaries-not-declared"), [])

    def test_the_other_way_round_it_is_too_dull(self) -> None:
        rule = {"name": "r", "kind": "glob", "space": "Linear Rec.709 (sRGB)", "pattern": "*", "extension": "exr"}
        self.tell("post", "/setup", based_on=1, message="r", rules=[{**rule, "map_kinds": []}])
        (finding,) = self.found("sky_paint.exr")
        self.assertRegex(finding["why"], r"If it looks too dull read as Linear Rec.709 \(sRGB\), it is ACEScg")

    def test_what_is_declared_named_data_or_encoded_is_left_alone(self) -> None:
        self.assertEqual(self.found("a.exr", colorInteropID="lin_ap1_scene"), [])
        self.assertEqual(
            self.found("b.exr", chromaticities=(0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)), []
        )
        self.assertEqual(self.found("c_acescg.exr"), [])
        self.assertEqual(self.found("d_normal.exr"), [])
        self.texture("e_col.png")
        self.assertEqual(self.findings(code="texture.primaries-not-declared"), [])
