"""What hands do on every screen: panes laid out, views offered, numbers dragged and copied, fields that are marked."""

import io
import re
import zipfile

from playwright.sync_api import Locator, expect

from saltwort.server.projects.setups import current_setup
from tests.browser.base import BrowserTestCase
from tests.browser.test_compare import CompareTestCase
from tests.samples import UNTONED, light, write


class Hands(CompareTestCase):
    def place(self, figure: str) -> dict[str, float]:
        box = self.page.get_by_role("figure", name=figure).bounding_box()
        assert box
        return dict(box)

    def test_panes_stand_beside_or_above_each_other_and_stay_so(self) -> None:
        page = self.open("compare")
        layout = page.get_by_role("radiogroup", name="Layout of the panes")
        layout.get_by_text("Stacked").click()
        expect(layout.get_by_role("radio", name="Stacked")).to_be_checked()
        self.drawn("Pane 2", UNTONED.view)
        above, below = self.place("Pane 1"), self.place("Pane 2")
        self.assertEqual(above["x"], below["x"])
        self.assertGreaterEqual(below["y"], above["y"] + above["height"])
        layout.get_by_text("Side by side").click()
        self.assertEqual(self.place("Pane 1")["y"], self.place("Pane 2")["y"])
        self.assertGreater(self.place("Pane 2")["x"], self.place("Pane 1")["x"])
        self.reload()
        expect(layout.get_by_role("radio", name="Side by side")).to_be_checked()

    def test_a_display_that_lacks_the_view_says_so_and_offers_to_add_it(self) -> None:
        page = self.open("config")
        page.get_by_text("Displays and views", exact=True).click()
        page.get_by_role("button", name="Add a view").click()
        page.get_by_role("form", name="New view").get_by_role("button", name="Add the view").click()
        self.save_change()
        self.segment("Compare").click()
        self.choose("View, pane 1", "AgX")
        self.drawn("Pane 1", "AgX")
        self.choose("Display, pane 1", "Rec.1886 Rec.709")
        expect(page.get_by_text("Rec.1886 Rec.709 has no view “AgX”")).to_be_visible()
        page.get_by_role("button", name="Add AgX to Rec.1886 Rec.709").click()
        self.drawn("Pane 1", "Rec.1886 Rec.709", "AgX")
        displays = {view.display for view in current_setup(self.current()).added_views if view.name == "AgX"}
        self.assertEqual(displays, {"sRGB - Display", "Rec.1886 Rec.709 - Display"})

    def test_the_foot_of_a_list_of_views_leads_to_the_form_for_one(self) -> None:
        page = self.open("compare")
        self.choose("View, pane 1", "Add AgX, filmic, ACES …")
        expect(page.get_by_role("form", name="New view")).to_be_visible()
        expect(page).to_have_url(re.compile("/config$"))

    def test_a_number_is_dragged_sideways(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        page.get_by_role("button", name="Pane settings, pane 1").click()
        field = page.get_by_role("dialog").get_by_label("Exposure, stops")
        expect(field).to_be_visible()
        page.locator("body").evaluate("() => document.activeElement.blur()")
        box = field.bounding_box()
        assert box
        page.mouse.move(box["x"] + 12, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + 28, box["y"] + box["height"] / 2, steps=4)
        page.mouse.up()
        expect(field).to_have_value("2")  # 16 pixels are four steps of half a stop
        self.drawn("Pane 1", " 2.00 ")

    def test_no_number_reads_minus_nothing_and_each_can_be_copied(self) -> None:
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"], origin=self.live_server_url)
        page = self.open("config")
        for space in ("Linear Rec.709 (sRGB)", "ACES2065-1", "ACEScct"):
            page.get_by_label("Find a space").fill(space)
            self.section("What the config holds").get_by_role("button", name=space, exact=True).click()
            facts = self.section("Selected space and export")
            expect(facts.get_by_role("heading", name=space)).to_be_visible()
            self.assertNotRegex(facts.inner_text(), r"[-−]0(\.0*)?(?![.\d])")
        copy = facts.get_by_role("button", name=re.compile("^Copy ")).first
        value = copy.locator("xpath=..").inner_text()
        copy.click()
        expect(copy).to_have_attribute("title", "Copied")
        self.assertEqual(page.evaluate("navigator.clipboard.readText()"), value)


class Forms(BrowserTestCase):
    def marked(self, form: Locator, label: str, words: str) -> None:
        field = form.get_by_label(label, exact=True)
        expect(field).to_have_attribute("aria-invalid", "true")
        told = field.get_attribute("aria-describedby") or ""
        self.assertTrue(any(words in self.page.locator(f"[id='{one}']").inner_text() for one in told.split()))

    def test_the_wrong_field_is_marked_and_what_was_typed_stays(self) -> None:
        page = self.open("textures")
        page.get_by_role("button", name="Add rule").click()
        form = page.get_by_role("form", name="New rule")
        form.get_by_text("regular expr.").click()
        form.get_by_label("Expression for the whole path").fill("(unclosed")
        form.get_by_role("button", name="Add as rule 1").click()
        self.marked(form, "Expression for the whole path", "Rule 1")
        expect(self.proposed()).to_have_count(0)
        form.get_by_label("Expression for the whole path").fill(".*_grime.*")
        form.get_by_role("button", name="Add as rule 1").click()
        self.save_change()
        expect(form).to_have_count(0)

        self.segment("Config").click()
        page.get_by_role("button", name="Add a space").click()
        form = page.get_by_role("form", name="New space")
        form.get_by_label("Name", exact=True).fill("ACEScg")
        form.get_by_role("button", name="Add the space").click()
        self.marked(form, "Name", "already")
        form.get_by_label("Name", exact=True).fill("Quay linear")
        form.get_by_role("button", name="Add the space").click()
        self.save_change()

    def test_taken_paths_within_a_zip_are_asked_about(self) -> None:
        page = self.open("textures")
        file = write(self.folder / "sent" / "wall.png", light(16, 16, 1.0, 9), "uint8")
        content = io.BytesIO()
        with zipfile.ZipFile(content, "w") as packed:
            packed.write(file, "wall/wall_roughness.png")
        (self.folder / "sent" / "more.zip").write_bytes(content.getvalue())
        before = self.project.textures.get(path="wall/wall_roughness.png").image_id
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Add files").click()
            page.get_by_role("menuitem", name="Files, or a zip").click()
        chooser.value.set_files(str(self.folder / "sent" / "more.zip"))
        asked = page.get_by_role("dialog", name="A texture of this path is there already")
        expect(asked).to_contain_text("wall/wall_roughness.png")
        asked.get_by_role("button", name="Keep both").click()
        expect(page.get_by_role("row").filter(has_text="wall_roughness-2.png")).to_be_visible()
        self.assertEqual(self.project.textures.get(path="wall/wall_roughness.png").image_id, before)
