"""Each step of the path, worked through the way an artist would."""

import re

import numpy as np
import PyOpenColorIO as ocio
from playwright.sync_api import expect

from saltwort.core.engine import apply, view_processor
from saltwort.core.images import read_header, read_pixels
from tests.browser.base import BrowserTestCase
from tests.samples import ACES_SDR, project_config


class HandOffs(BrowserTestCase):
    def test_the_sheet_follows_the_project_and_the_station(self) -> None:
        page = self.open("handoffs")
        sheet = self.section("Settings of the renderer")
        expect(sheet.get_by_role("row").filter(has_text="Working or rendering space")).to_contain_text("ACEScg")
        rough = sheet.get_by_role("row").filter(has_text="wall_roughness.png")
        expect(rough).to_contain_text("set this in the application")
        self.choose("Loads OCIO configs up to", "OCIO 2.3")
        expect(sheet.get_by_role("article")).to_contain_text("Gets a config for OCIO 2.3")
        config = page.get_by_role("group", name="Config for the renderer")
        expect(config).to_contain_text("Left out", timeout=60_000)  # what is lost is told before it can be saved
        with page.expect_download() as download:
            config.get_by_role("link", name=re.compile(r"Save quay-ocio2\.3-\w{6}\.ocioz")).click()
        download.value.save_as(self.folder / "own.ocioz")
        own = ocio.Config.CreateFromFile(str(self.folder / "own.ocioz"))
        self.assertEqual((own.getMajorVersion(), own.getMinorVersion()), (2, 3))
        page.get_by_text("Takes texture spaces from the config’s file rules").click()
        expect(sheet.get_by_role("row").filter(has_text="wall_basecolor.png")).to_contain_text(
            "set this in the application"
        )
        self.section("Chain").get_by_role("button", name=re.compile("^Compositor")).click()
        expect(self.section("Settings of the compositor")).to_contain_text("already scene-linear")
        with page.expect_download() as download:
            page.get_by_role("link", name="Save as text").click()
        download.value.save_as(self.folder / "sheet.txt")
        self.assertIn("settings for the compositor", (self.folder / "sheet.txt").read_text())

    def test_applications_are_ordered_by_keyboard(self) -> None:
        page = self.open("handoffs")
        chain = self.section("Applications")
        form = chain.get_by_role("form", name="New application")
        form.get_by_label("Name").fill("Paint")
        self.choose("What it is", "Texturing tool that follows a config")
        form.get_by_role("button", name="Add").click()
        handle = chain.get_by_role("button", name="Move Paint")
        first = chain.get_by_role("button", name=re.compile("^Move")).first
        expect(chain.get_by_role("button", name=re.compile("^Move"))).to_have_text([""] * 3)
        handle.focus()
        said = page.locator("[id^=DndLiveRegion]").first
        for key in ("Space", "ArrowUp", "ArrowUp", "Space"):
            before = said.text_content() or ""
            page.keyboard.press(key)
            expect(said).not_to_have_text(before)  # what a screen reader says once the list has moved
        expect(first).to_have_accessible_name("Move Paint")
        expect(self.section("Settings of the paint")).to_contain_text("Then, in the renderer")


class Outputs(BrowserTestCase):
    def save(self, name: str) -> None:
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name=re.compile(f"Save .*{name}")).click()
        download.value.save_as(self.folder / name)

    def test_a_still_and_a_hand_off_are_made_and_saved(self) -> None:
        page = self.open("outputs")
        page.get_by_label("Exposure, stops").fill("1")
        self.choose("Samples", "8-bit")
        page.get_by_role("button", name="More settings").click()
        page.get_by_role("switch", name="Dither").click()
        expect(page.get_by_role("switch", name="Dither")).not_to_be_checked()
        page.get_by_role("button", name="New output").click()
        still = "dusk_aces-20-sdr-100-nits-rec709_r1.png"
        expect(page.get_by_role("row").filter(has_text=still)).to_contain_text("Picture with the view")
        self.save(still)
        shown = apply(view_processor(project_config(), "ACEScg", ACES_SDR, 1.0), read_pixels(self.dusk))
        found = read_pixels(self.folder / still)
        self.assertLessEqual(np.abs(found - np.clip(shown, 0, 1)).max(), 0.5 / 255 + 1e-6)
        expect(self.section("Selected output")).to_contain_text("1 13 0 1")

        self.choose("Kind of output", "Scene-linear EXR")
        page.get_by_role("button", name="New output").click()
        self.save("dusk_linear_r1.exr")
        self.assertEqual(read_header(self.folder / "dusk_linear_r1.exr").tags["colorInteropID"], "lin_ap1_scene")
        np.testing.assert_array_equal(read_pixels(self.folder / "dusk_linear_r1.exr"), read_pixels(self.dusk))
        expect(self.segment("Outputs")).to_contain_text("2 files")

    def test_a_lut_needs_no_render_and_says_its_error(self) -> None:
        page = self.open("outputs")
        self.choose("Kind of output", "LUT")
        self.choose("Format", ".csp, 3D with a prelut")
        page.get_by_label("Size", exact=True).fill("17")
        page.get_by_role("button", name="New output").click()
        facts = self.section("Selected output")
        expect(facts).to_contain_text(re.compile("ΔE 2000 mean 0"))
        expect(facts).to_contain_text("Made from the config")
        page.get_by_label("Size", exact=True).fill("128")
        self.choose("Format", "HALD, 16-bit PNG")
        page.get_by_role("button", name="New output").click()
        expect(page.get_by_label("Size", exact=True)).to_have_attribute("aria-invalid", "true")
        expect(page.get_by_role("form", name="New output")).to_contain_text("A HALD image has 4, 9")

    def test_a_recipe_is_kept_made_edited_and_removed(self) -> None:
        page = self.open("outputs")
        self.choose("Format", "JPEG")
        page.get_by_role("button", name="Keep as a recipe").click()
        page.get_by_label("Name of the recipe").fill("Review")
        page.get_by_label("File name").fill("{picture} review {revision}")
        page.get_by_role("button", name="Add the recipe").click()
        recipe = page.get_by_role("table", name="Recipes").get_by_role("row").filter(has_text="Review")
        expect(recipe).to_contain_text("never made")
        page.get_by_role("button", name="Make all").click()
        expect(recipe).to_contain_text("up to date")
        expect(page.get_by_role("button", name="dusk review 2.jpg", exact=True)).to_be_visible()
        self.segment("Config").click()
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        self.segment("Outputs").click()
        expect(recipe).to_contain_text("from revision 2")
        page.get_by_role("button", name="Edit Review").click()
        self.choose("Format", "PNG")
        page.get_by_role("button", name="Save Review").click()
        expect(page.get_by_role("button", name="Add the recipe")).to_be_visible()
        page.get_by_role("button", name="Make Review").click()
        expect(page.get_by_role("button", name="dusk review 4.png", exact=True)).to_be_visible()
        page.get_by_role("button", name="Remove Review").click()
        expect(page.get_by_role("table", name="Recipes")).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(recipe).to_be_visible()

    def test_a_job_that_fails_says_why(self) -> None:
        page = self.open("outputs")
        self.project.renders.get().image.file.unlink()
        page.get_by_role("button", name="New output").click()
        expect(self.section("Selected output")).to_contain_text("is gone from Saltwort’s folder")
        page.keyboard.press("f")
        expect(page.get_by_role("dialog", name="Findings and jobs")).to_contain_text("failed")
