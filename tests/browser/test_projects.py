"""The page of projects: found, renamed, copied, archived, deleted and restored, carried in one file."""

import re

from playwright.sync_api import Locator, expect

from saltwort.server.projects.models import Project
from tests.browser.base import BrowserTestCase


class Projects(BrowserTestCase):
    def list_all(self) -> None:
        self.visit("/?all")

    def card(self, name: str) -> Locator:
        return self.page.get_by_role("article", name=name, exact=True)

    def pick(self, name: str, action: str) -> None:
        self.card(name).get_by_role("button", name=f"More for {name}").click()
        self.page.get_by_role("menuitem", name=action, exact=True).click()

    def test_a_first_start_shows_them_and_one_opens_where_work_begins(self) -> None:
        self.visit("/")
        card = self.card("Quay")
        expect(card).to_contain_text("ACEScg")
        expect(card).to_contain_text("2 blockers")
        expect(card.get_by_role("img", name="Newest picture of Quay")).to_be_visible()
        card.get_by_role("link", name="Quay", exact=True).click()
        expect(self.page).to_have_url(re.compile(r"/p/quay$"))

    def test_renamed_duplicated_archived_and_found(self) -> None:
        page = self.page
        self.list_all()
        self.pick("Quay", "Rename …")
        page.get_by_role("textbox", name="New name").fill("Quay by day")
        page.get_by_role("button", name="Rename").click()
        expect(self.card("Quay by day")).to_be_visible()
        self.pick("Quay by day", "Duplicate …")
        page.get_by_role("textbox", name="Name of the copy").fill("Quay by night")
        page.get_by_role("button", name="Duplicate").click()
        expect(self.card("Quay by night")).to_contain_text("2 blockers", timeout=30_000)
        self.pick("Quay by night", "Archive")
        expect(self.card("Quay by night")).to_have_count(0)
        page.get_by_label("Show archived").check()
        expect(self.card("Quay by night")).to_contain_text("archived")
        page.get_by_label("Find a project").fill("day")
        expect(page.get_by_role("article")).to_have_count(1)
        page.get_by_label("Find a project").fill("fog")
        expect(page.get_by_text("No matches.")).to_be_visible()

    def test_deleted_by_name_and_restored(self) -> None:
        page = self.page
        self.list_all()
        self.pick("Quay", "Delete …")
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("textbox").fill("quai")
        dialog.get_by_role("button", name="Delete").click()
        expect(dialog).to_contain_text("This is not its name")
        dialog.get_by_role("textbox").fill("Quay")
        dialog.get_by_role("button", name="Delete").click()
        expect(self.card("Quay")).to_have_count(0)
        page.get_by_role("region", name="Deleted projects").get_by_role("button", name="Restore").click()
        expect(self.card("Quay")).to_be_visible()

    def test_out_of_one_instance_and_into_another(self) -> None:
        page = self.page
        self.list_all()
        with page.expect_download() as download:
            self.pick("Quay", "Export bundle with texture files")
        download.value.save_as(self.folder / "quay.zip")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a bundle").click()
        chooser.value.set_files(self.folder / "quay.zip")
        expect(page).to_have_url(re.compile(r"/p/quay-2$"), timeout=60_000)
        page.get_by_role("link", name=re.compile("^Textures")).click()
        expect(page.get_by_text("wall_roughness.png")).to_be_visible()
        self.assertEqual(Project.objects.get(slug="quay-2").textures.count(), 4)
        (self.folder / "bad.zip").write_bytes(b"nothing")
        self.list_all()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a bundle").click()
        chooser.value.set_files(self.folder / "bad.zip")
        expect(page.get_by_text("bad.zip is damaged")).to_be_visible()

    def test_no_project_yet(self) -> None:
        Project.objects.update(deleted="2026-11-01T00:00:00Z")
        self.list_all()
        expect(self.page.get_by_text("No projects yet.")).to_be_visible()
        self.page.get_by_label("New project").fill("Pier")
        self.page.get_by_role("button", name="Create project").click()
        expect(self.page).to_have_url(re.compile(r"/p/pier$"))


class Glossary(BrowserTestCase):
    def test_words_are_explained_where_they_stand_and_on_a_page(self) -> None:
        page = self.open("config")
        page.get_by_role("heading", name="Working space").locator(".term").hover()
        expect(page.get_by_role("tooltip")).to_contain_text("scene-linear space in which the renderer")
        self.visit("/glossary")
        page.get_by_label("Find a word").fill("stop")
        expect(page.get_by_role("row").filter(has_text="A factor of two in light.")).to_be_visible()
