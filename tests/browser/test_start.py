"""The first five minutes: a project from answers, by mouse and by keyboard, what is next, the screen, the walk."""

import re
import zipfile
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, expect

from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import create_project
from saltwort.server.projects.setups import current_setup
from tests.browser.base import BrowserTestCase
from tests.samples import light, write

MOST_CLICKS = 15


class Start(BrowserTestCase):
    def _make_project(self) -> Project:
        return create_project("Other")  # the database is all but empty

    def setUp(self) -> None:
        super().setUp()
        self.clicks = 0
        self.render_file = write(self.folder / "dusk.exr", light(60, 80), "half", colorInteropID="lin_ap1_scene")
        self.textures = self.folder / "maps"
        for number, name in enumerate(("wall_basecolor.png", "wall_rough.png", "odd_one.png")):
            write(self.textures / name, light(peak=1.0, seed=number), "uint8")

    def click(self, locator: Any) -> None:
        self.clicks += 1
        locator.click()

    def pick(self, button: str, files: Path | list[Path]) -> None:
        with self.page.expect_file_chooser() as chooser:
            self.click(self.page.get_by_role("button", name=button, exact=True))
        chooser.value.set_files(files)

    def started(self) -> Project:
        expect(self.page.get_by_role("heading", name=re.compile("^Next:"))).to_be_visible()
        return Project.objects.select_related("current").latest("pk")

    def test_one_click_is_a_complete_project(self) -> None:
        page = self.page
        page.goto(f"{self.live_server_url}/new", wait_until="networkidle")
        expect(page.get_by_role("region", name="What it leads to")).to_contain_text("ACEScg")
        page.get_by_role("button", name="Start with these").click()
        project = self.started()
        self.assertEqual((project.name, project.current.number), ("New show", 1))
        self.assertEqual(current_setup(project).view.view, "AgX")

    def test_the_five_minute_way(self) -> None:
        """From the projects page, with one render, a folder of textures and no config, to a right picture, checked
        textures and a package for each application."""
        page = self.page
        page.goto(f"{self.live_server_url}/?all", wait_until="networkidle")
        self.click(page.get_by_role("link", name="Start a project"))
        page.get_by_label("Name", exact=True).fill("Harbour night")
        self.pick("A render", self.render_file)
        there = page.get_by_role("list", name="There already")
        expect(there).to_contain_text("Render dusk.exr: the pictures show it.")
        self.pick("A folder of textures", self.textures)
        expect(there).to_contain_text("3 textures")
        names = page.get_by_role("region", name="What the names tell")
        expect(names.get_by_role("status")).to_have_text("3 names, 1 leave the map kind open.")
        self.click(page.get_by_role("radio", name=re.compile("Filmic")))
        self.click(page.get_by_label("TV video"))
        facts = page.get_by_role("region", name="What it leads to")
        expect(facts).to_contain_text("Rec.1886 Rec.709 - Display: Filmic")
        self.click(page.get_by_role("button", name="Start with these"))
        project = self.started()
        self.assertEqual(current_setup(project).view.view, "Filmic")
        expect(page.get_by_role("region", name="Textures", exact=True)).to_contain_text("3 files")
        self.assertEqual(project.renders.get().name, "dusk.exr")

        self.click(page.get_by_role("link", name=re.compile("^Compare")))
        expect(page.get_by_role("figure", name="Pane 1")).to_be_visible()
        self.click(page.get_by_role("link", name=re.compile("^Hand-offs")))
        with page.expect_download(timeout=60_000) as download:
            self.click(page.get_by_role("button", name="Save packages for all"))
        download.value.save_as(self.folder / "packages.zip")
        names_there = zipfile.ZipFile(self.folder / "packages.zip").namelist()
        for folder in ("texturing-tool", "renderer", "node-compositor"):
            self.assertTrue(any(f"/{folder}/" in name for name in names_there), names_there[:5])
        print(f"The five-minute way: {self.clicks} clicks")
        self.assertLessEqual(self.clicks, MOST_CLICKS)

    def test_by_keyboard_alone(self) -> None:
        page = self.page
        page.goto(f"{self.live_server_url}/new", wait_until="networkidle")
        name = page.get_by_label("Name", exact=True)
        self.tab_to(name)
        page.keyboard.press("Control+a")
        page.keyboard.type("By keys")
        self.tab_to(page.get_by_label("HDR master"))
        page.keyboard.press("Space")
        self.tab_to(page.get_by_role("radio", name=re.compile("^ACEScg")))
        page.keyboard.press("ArrowDown")
        expect(page.get_by_role("region", name="What it leads to")).to_contain_text("Linear Rec.709")
        name.focus()
        page.keyboard.press("Enter")
        project = self.started()
        setup = current_setup(project)
        self.assertEqual((project.name, setup.working_space), ("By keys", "Linear Rec.709 (sRGB)"))
        self.assertIn("Rec.2100-PQ - Display", setup.displays)

    def tab_to(self, target: Any) -> None:
        for _ in range(60):
            if target.evaluate("element => element === document.activeElement"):
                return
            self.page.keyboard.press("Tab")
        self.fail("the keyboard does not reach it")

    def test_a_name_that_is_taken_is_told(self) -> None:
        page = self.page
        page.goto(f"{self.live_server_url}/new", wait_until="networkidle")
        page.get_by_label("Name", exact=True).fill("Other")
        page.get_by_role("button", name="Start with these").click()
        expect(page.get_by_text("There is a project named like “Other” already.").first).to_be_visible()


class Next(BrowserTestCase):
    def test_it_leads_on_and_the_strip_says_the_same(self) -> None:
        page = self.page
        page.goto(f"{self.live_server_url}/p/quay", wait_until="networkidle")
        outputs = page.get_by_role("region", name="Outputs", exact=True)
        expect(outputs).to_contain_text("to do")
        expect(self.segment("Outputs")).to_contain_text("to do")
        page.get_by_role("region", name="Next").get_by_role("link", name="Go there").click()
        page.wait_for_url("**/p/quay/*")
        page.keyboard.press("0")
        expect(page.get_by_role("region", name="Next")).to_be_visible()


class ScreenCheck(BrowserTestCase):
    def test_it_is_asked_measured_and_kept(self) -> None:
        page: Page = self.page
        page.goto(f"{self.live_server_url}/screen", wait_until="networkidle")
        says = page.get_by_role("region", name="What it says")
        expect(says).to_contain_text("Nothing is known of this screen yet.")
        expect(says).to_contain_text("the browser manages colours")
        page.get_by_role("radiogroup", name="Which patch merges?").get_by_label("2.4").check()
        page.get_by_role("radiogroup", name="Darkest square seen").get_by_label("3", exact=True).check()
        page.get_by_role("radiogroup", name="Square within the square?").get_by_label("No").check()
        expect(says).to_contain_text("This screen shows sRGB with an exponent near 2.4: shadows look darker here")
        expect(says).to_contain_text("Pictures can be judged here.")
        page.reload(wait_until="networkidle")
        expect(says).to_contain_text("an exponent near 2.4")
        self.open("compare")
        expect(page.get_by_role("link", name="Screen: sRGB, 2.4")).to_be_visible()
