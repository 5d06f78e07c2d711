"""An old scene on the screen: read, previewed, migrated, taken back."""

import re
from pathlib import Path

from django.test import override_settings
from playwright.sync_api import expect

from tests.browser.base import BrowserTestCase
from tests.core.test_migration_writing import state_of
from tests.made_quay import old_quay


class Migrate(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.shows = self.folder / "shows"
        self.scene = old_quay(self.shows / "teaser")
        allowed = override_settings(READABLE_FOLDERS=(self.shows,))
        allowed.enable()
        self.addCleanup(allowed.disable)

    def read(self, place: Path) -> None:
        page = self.open("scene?part=migrate")
        page.get_by_role("button", name="Read a scene of this machine").click()
        page.get_by_label("Scene, or folder with scenes").fill(str(place))
        page.get_by_role("button", name="Read", exact=True).click()
        expect(page.get_by_role("heading", name="Habits found: 9")).to_be_visible()

    def test_from_reading_to_the_proof_and_back(self) -> None:
        self.read(self.scene)
        page = self.page
        twice = page.get_by_role("article", name="Pictures decoded twice")
        expect(twice).to_contain_text("brass_diff.png says srgb_rec709_scene")
        expect(page.get_by_role("article", name="Colours corrected by hand")).to_contain_text("a hint")
        plan = page.get_by_role("region", name="Plan")
        expect(plan.get_by_label("Remove gamma nodes")).to_be_checked()
        expect(plan.get_by_label("Decode typed display numbers")).not_to_be_checked()
        plan.get_by_label("Rename textures").check()
        expect(plan.get_by_label("Pattern of names")).to_have_value("{name}_{space}")
        plan.get_by_role("button", name="Preview").click()
        outcome = page.get_by_role("region", name="Before and after")
        expect(outcome.get_by_role("heading", name="Preview, nothing is written")).to_be_visible()
        expect(outcome.get_by_role("status")).to_have_text(
            "9 of 14 inputs give the same light; the others differ on purpose or are told below."
        )
        for name in ("before", "after", "difference"):
            picture = outcome.get_by_alt_text(f"The materials, {name}")
            expect(picture).to_have_js_property("naturalWidth", 480)
        expect(outcome.get_by_role("row").filter(has_text="wall_rgh.png")).to_contain_text("bent these plain numbers")
        proof = outcome.get_by_role("table", name="Proof")
        for direction, is_first in (("ascending", True), ("descending", False), ("none", None)):
            proof.get_by_role("button", name="Input").click()
            expect(proof.get_by_role("columnheader", name="Input")).to_have_attribute("aria-sort", direction)
            if is_first is not None:
                names = proof.locator("tbody tr td:first-child").all_inner_texts()
                self.assertEqual(names == sorted(names), is_first)
        self.choose_part("Changes")
        expect(outcome.get_by_role("row").filter(has_text="wall_diff.png on")).to_contain_text(
            ["srgb_rec709_scene", "./maps/wall_diff_srgb.png"]
        )
        self.choose_part("Documents")
        expect(outcome.get_by_role("region", name="old_quay.usda")).to_contain_text(
            "+    uniform token colorSpace:name"
        )
        self.choose_part("Left as it was")
        expect(outcome.get_by_role("list", name="Left as it was")).to_contain_text("exponent of no display")

        output = self.shows / "migrated"
        page.get_by_label("New folder for the outcome").fill(str(output))
        page.get_by_role("button", name="Migrate a copy").click()
        expect(outcome.get_by_role("heading", name="Migrated")).to_be_visible()
        self.assertIn("maps/wall_diff_srgb.png", state_of(output))
        with page.expect_download() as download:
            outcome.get_by_role("link", name="Save as zip").click()
        self.assertEqual(download.value.suggested_filename, "migrated-scene.zip")
        outcome.get_by_role("button", name="Go back").click()
        expect(outcome.get_by_role("heading", name="Gone back; the preview")).to_be_visible()
        self.assertFalse(output.exists())

    def choose_part(self, name: str) -> None:
        self.page.get_by_role("radiogroup", name="Part of the report").get_by_text(re.compile(f"^{name}")).click()

    def test_sent_from_the_browser_and_taken_into_the_project(self) -> None:
        page = self.open("scene?part=migrate")
        files = [self.shows / "teaser" / "old_quay_lights.usda"]
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Add a scene").click()
            page.get_by_role("menuitem", name="Scenes and their textures").click()
        chooser.value.set_files(files)
        expect(page.get_by_role("heading", name="old_quay_lights.usda")).to_be_visible()
        expect(page.get_by_role("article", name="The camera or output maps tones")).to_be_visible()
        page.get_by_role("button", name="Import into the project").click()
        expect(
            page.get_by_text(
                "0 textures and 3 swatches are in the project. 3 lights of the rig have the colours of the scene."
            )
        ).to_be_visible()
        page.get_by_role("button", name="Remove", exact=True).click()
        expect(page.get_by_text("Drop a scene with its textures here.")).to_be_visible()

    def test_a_render_judges_the_lights_and_a_rescued_frame_is_seen(self) -> None:
        self.read(self.scene)
        page = self.page
        self.choose("Render of this scene", "dusk.exr")
        expect(page.get_by_role("article", name="Lights may be raised for a missing view")).to_be_visible()
        expect(page.get_by_role("combobox", name="Render of this scene")).to_have_value("dusk.exr")
        plan = page.get_by_role("region", name="Plan")
        plan.get_by_label("Rescue rendered frames").check()
        plan.get_by_role("button", name="Preview").click()
        outcome = page.get_by_role("region", name="Before and after")
        expect(outcome).to_contain_text("the first rescued frame: mean ΔE")
        for label in ("as it was", "its light through the view once more", "difference"):
            picture = outcome.get_by_alt_text(re.compile(f"^teaser.*, {label}$"))
            expect(picture).not_to_have_js_property("naturalWidth", 0)

    def test_what_cannot_be_read_is_told(self) -> None:
        page = self.open("scene?part=migrate")
        page.get_by_role("button", name="Read a scene of this machine").click()
        place = page.get_by_label("Scene, or folder with scenes")
        place.fill("/etc/passwd")
        page.get_by_role("button", name="Read", exact=True).click()
        expect(self.section("Scenes")).to_contain_text("lies outside the folders")
        broken = self.shows / "broken.usda"
        broken.write_text("#usda 1.0\ndef Xform")
        place.fill(str(broken))
        page.get_by_role("button", name="Read", exact=True).click()
        expect(page.get_by_role("region", name="Scenes")).to_contain_text("no whole USD layer")
