"""The Textures step, worked through the way an artist would: files in, spaces, rules."""

import re
import zipfile
from pathlib import Path

from django.test import override_settings
from playwright.sync_api import Page, expect

from saltwort.core.engine import load_config
from saltwort.core.textures.rules import PATH_SEARCH_NAME
from saltwort.demo.textures import decoded, enamel
from saltwort.server.images.operations import store_file
from saltwort.server.projects.setups import archive_of, current_setup
from saltwort.server.textures.operations import add_texture
from tests.browser.base import BrowserTestCase
from tests.samples import LINEAR_REC709, SRGB, light, write, write_damaged


class Textures(BrowserTestCase):
    def row(self, page: Page, name: str):
        return page.get_by_role("row").filter(has_text=name)

    def files(self, page: Page):
        """The rows of files; sets have rows besides."""
        return page.locator("[role=row][aria-selected]")

    def test_the_table_tells_space_and_reason(self) -> None:
        page = self.open("textures")
        for name, kind, space, reason in (
            ("wall_basecolor.png", "base colour", SRGB, "default"),
            ("wall_roughness.png", "roughness", SRGB, "by hand"),
            ("lamp_lin_rec709_emission.exr", "emission", LINEAR_REC709, "rule 2"),
            ("rope_albedo.jpg", "base colour", "Raw", "rule 2"),
        ):
            for text in (kind, space, reason):
                expect(self.row(page, name)).to_contain_text(text)
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("Colour read as data")
        for picture in page.get_by_role("row").locator("img").all():
            self.assertGreater(picture.evaluate("image => image.decode().then(() => image.naturalWidth)"), 0)

    def test_find_filter_and_keys(self) -> None:
        page = self.open("textures")
        expect(self.files(page)).to_have_count(4)  # keys count once the step is there
        page.keyboard.press("/")
        page.keyboard.type("wall rough")
        expect(self.files(page)).to_have_count(1)
        page.get_by_label("Find a file").fill("nothing like it")
        expect(page.get_by_text("None of the 4 files match.")).to_be_visible()
        page.get_by_role("button", name="Show all").first.click()
        for label, option, names in (
            ("Finding", "any finding", ["rope_albedo.jpg", "wall_basecolor.png", "wall_roughness.png"]),
            ("Finding", "Data read as colour (1)", ["wall_roughness.png"]),
            ("Map kind", "base colour (2)", ["rope_albedo.jpg", "wall_basecolor.png"]),
            ("Read as", f"{LINEAR_REC709} (1)", ["lamp_lin_rec709_emission.exr"]),
            ("Because", "set by hand (1)", ["wall_roughness.png"]),
            ("Set", "wall (2)", ["wall_basecolor.png", "wall_roughness.png"]),
        ):
            self.choose(label, option)
            expect(self.files(page)).to_have_count(len(names))
            for name in names:
                expect(self.row(page, name)).to_be_visible()
            page.get_by_role("button", name="Show all").click()
        self.row(page, "wall_basecolor.png").click()
        page.keyboard.press("ArrowDown")
        expect(self.section("Selected file").get_by_role("heading", level=2)).to_have_text("wall_roughness.png")

    def test_adding_files_and_refusing_bad_ones(self) -> None:
        page = self.open("textures")
        good = write(self.folder / "dusk_sky.hdr", light(16, 32, 40.0), "float")
        cut = write_damaged(self.folder / "cut.exr", light(200, 200), "half")
        page.get_by_role("button", name="Add files").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("menuitem", name="Files, or a zip").click()
        chooser.value.set_files([good, cut])
        expect(page.get_by_text("1 file is in, 1 left out: see the findings.")).to_be_visible()
        page.keyboard.press("f")
        unreadable = page.get_by_role("article").filter(has_text="cut.exr is damaged or ends too early")
        unreadable.get_by_role("button", name="Remove it from the list").click()
        expect(unreadable).to_have_count(0)
        page.keyboard.press("Escape")
        expect(self.row(page, "dusk_sky.hdr")).to_contain_text(LINEAR_REC709)
        expect(self.segment("Textures")).to_contain_text("5 files")

    def test_dropping_a_file(self) -> None:
        page = self.open("textures")
        file = write(self.folder / "rope_nrm.png", light(16, 16, 1.0, seed=9), "uint8")
        dropped = page.evaluate_handle(
            """bytes => {
                const transfer = new DataTransfer();
                transfer.items.add(new File([new Uint8Array(bytes)], 'rope_nrm.png', { type: 'image/png' }));
                return transfer;
            }""",
            list(file.read_bytes()),
        )
        page.locator("[class*=drop]").first.dispatch_event("drop", {"dataTransfer": dropped})
        expect(self.row(page, "rope_nrm.png")).to_contain_text("Raw")

    def send(self, *names: str) -> None:
        files = [write(self.folder / "sent" / name, light(16, 16, 1.0, 9), "uint8") for name in names]
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Add files").click()
            self.page.get_by_role("menuitem", name="Files, or a zip").click()
        chooser.value.set_files([str(file) for file in files])

    def test_a_second_file_of_a_path_is_asked_about(self) -> None:
        page = self.open("textures")
        self.send("roof_nrm.png")
        expect(self.row(page, "roof_nrm.png")).to_be_visible()
        first = self.project.textures.get(path="roof_nrm.png").image_id
        asked = page.get_by_role("dialog", name="A texture of this path is there already")

        write(self.folder / "sent" / "roof_nrm.png", light(16, 16, 1.0, 9), "uint8")
        self.send("roof_nrm.png", "roof_rgh.png")
        asked.get_by_role("button", name="Leave out").click()
        expect(self.row(page, "roof_rgh.png")).to_be_visible()
        self.assertEqual(self.project.textures.get(path="roof_nrm.png").image_id, first)

        self.send("roof_nrm.png")
        asked.get_by_role("button", name="Keep both").click()
        expect(self.row(page, "roof_nrm-2.png")).to_be_visible()
        self.send("roof_nrm.png")
        asked.get_by_role("button", name="Keep both").click()
        expect(self.row(page, "roof_nrm-3.png")).to_be_visible()

        with page.expect_response(lambda answer: answer.url.endswith("/start")):
            self.send("roof_nrm.png")
            asked.get_by_role("button", name="Replace").click()
        expect(page.get_by_role("status").filter(has_text="8 files")).to_be_visible()

    def test_the_map_kind_is_set_by_hand(self) -> None:
        page = self.open("textures")
        self.row(page, "rope_albedo.jpg").click()
        side = self.section("Selected file")
        self.choose("Map kind of this file", "normal")
        expect(side).to_contain_text("Set by hand; the name no longer tells it.")
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("normal")
        page.keyboard.press("Escape")
        side.get_by_role("heading", level=2).click()
        page.keyboard.press("Control+z")
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("base colour")

    def test_pin_and_unpin(self) -> None:
        page = self.open("textures")
        self.row(page, "wall_basecolor.png").click()
        side = self.section("Selected file")
        side.get_by_role("textbox", name=re.compile("Read as")).or_(
            side.get_by_role("combobox", name=re.compile("Read as"))
        ).first.click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("by hand")
        with page.expect_response(lambda answer: answer.request.method == "PUT" and answer.url.endswith("/pin")):
            side.get_by_label("Reason").fill("scanned as linear")
            side.get_by_label("Reason").blur()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("ACEScg")
        texture = self.project.textures.get(path="wall/wall_basecolor.png")
        self.assertEqual((texture.pin_space, texture.pin_note), ("ACEScg", "scanned as linear"))
        side.get_by_role("button", name="Back to the rules").click()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("default")

    def test_rules_are_run_again_once_it_is_seen_what_they_would_do(self) -> None:
        page = self.open("textures")
        page.get_by_role("button", name="Apply again").click()
        panel = page.get_by_role("region", name="Rules applied again")
        expect(panel).to_contain_text("1 file would follow the rules again, and these read differently:")
        expect(panel.get_by_role("table")).to_contain_text(f"wall/wall_roughness.png{SRGB}→\xa0Raw")
        expect(panel).to_contain_text("settled: Data read as colour")
        panel.get_by_role("button", name="Back to the rules").click()
        expect(panel).to_have_count(0)
        expect(self.row(page, "wall_roughness.png")).to_contain_text("rule 1")
        self.assertEqual(self.project.textures.exclude(pin_space="").count(), 0)

    def test_a_whole_set_is_pinned_and_put_back(self) -> None:
        page = self.open("textures")
        page.get_by_title("Select the whole set").click()
        side = self.section("Selected file")
        expect(side.get_by_role("heading", level=2)).to_have_text("2 files selected")
        form = page.get_by_role("form", name="Set all by hand")
        form.get_by_label("Set all to").first.click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        form.get_by_label("Reason").fill("by eye")
        form.get_by_role("button", name="Set 2 files").click()
        page.get_by_role("button", name="Undo").click()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("default")
        pins = {texture.path: (texture.pin_space, texture.pin_note) for texture in self.project.textures.all()}
        self.assertEqual(pins["wall/wall_roughness.png"], (SRGB, "too dark"))
        self.assertEqual(pins["wall/wall_basecolor.png"], ("", ""))

    def test_selecting_by_clicks_and_keys(self) -> None:
        page = self.open("textures")
        heading = self.section("Selected file").get_by_role("heading", level=2)
        self.row(page, "lamp_lin_rec709_emission.exr").click()
        self.row(page, "wall_roughness.png").click(modifiers=["Shift"])
        expect(heading).to_have_text("4 files selected")
        self.row(page, "rope_albedo.jpg").click(modifiers=["Control"])
        expect(heading).to_have_text("3 files selected")
        page.keyboard.press("Escape")
        page.keyboard.press("Shift+ArrowDown")
        expect(heading).to_have_text("2 files selected")
        page.keyboard.press("Control+a")
        expect(heading).to_have_text("4 files selected")
        page.get_by_text("Grid", exact=True).click()
        expect(page.get_by_role("row", selected=True)).to_have_count(4)
        page.get_by_role("button", name="Remove").click()
        expect(page.get_by_text("No textures yet.")).to_be_visible()

    def test_what_a_file_says_of_its_space(self) -> None:
        page = self.open("textures")
        self.row(page, "wall_roughness.png").click()
        said = self.section("Selected file").get_by_role("list", name="Evidence")
        expect(said).to_contain_text("“roughness” in the name says roughness.")
        expect(self.section("Selected file")).to_contain_text(re.compile("Raw confidence \\d+ %: likely"))

    def test_a_file_that_cannot_tell_shows_both_that_it_may_hold(self) -> None:
        file = write(self.folder / "files" / "lid.tif", decoded(enamel()), "uint16")
        add_texture(self.project, "lid.tif", store_file(file, "lid.tif"))
        page = self.open("textures")
        self.row(page, "lid.tif").click()
        selected = self.section("Selected file")
        expect(selected).to_contain_text("Undecided. It may hold:")
        expect(selected.get_by_role("list", name="Candidates").get_by_role("listitem")).to_have_count(2)
        expect(selected).to_contain_text("Was it saved with the curve of a screen, or as linear light?")
        expect(selected.get_by_role("img", name="lid.tif read as ACEScg")).to_be_visible()

    def test_a_declared_space_that_is_not_here_is_added(self) -> None:
        romm = (0.7347, 0.2653, 0.1596, 0.8404, 0.0366, 0.0001, 0.3457, 0.3585)
        file = write(self.folder / "files" / "tint_basecolor.exr", light(32, 32, 0.8), "half", chromaticities=romm)
        add_texture(self.project, "tint_basecolor.exr", store_file(file, "tint_basecolor.exr"))
        page = self.open("textures")
        self.row(page, "tint_basecolor.exr").click()
        selected = self.section("Selected file")
        finding = selected.get_by_role("article").filter(has_text="Declares a space that is not here")
        expect(finding).to_contain_text("which this config does not have")
        finding.get_by_role("button", name="Add this space").click()
        expect(selected).to_contain_text("Linear ROMM RGB")
        expect(finding).to_have_count(0)
        self.assertIn("Linear ROMM RGB", [space.name for space in current_setup(self.current()).added_spaces])

    def test_a_packed_map_says_what_its_channels_hold(self) -> None:
        file = write(self.folder / "files" / "wall_rma.png", light(32, 32, 1.0), "uint8")
        add_texture(self.project, "wall_rma.png", store_file(file, "wall_rma.png"))
        page = self.open("textures")
        self.row(page, "wall_rma.png").click()
        expect(self.section("Selected file")).to_contain_text("Red: roughness, green: metalness, blue: occlusion")

    def test_why_tells_every_rule_in_order(self) -> None:
        page = self.open("textures")
        self.row(page, "lamp_lin_rec709_emission.exr").click()
        lines = self.section("Selected file").get_by_role("list", name="Rules in order").get_by_role("listitem")
        expect(lines).to_have_count(5)
        expect(lines.nth(0)).to_contain_text("“emission” says emission")
        expect(lines.nth(1)).to_contain_text(f"“lin_rec709” stands in the path → {LINEAR_REC709}")
        expect(lines.nth(2)).to_contain_text("matches *.exr, would give ACEScg")

    def test_rules_are_added_moved_and_deleted(self) -> None:
        page = self.open("textures")
        rules = self.section("Rules")
        rules.get_by_role("button", name="Add rule").click()
        form = page.get_by_role("form", name="New rule")
        form.get_by_label("Name pattern").fill("*rope*")
        form.get_by_label("Extension").fill("jpg")
        form.get_by_label("Name of the rule").fill("Ropes")
        self.choose("Read as", SRGB)
        form.get_by_role("button", name="Add as rule 1").click()
        otherwise = self.proposed().get_by_role("table", name="Textures read differently")
        expect(otherwise).to_contain_text("rope/scans_raw/rope_albedo.jpg")
        expect(self.row(page, "rope_albedo.jpg").last).to_contain_text("Raw")  # not saved yet
        self.save_change()
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("rule 1")
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text(SRGB)
        config = load_config(archive_of(self.current().current))
        self.assertEqual(config.getColorSpaceFromFilepath("rope/scans_raw/rope_albedo.jpg"), (SRGB, 0))

        handle = rules.get_by_role("button", name="Move “Ropes”")
        third = rules.get_by_role("button", name=re.compile("^Move")).nth(2)
        handle.hover()
        page.mouse.down()
        place = third.bounding_box()
        page.mouse.move(place["x"] + 5, place["y"] + 20, steps=8)
        page.mouse.up()
        expect(rules.get_by_role("button", expanded=True)).to_contain_text("3")
        self.save_change()
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("Raw")
        rules.get_by_role("button", name="Delete “Ropes”").click()
        self.save_change()
        expect(rules.get_by_text("Ropes")).to_have_count(0)
        names = [rule["name"] for rule in self.current().current.setup["rules"]]
        self.assertEqual(names, ["Data maps", PATH_SEARCH_NAME, "EXR files", "HDR files"])

    def test_a_word_of_ones_own_tells_a_map_kind(self) -> None:
        page = self.open("textures")
        page.get_by_text("Map kind words").click()
        form = page.get_by_role("form", name="Map words")
        form.get_by_label("mask").fill("mask, id, wall")
        form.get_by_role("button", name="See what this changes").click()
        expect(self.proposed()).to_contain_text("rule Data maps")
        self.proposed().get_by_role("button", name="Drop").click()
        form.get_by_label("base colour").fill("basecolor, ROUGHNESS")
        form.get_by_role("button", name="See what this changes").click()
        expect(self.proposed().get_by_role("alert")).to_contain_text("“roughness” stands for")

    def test_a_rule_that_the_engine_refuses_is_told(self) -> None:
        page = self.open("textures")
        page.get_by_role("button", name="Add rule").click()
        form = page.get_by_role("form", name="New rule")
        form.get_by_text("regular expr.").click()
        form.get_by_label("Expression for the whole path").fill("((")
        form.get_by_role("button", name="Add as rule 1").click()
        expect(form).to_contain_text(re.compile("Rule 1, .*invalid regular expression"))
        expect(self.proposed()).to_have_count(0)
        form.get_by_role("button", name="Cancel").click()
        expect(self.section("Rules").get_by_text("((")).to_have_count(0)
        self.assertEqual(self.current().current.number, 1)

    def test_a_folder_is_read_where_it_lies_and_looked_at_again(self) -> None:
        share = self.folder / "share"
        write(share / "quay" / "stone_basecolor.png", light(24, 24, 1.0, seed=5), "uint8")
        page = self.open("textures")
        with override_settings(READABLE_FOLDERS=[share]):
            page.get_by_role("button", name="Add files").click()
            page.get_by_role("menuitem", name="A folder, left where it is").click()
            form = page.get_by_role("form", name="Folder, left where it is")
            form.get_by_label("Folder on the machine").fill("/etc")
            form.get_by_role("button", name="Read the folder").click()
            expect(form).to_contain_text("outside the folders that Saltwort may use")
            form.get_by_label("Folder on the machine").fill(str(share / "quay"))
            form.get_by_role("button", name="Read the folder").click()
            expect(self.row(page, "stone_basecolor.png")).to_contain_text(SRGB)
            write(share / "quay" / "stone_roughness.png", light(24, 24, 1.0, seed=6), "uint8")
            page.get_by_role("button", name="Rescan").click()
            expect(self.row(page, "stone_roughness.png")).to_contain_text("Raw")
        page.get_by_role("button", name="Unlink").click()
        expect(page.get_by_text("Folders read in place")).to_have_count(0)
        expect(self.row(page, "stone_basecolor.png")).to_be_visible()

    def test_a_zip_comes_in_through_the_picker(self) -> None:
        packed = self.folder / "props.zip"
        with zipfile.ZipFile(packed, "w") as archive:
            for seed, name in enumerate(("buoy/buoy_col.png", "buoy/buoy_rough.png")):
                file = write(self.folder / "zip" / Path(name).name, light(16, 16, 1.0, seed=20 + seed), "uint8")
                archive.write(file, name)
        page = self.open("textures")
        page.get_by_role("button", name="Add files").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("menuitem", name="Files, or a zip").click()
        chooser.value.set_files([packed])
        expect(page.get_by_title("Select the whole set").filter(has_text="buoy")).to_contain_text("2 files · 2 maps")
        expect(self.row(page, "buoy_rough.png")).to_contain_text("Raw")

    def test_a_whole_folder_is_copied(self) -> None:
        folder = self.folder / "drop" / "buoys"
        write(folder / "red" / "buoy_col.png", light(16, 16, 1.0, seed=31), "uint8")
        (folder / "scene.txt").write_text("not a picture")
        page = self.open("textures")
        page.get_by_role("button", name="Add files").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("menuitem", name="A folder, copied").click()
        chooser.value.set_files(folder)
        expect(page.get_by_text("1 file in the folder passed over: no pictures.")).to_be_visible()
        expect(self.row(page, "buoy_col.png")).to_contain_text(SRGB)
        self.assertTrue(self.project.textures.filter(path="buoys/red/buoy_col.png").exists())

    def test_thousands_of_files_draw_only_what_is_seen(self) -> None:
        image = self.project.textures.get(path="wall/wall_basecolor.png").image
        model = type(self.project.textures.first())
        model.objects.bulk_create(
            model(project=self.project, path=f"crates/crate_{number:04}_col.png", image=image) for number in range(2000)
        )
        page = self.open("textures")
        expect(page.get_by_role("status").filter(has_text="2004 files")).to_be_visible()
        self.assertLess(page.get_by_role("row").count(), 60)
        page.get_by_role("grid").locator("..").evaluate("list => list.scrollTo(0, list.scrollHeight)")
        expect(self.row(page, "wall_roughness.png")).to_be_visible()
        page.get_by_label("Find a file").fill("crate_1234")
        expect(self.files(page)).to_have_count(1)
