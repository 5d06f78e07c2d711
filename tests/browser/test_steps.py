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
            config.get_by_role("link", name=re.compile(r"Save quay-r1-ocio2\.3\.ocioz")).click()
        download.value.save_as(self.folder / "own.ocioz")
        own = ocio.Config.CreateFromFile(str(self.folder / "own.ocioz"))
        self.assertEqual((own.getMajorVersion(), own.getMinorVersion()), (2, 3))
        page.get_by_text("Takes texture spaces from the config’s file rules").click()
        expect(sheet.get_by_role("row").filter(has_text="wall_basecolor.png")).to_contain_text(
            "set this in the application"
        )
        page.get_by_role("button", name=re.compile("^Compositor")).click()
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
        form.get_by_role("button", name="Add").click()
        handle = chain.get_by_role("button", name="Move Paint")
        handle.focus()
        for key in ("Space", "ArrowUp", "ArrowUp", "Space"):
            page.keyboard.press(key)
            page.wait_for_timeout(300)  # the list moves under the item that is held
        expect(chain.get_by_role("button", name=re.compile("^Move"))).to_have_text([""] * 3)
        expect(chain.get_by_role("button", name=re.compile("^Move")).first).to_have_accessible_name("Move Paint")
        expect(self.section("Settings of the paint")).to_contain_text("Then, in the renderer")


class Outputs(BrowserTestCase):
    def save(self, name: str) -> None:
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name=re.compile(f"Save .*{name}")).click()
        download.value.save_as(self.folder / name)

    def test_a_still_and_a_hand_off_are_made_and_saved(self) -> None:
        page = self.open("outputs")
        page.get_by_label("Exposure in stops").fill("1")
        page.get_by_text("8-bit", exact=True).click()
        page.get_by_role("button", name="New output").click()
        still = "dusk_aces-20-sdr-100-nits-rec709_r1.png"
        expect(page.get_by_role("row").filter(has_text=still)).to_contain_text("Picture with the view")
        self.save(still)
        shown = apply(view_processor(project_config(), "ACEScg", ACES_SDR, 1.0), read_pixels(self.dusk))
        found = read_pixels(self.folder / still)
        self.assertLessEqual(np.abs(found - np.clip(shown, 0, 1)).max(), 0.5 / 255 + 1e-6)
        expect(self.section("Selected output")).to_contain_text("1 13 0 1")

        page.get_by_text("Scene-linear EXR", exact=True).click()
        page.get_by_role("button", name="New output").click()
        self.save("dusk_linear_r1.exr")
        self.assertEqual(read_header(self.folder / "dusk_linear_r1.exr").tags["colorInteropID"], "lin_ap1_scene")
        np.testing.assert_array_equal(read_pixels(self.folder / "dusk_linear_r1.exr"), read_pixels(self.dusk))
        expect(self.segment("Outputs")).to_contain_text("2 files")

    def test_a_job_that_fails_says_why(self) -> None:
        page = self.open("outputs")
        self.project.renders.get().image.file.unlink()
        page.get_by_role("button", name="New output").click()
        expect(self.section("Selected output")).to_contain_text("is gone from Saltwort’s folder")
        page.keyboard.press("f")
        expect(page.get_by_role("dialog", name="Findings and jobs")).to_contain_text("failed")
