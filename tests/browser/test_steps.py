"""Each step of the path, worked through the way an artist would."""

import re

import numpy as np
import PyOpenColorIO as ocio
from playwright.sync_api import Page, expect

from saltwort.core.engine import apply, load_config, view_processor
from saltwort.core.images import read_header, read_pixels
from saltwort.core.textures.rules import PATH_SEARCH_NAME
from saltwort.server.projects.setups import archive_of
from tests.browser.base import BrowserTestCase
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, UNTONED, light, project_config, write, write_damaged


class Textures(BrowserTestCase):
    def row(self, page: Page, name: str):
        return page.get_by_role("row").filter(has_text=name)

    def test_the_table_tells_space_and_reason(self) -> None:
        page = self.open("textures")
        for name, kind, space, reason in (
            ("wall_basecolor.png", "base colour", SRGB, "default"),
            ("wall_roughness.png", "roughness", SRGB, "pin"),
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
        page.keyboard.press("/")
        page.keyboard.type("wall rough")
        expect(page.get_by_role("row")).to_have_count(1)
        page.get_by_label("Find a file").fill("nothing like it")
        expect(page.get_by_text("None of the 4 files is like that.")).to_be_visible()
        page.get_by_role("button", name="Show all").first.click()
        for label, option, names in (
            ("Finding", "any finding", ["rope_albedo.jpg", "wall_basecolor.png", "wall_roughness.png"]),
            ("Finding", "Data read as colour (1)", ["wall_roughness.png"]),
            ("Map kind", "base colour (2)", ["rope_albedo.jpg", "wall_basecolor.png"]),
            ("Read as", f"{LINEAR_REC709} (1)", ["lamp_lin_rec709_emission.exr"]),
            ("Because", "pin (1)", ["wall_roughness.png"]),
            ("Set", "wall (2)", ["wall_basecolor.png", "wall_roughness.png"]),
        ):
            self.choose(label, option)
            expect(page.get_by_role("row")).to_have_count(len(names))
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
        unreadable.get_by_role("button", name="Take it off the list").click()
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

    def test_pin_and_unpin(self) -> None:
        page = self.open("textures")
        self.row(page, "wall_basecolor.png").click()
        side = self.section("Selected file")
        side.get_by_role("textbox", name=re.compile("Read as")).or_(
            side.get_by_role("combobox", name=re.compile("Read as"))
        ).first.click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("pin")
        side.get_by_label("Why it is pinned").fill("scanned as linear")
        side.get_by_label("Why it is pinned").blur()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("ACEScg")
        texture = self.project.textures.get(path="wall/wall_basecolor.png")
        self.assertEqual((texture.pin_space, texture.pin_note), ("ACEScg", "scanned as linear"))
        side.get_by_role("button", name="Unpin").click()
        expect(self.row(page, "wall_basecolor.png")).to_contain_text("default")

    def test_rules_are_run_again_once_it_is_seen_what_they_would_do(self) -> None:
        page = self.open("textures")
        page.get_by_role("button", name="Run again").click()
        panel = page.get_by_role("region", name="Rules run again")
        expect(panel).to_contain_text("1 pin would be taken away, and these read otherwise:")
        expect(panel.get_by_role("table")).to_contain_text(f"wall/wall_roughness.png{SRGB}→\xa0Raw")
        expect(panel).to_contain_text("settled: Data read as colour")
        panel.get_by_role("button", name="Take 1 pin away").click()
        expect(panel).to_have_count(0)
        expect(self.row(page, "wall_roughness.png")).to_contain_text("rule 1")
        self.assertEqual(self.project.textures.exclude(pin_space="").count(), 0)

    def test_a_whole_set_is_pinned_and_put_back(self) -> None:
        page = self.open("textures")
        page.get_by_title("Select the whole set").click()
        side = self.section("Selected file")
        expect(side.get_by_role("heading", level=2)).to_have_text("2 files selected")
        form = page.get_by_role("form", name="Pin all")
        form.get_by_label("Pin all to").first.click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        form.get_by_label("Why they are pinned").fill("by eye")
        form.get_by_role("button", name="Pin 2 files").click()
        page.get_by_role("button", name="Put back as they were").click()
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
        page.get_by_role("button", name="Take out of the project").click()
        expect(page.get_by_text("No textures yet.")).to_be_visible()

    def test_what_a_file_says_of_its_space(self) -> None:
        page = self.open("textures")
        self.row(page, "wall_roughness.png").click()
        said = self.section("Selected file").get_by_role("list", name="Evidence")
        expect(said).to_contain_text("“roughness” in its name says roughness.")
        expect(self.section("Selected file")).to_contain_text(re.compile("Raw 67.% of what speaks"))

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
        otherwise = self.proposed().get_by_role("table", name="Textures read otherwise")
        expect(otherwise).to_contain_text("rope/scans_raw/rope_albedo.jpg")
        expect(self.row(page, "rope_albedo.jpg").last).to_contain_text("Raw")  # not saved yet
        self.save_change()
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("rule 1")
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text(SRGB)
        config = load_config(archive_of(self.current().current))
        self.assertEqual(config.getColorSpaceFromFilepath("rope/scans_raw/rope_albedo.jpg"), (SRGB, 0))

        rules.get_by_role("button", name="Move “Ropes” down").click()
        expect(rules.get_by_role("button", expanded=True)).to_contain_text("2")
        rules.get_by_role("button", name="Move “Ropes” down").click()
        self.save_change()
        expect(self.row(page, "rope_albedo.jpg")).to_contain_text("Raw")
        rules.get_by_role("button", name="Delete “Ropes”").click()
        self.save_change()
        expect(rules.get_by_text("Ropes")).to_have_count(0)
        names = [rule["name"] for rule in self.current().current.setup["rules"]]
        self.assertEqual(names, ["Data maps", PATH_SEARCH_NAME, "EXR files", "HDR files"])

    def test_a_word_of_ones_own_tells_a_map_kind(self) -> None:
        page = self.open("textures")
        page.get_by_text("Words that tell a map kind").click()
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
        expect(self.proposed().get_by_role("alert")).to_contain_text(re.compile("Rule 1, .*invalid regular expression"))
        self.proposed().get_by_role("button", name="Drop").click()
        expect(self.section("Rules").get_by_text("((")).to_have_count(0)
        self.assertEqual(self.current().current.number, 1)


class Scene(BrowserTestCase):
    def test_a_colour_is_typed_converted_and_seen(self) -> None:
        page = self.open("scene")
        page.get_by_role("button", name="Add colour").first.click()
        side = self.section("Selected")
        side.get_by_label("Name").fill("brass")
        side.get_by_label("Colour", exact=True).fill("#b58c4a")
        side.get_by_text("hex", exact=True).click()
        side.get_by_role("button", name="Add colour").click()
        card = page.get_by_role("button", name=re.compile("brass"))
        typed = [0xB5 / 255, 0x8C / 255, 0x4A / 255]
        working = project_config().getProcessor(ocio.ColorSpaceTransform(SRGB, "ACEScg")).getDefaultCPUProcessor()
        expect(card).to_contain_text(" ".join(f"{value:.4f}" for value in working.applyRGB(typed)))
        shown = view_processor(project_config(), SRGB, ACES_SDR).applyRGB(typed)
        expect(side).to_contain_text(" ".join(str(round(value * 255)) for value in shown))
        paint = card.locator("[class*=paint]")
        expect(paint).to_have_css(
            "background-color", "rgb({}, {}, {})".format(*(round(value * 255) for value in shown))
        )

    def test_bad_numbers_are_said_at_the_field(self) -> None:
        page = self.open("scene")
        side = self.section("Selected")
        cases = {"300 0 0": "0 to 255", "1 2": "here are 2", "nan": "finite", "teal": "three numbers"}
        for text, words in cases.items():
            side.get_by_label("Colour", exact=True).fill(text)
            side.get_by_role("button", name="Save").click()
            expect(side.get_by_text(words)).to_be_visible()
        self.assertEqual(self.project.swatches.get().text, "47 106 104")
        page.get_by_role("button", name=re.compile("enamel")).click()

    def test_bringing_a_render_and_saying_its_space(self) -> None:
        page = self.open("scene")
        brought = write(self.folder / "wide.exr", light(20, 30, 9.0), "half", colorInteropID="lin_rec2020_scene")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Bring a render").click()
        chooser.value.set_files(brought)
        card = page.get_by_role("button", name=re.compile("wide.exr"))
        expect(card).to_contain_text("read as Linear Rec.2020, told by header")
        card.click()
        expect(self.section("Selected")).to_contain_text("peak")
        self.choose("Read as", "ACEScg")
        expect(card).to_contain_text("read as ACEScg, told by you")


class Compare(BrowserTestCase):
    def pane_pixels(self, number: int) -> np.ndarray:
        """What a pane's picture holds, as 8-bit steps of shape (height, width, 3)."""
        image = self.page.get_by_role("figure", name=f"Pane {number}").locator("img")
        values = image.evaluate(
            """async (image) => {
                await image.decode();
                const canvas = new OffscreenCanvas(image.naturalWidth, image.naturalHeight);
                const context = canvas.getContext('2d');
                context.drawImage(image, 0, 0);
                const { data, width, height } = context.getImageData(0, 0, canvas.width, canvas.height);
                return [width, height, ...data];
            }"""
        )
        width, height, *data = values
        return np.array(data, np.uint8).reshape(height, width, 4)[..., :3].astype(int)

    def expected(self, choice, exposure: float) -> np.ndarray:
        shown = apply(view_processor(project_config(), "ACEScg", choice, exposure), read_pixels(self.dusk))
        return np.round(np.clip(shown, 0, 1) * 255).astype(int)

    def settled(self, exposure: str) -> None:
        for number in (1, 2):
            image = self.page.get_by_role("figure", name=f"Pane {number}").locator("img")
            expect(image).to_have_attribute("src", re.compile(re.escape(f"exposure={exposure}&")))

    def test_both_panes_hold_the_engines_numbers_at_any_exposure(self) -> None:
        page = self.open("compare")
        self.settled("0.00")
        for number, choice in ((1, ACES_SDR), (2, UNTONED)):
            np.testing.assert_allclose(self.pane_pixels(number), self.expected(choice, 0.0), atol=1)
        page.keyboard.press("]")
        page.keyboard.press("]")
        page.keyboard.press("]")
        self.settled("1.50")
        expect(page.get_by_text("+1.5 stops")).to_be_visible()
        for number, choice in ((1, ACES_SDR), (2, UNTONED)):
            np.testing.assert_allclose(self.pane_pixels(number), self.expected(choice, 1.5), atol=1)
        page.keyboard.press("0")
        self.settled("0.00")

    def test_the_probe_tells_light_view_and_code_values(self) -> None:
        page = self.open("compare")
        self.settled("0.00")
        picture = page.get_by_role("figure", name="Pane 1").locator("img")
        box = picture.bounding_box()
        assert box
        x, y = 70, 30
        page.mouse.move(box["x"] + (x + 0.5) / 96 * box["width"], box["y"] + (y + 0.5) / 54 * box["height"])
        probe = page.get_by_role("table", name="Probe")
        expect(page.get_by_text(f"{x}, {y}")).to_be_visible()
        expect(probe.get_by_role("row")).to_have_count(6)
        numbers = [float(text) for text in probe.get_by_role("row").nth(0).get_by_role("cell").all_inner_texts()]
        np.testing.assert_allclose(numbers, read_pixels(self.dusk)[y, x], rtol=1e-3)  # shown with four figures
        for row, choice in ((4, ACES_SDR), (5, UNTONED)):
            codes = self.expected(choice, 0.0)[y, x]
            cells = [int(text) for text in probe.get_by_role("row").nth(row).get_by_role("cell").all_inner_texts()]
            self.assertEqual(cells, codes.tolist())
        page.mouse.down()
        page.mouse.up()
        expect(page.get_by_text(f"{x}, {y} held")).to_be_visible()

    def test_panes_take_views_of_their_own_and_one_becomes_the_projects(self) -> None:
        page = self.open("compare")
        self.choose("View, pane 1", "Raw")
        self.choose("Look, pane 2", "ACES 1.3 Reference Gamut Compression")
        expect(page.get_by_role("figure", name="Pane 1").get_by_alt_text(re.compile("through Raw"))).to_be_visible()
        page.reload(wait_until="networkidle")
        expect(page.get_by_role("figure", name="Pane 1").get_by_alt_text(re.compile("through Raw"))).to_be_visible()
        page.get_by_role("figure", name="Pane 1").get_by_role("button", name="Use").click()
        expect(self.segment("Compare")).to_contain_text("Raw on sRGB")
        page.keyboard.press("x")
        expect(page.get_by_role("figure", name="Pane 2").get_by_alt_text(re.compile("through Raw"))).to_be_visible()

    def test_a_picture_that_vanished_is_told_and_the_other_goes_on(self) -> None:
        page = self.open("compare")
        self.settled("0.00")
        page.route("**/picture?*view=Raw*", lambda route: route.abort())
        self.choose("View, pane 2", "Raw")
        expect(page.get_by_role("figure", name="Pane 2").get_by_role("alert")).to_contain_text("could not be drawn")
        expect(page.get_by_role("figure", name="Pane 1").get_by_role("alert")).to_have_count(0)


class HandOffs(BrowserTestCase):
    def test_the_sheet_follows_the_project_and_the_station(self) -> None:
        page = self.open("handoffs")
        sheet = self.section("Settings of the renderer")
        expect(sheet.get_by_role("row").filter(has_text="Working or rendering space")).to_contain_text("ACEScg")
        expect(sheet.get_by_role("row").filter(has_text="wall_roughness.png")).to_contain_text("pinned")
        self.choose("Loads OCIO configs up to", "2.3")
        expect(sheet.get_by_role("article")).to_contain_text("Config too new for this station")
        page.get_by_text("Takes texture spaces from the config’s file rules").click()
        expect(sheet.get_by_role("row").filter(has_text="wall_basecolor.png")).to_contain_text("set by hand")
        page.get_by_role("button", name=re.compile("Compositor")).click()
        expect(self.section("Settings of the compositor")).to_contain_text("already scene-linear")
        with page.expect_download() as download:
            page.get_by_role("link", name="Save as text").click()
        download.value.save_as(self.folder / "sheet.txt")
        self.assertIn("settings for the compositor", (self.folder / "sheet.txt").read_text())


class Outputs(BrowserTestCase):
    def save(self, name: str) -> None:
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name=re.compile(f"Save .*{name}")).click()
        download.value.save_as(self.folder / name)

    def test_a_still_and_a_hand_off_are_made_and_saved(self) -> None:
        page = self.open("outputs")
        page.get_by_label("Exposure in stops").fill("1")
        page.get_by_text("8-bit", exact=True).click()
        page.get_by_role("button", name="Make the still").click()
        still = "dusk_aces-20-sdr-100-nits-rec709_r1.png"
        expect(page.get_by_role("row").filter(has_text=still)).to_contain_text("finished still")
        self.save(still)
        shown = apply(view_processor(project_config(), "ACEScg", ACES_SDR, 1.0), read_pixels(self.dusk))
        found = read_pixels(self.folder / still)
        self.assertLessEqual(np.abs(found - np.clip(shown, 0, 1)).max(), 0.5 / 255 + 1e-6)
        expect(self.section("Selected output")).to_contain_text("1 13 0 1")

        page.get_by_text("Hand-off", exact=True).click()
        page.get_by_role("button", name="Make the hand-off file").click()
        self.save("dusk_linear_r1.exr")
        self.assertEqual(read_header(self.folder / "dusk_linear_r1.exr").tags["colorInteropID"], "lin_ap1_scene")
        np.testing.assert_array_equal(read_pixels(self.folder / "dusk_linear_r1.exr"), read_pixels(self.dusk))
        expect(self.segment("Outputs")).to_contain_text("2 files")

    def test_a_job_that_fails_says_why(self) -> None:
        page = self.open("outputs")
        self.project.renders.get().image.file.unlink()
        page.get_by_role("button", name="Make the still").click()
        expect(self.section("Selected output")).to_contain_text("cannot be read")
        page.keyboard.press("f")
        expect(page.get_by_role("dialog", name="Findings and jobs")).to_contain_text("failed")
