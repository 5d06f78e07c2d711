"""No page is empty: each has something to try at once, and the way to bring one's own."""

from playwright.sync_api import Locator, expect

from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import create_project
from tests.browser.base import BrowserTestCase


class Empty(BrowserTestCase):
    def _make_project(self) -> Project:
        return create_project("Quay")

    def test_compare_shows_the_rig_and_reference_pictures_and_takes_a_render(self) -> None:
        page = self.open("compare")
        self.shows_the_rig()
        sweeps = page.get_by_role("region", name="Reference pictures")
        expect(sweeps).to_contain_text("gives numbers, no light")  # the view Raw
        for picture in sweeps.get_by_role("img").all():
            self.is_drawn(picture)
        page.get_by_role("button", name="Render the rig").click()
        expect(page.get_by_role("figure", name="Pane 1")).to_be_visible(timeout=60_000)
        self.assertEqual(self.project.renders.count(), 1)

    def is_drawn(self, picture: Locator) -> None:
        expect(picture).not_to_have_js_property("naturalWidth", 0, timeout=60_000)

    def shows_the_rig(self) -> None:
        rig = self.page.get_by_role("region", name="Rig and first render")
        expect(rig.get_by_role("img")).to_have_count(2, timeout=60_000)
        for picture in rig.get_by_role("img").all():
            self.is_drawn(picture)
        expect(rig.get_by_role("button", name="Import a render")).to_be_visible()

    def test_scene_and_outputs(self) -> None:
        for step in ("scene?part=renders", "outputs"):
            with self.subTest(step):
                self.open(step)
                self.shows_the_rig()

    def test_textures_have_a_sample_set_that_is_read_rightly_and_undone_at_once(self) -> None:
        page = self.open("textures")
        page.get_by_role("button", name="Add sample textures").click()
        expect(page.get_by_role("status").filter(has_text="4 files")).to_be_visible()
        spaces = {
            "basecolor": "sRGB Encoded Rec.709",
            "roughness": "Raw",
            "normal": "Raw",
            "emission": "Linear Rec.709",
        }
        for name, space in spaces.items():
            expect(page.get_by_role("row").filter(has_text=name)).to_contain_text(space)
        expect(page.get_by_role("button", name="Findings and jobs")).not_to_contain_text("blocker")
        page.keyboard.press("Control+z")
        expect(page.get_by_text("Undone: Sample textures added.")).to_be_visible()
        expect(page.get_by_text("No textures yet")).to_be_visible()

    def test_handoffs_begin_with_the_shortest_chain(self) -> None:
        self.project.stations.all().delete()
        page = self.open("handoffs")
        page.get_by_role("button", name="Add a renderer and a compositor").click()
        expect(page.get_by_role("heading", name="Settings of the renderer")).to_be_visible()
        self.assertEqual(list(self.project.stations.values_list("name", flat=True)), ["Renderer", "Compositor"])
