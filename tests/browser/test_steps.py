"""Each step of the path, worked through the way an artist would."""

import re

import numpy as np
from playwright.sync_api import expect

from saltwort.core.engine import apply, view_processor
from saltwort.core.images import read_header, read_pixels
from tests.browser.base import BrowserTestCase
from tests.samples import ACES_SDR, UNTONED, project_config


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
