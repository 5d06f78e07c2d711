"""The guide beside the work: opened by key, by a mark, by a finding and by Find anything; its links stay in it."""

import re

from playwright.sync_api import Locator, expect

from tests.browser.base import BrowserTestCase


class Guide(BrowserTestCase):
    def guide(self) -> Locator:
        return self.page.get_by_role("complementary", name="Guide")

    def heading(self, name: str) -> Locator:
        return self.guide().get_by_role("heading", name=name, exact=True)

    def test_it_stays_beside_the_work(self) -> None:
        page = self.open("textures")
        page.keyboard.press("g")
        expect(self.heading("Textures")).to_be_in_viewport()
        rows = page.get_by_role("row").filter(has_text="wall_basecolor.png")
        rows.first.click()
        expect(self.section("Selected file")).to_contain_text("wall_basecolor.png")
        self.segment("Compare").click()
        expect(page.get_by_role("figure", name="Pane 1")).to_be_visible()
        expect(self.heading("Textures")).to_be_in_viewport()
        page.reload()
        expect(self.heading("Textures")).to_be_in_viewport()
        page.keyboard.press("g")
        expect(self.guide()).to_have_count(0)
        page.keyboard.press("g")
        expect(self.heading("Compare")).to_be_in_viewport()

    def test_links_lead_on_and_back(self) -> None:
        page = self.open("config")
        page.keyboard.press("g")
        self.guide().get_by_role("button", name="Contents").click()
        self.guide().get_by_role("link", name="Hand-offs").click()
        expect(self.heading("Hand-offs")).to_be_in_viewport()
        picture = self.guide().locator("img").first
        expect(picture).to_be_visible()
        self.assertGreater(picture.evaluate("picture => picture.decode().then(() => picture.naturalWidth)"), 0)
        self.guide().get_by_role("button", name="Back in the guide").click()
        expect(self.heading("The artist's guide")).to_be_in_viewport()
        self.guide().get_by_role("button", name="Close the guide").click()
        expect(self.guide()).to_have_count(0)

    def test_a_finding_leads_to_what_is_said_of_it(self) -> None:
        page = self.open("textures")
        page.get_by_role("row").filter(has_text="wall_roughness.png").first.click()
        card = page.get_by_role("article").filter(has_text="Data read as colour").first
        card.get_by_role("button", name="Guide: Data read as colour").click()
        expect(self.heading("What a file says itself")).to_be_in_viewport()

    def test_a_plot_and_a_column_lead_to_theirs(self) -> None:
        page = self.open("scene?part=space")
        page.get_by_role("button", name="Guide: gamut plots").click()
        expect(self.heading("Working space")).to_be_in_viewport()
        self.open("outputs")
        page.get_by_role("button", name="Guide: Selected output").click()
        expect(self.heading("Outputs")).to_be_in_viewport()

    def test_find_anything_searches_its_text(self) -> None:
        page = self.open("config")
        page.keyboard.press("Control+k")
        page.get_by_role("textbox", name="What to find").fill("half-tone")
        found = page.get_by_role("dialog", name="Find anything")
        expect(found.get_by_role("button", name=re.compile("Is this screen fit"))).to_be_visible()
        page.get_by_role("textbox", name="What to find").fill("rescue")
        found.get_by_role("button", name="Rescue Explain, and the night watch").click()
        expect(self.heading("Rescue")).to_be_in_viewport()

    def test_a_page_of_its_own(self) -> None:
        page = self.page
        self.visit("/findings")
        page.get_by_role("link", name="Guide: handoff.failed").click()
        expect(page.get_by_role("heading", name="The test card")).to_be_in_viewport()
        self.visit("/guide/guide/nowhere")
        expect(page.get_by_text("The guide has no page of that name.")).to_be_visible()
        page.get_by_role("link", name="Contents").click()
        expect(page.get_by_role("heading", name="The artist's guide")).to_be_visible()
