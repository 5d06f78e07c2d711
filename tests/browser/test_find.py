"""Find anything by its name, alias or interop ID, by keys alone."""

import re

from playwright.sync_api import expect

from tests.browser.base import BrowserTestCase


class Find(BrowserTestCase):
    def find(self, words: str) -> None:
        self.page.keyboard.press("Control+k")
        self.page.get_by_label("What to find").fill(words)

    def take(self, found: str) -> None:
        """Press Enter once what is wanted stands first."""
        expect(self.page.locator("[data-action]").first).to_contain_text(found)
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_label("What to find")).to_have_count(0)

    def test_each_kind_of_thing_is_gone_to(self) -> None:
        page = self.open("outputs")
        for words, found, place in (
            ("lin_ap1_scene", "ACEScg", "/config$"),
            ("compare", "Compare", "/compare$"),
            ("roughness.png", "wall/wall_roughness.png", r"/textures/\d+$"),
            ("enamel", "enamel", "/scene"),
            ("dusk.exr", "dusk.exr", "/scene"),
            ("composit", "Compositor", "/handoffs$"),
            ("un-tone", "Un-tone-mapped", "/config$"),
        ):
            with self.subTest(words):
                self.find(words)
                self.take(found)
                expect(page).to_have_url(re.compile(place))
        self.find("data-read-as-colour")
        self.take("texture.data-read-as-colour")
        expect(page.get_by_role("heading", name="What each finding means")).to_be_visible()

    def test_a_space_by_its_alias_is_selected(self) -> None:
        self.open("textures")
        self.find("lin_srgb")
        self.take("Linear Rec.709 (sRGB)")
        expect(self.section("Selected space and export").get_by_role("heading", level=2).last).to_be_visible()
        expect(self.section("Selected space and export")).to_contain_text("Linear Rec.709 (sRGB)")

    def test_actions_and_what_is_called_nothing(self) -> None:
        page = self.open("config")
        self.find("findings and jobs")
        self.take("Findings and jobs")
        expect(page.get_by_role("dialog", name="Findings and jobs")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog", name="Findings and jobs")).to_have_count(0)
        self.find("no such thing at all")
        expect(page.get_by_text("Nothing is called that.")).to_be_visible()
