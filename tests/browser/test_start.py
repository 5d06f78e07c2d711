"""The first five minutes: a project from answers, by mouse and by keyboard, what is next, the screen, the walk."""

import re
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from playwright.sync_api import Page, expect

from saltwort.core.images import write_image
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.start import DELIVERIES, PICTURES
from saltwort.core.stations.kinds import KINDS
from saltwort.demo.build import build_demo
from saltwort.server.handoffs.proving import card_of, hand_in
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import create_project
from saltwort.server.projects.setups import current_setup
from saltwort.server.scene.operations import add_render
from saltwort.server.textures.operations import pin_texture
from saltwort.server.whole_projects.manifests import write_bundle
from tests.browser.base import NEVER, BrowserTestCase
from tests.samples import SRGB, base_text, light, write

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
        self.visit("/new")
        expect(page.get_by_role("region", name="What it leads to")).to_contain_text("ACEScg")
        with page.expect_popup() as check:
            page.get_by_role("link", name="Is this screen fit to judge on?").click()
        expect(check.value.get_by_role("region", name="What it says")).to_be_visible()
        page.get_by_role("button", name="Start with these").click()
        project = self.started()
        self.assertEqual((project.name, project.current.number), ("New show", 1))
        self.assertEqual(current_setup(project).view.view, "AgX")

    def test_the_five_minute_way(self) -> None:
        """From the projects page, with one render, a folder of textures and no config, to a right picture, checked
        textures and a package for each application."""
        page = self.page
        self.visit("/?all")
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
        self.visit("/new")
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

    def test_every_answer_can_be_given(self) -> None:
        """Each delivery, picture, working space and application, as the page shows it and the project then has it."""
        page = self.page
        self.visit("/new")
        facts = page.get_by_role("region", name="What it leads to")
        questions = page.get_by_role("form", name="Questions")
        for delivery in DELIVERIES:
            questions.get_by_label(delivery.label).check()
            for recipe in delivery.recipes:
                expect(facts).to_contain_text(recipe.name)
        for chosen in PICTURES:
            page.get_by_role("radio", name=re.compile(f"{chosen.label}$")).click()
            expect(facts).to_contain_text(f"sRGB - Display: {chosen.label}")
        for space, name in (("Linear Rec.709", "Linear Rec.709 (sRGB)"), ("Linear Rec.2020", "Linear Rec.2020")):
            questions.get_by_role("radio", name=re.compile(f"^{space}")).check()
            expect(facts).to_contain_text(f"{name}: holds")
        holds = page.get_by_role("region", name="What each working space holds")
        expect(holds.get_by_role("row").filter(has_text="chosen")).to_contain_text("Linear Rec.2020")
        applications = [kind.label for kind in KINDS]
        for label in applications:
            questions.get_by_role("checkbox", name=label, exact=True).check()
        expect(facts).to_contain_text("Web page")
        questions.get_by_label("Names of textures").fill("wall_basecolor.png\nodd_one.png")
        names = page.get_by_role("region", name="What the names tell")
        expect(names).to_contain_text("2 names, 1 leave the map kind open.")
        page.get_by_role("button", name="Start with these").click()
        project = self.started()
        setup = current_setup(project)
        self.assertEqual((setup.working_space, setup.view.view), ("Linear Rec.2020", "Un-tone-mapped"))
        self.assertEqual(len(Recipes.of(setup)), sum(len(each.recipes) for each in DELIVERIES))
        self.assertEqual(project.stations.count(), len(applications))

    def test_without_a_render_the_rig_stands_in(self) -> None:
        page = self.page
        self.visit("/new")
        page.get_by_role("radiogroup", name="Picture to judge by").get_by_text("The rig").click()
        expect(page.get_by_text("Rendering the rig …")).to_have_count(0, timeout=60_000)
        shown = page.get_by_role("img", name="Through AgX")
        expect(shown).to_have_attribute("src", re.compile("stand_in=rig"))
        self.assertEqual(shown.evaluate("picture => picture.naturalWidth"), 320)

    def test_from_a_config_of_the_show(self) -> None:
        config = self.folder / "show.ocio"
        text = re.sub(r"^(\s+- !<ColorSpace>\n\s+name: )ACEScg$", r"\1Quay linear", base_text(), flags=re.MULTILINE)
        config.write_text(re.sub(r"(: )ACEScg$", r"\1Quay linear", text, flags=re.MULTILINE))
        page = self.page
        self.visit("/new")
        self.pick("A config", config)
        expect(page.get_by_role("list", name="There already")).to_contain_text("Your config")
        expect(page.get_by_role("region", name="What it leads to")).to_contain_text("Quay linear: holds")
        page.get_by_role("button", name="Start with these").click()
        self.assertEqual(current_setup(self.started()).working_space, "Quay linear")

    def test_a_bundle_goes_on_where_it_was(self) -> None:
        bundle = self.folder / "other.zip"
        with bundle.open("wb") as file:
            write_bundle(Project.objects.get(slug="other"), file, with_images=True)
        page = self.page
        self.visit("/new")
        self.pick("A project bundle", bundle)
        page.wait_for_url("**/p/other-*")
        self.started()
        self.assertEqual(Project.objects.count(), 2)

    def test_files_dropped_on_the_page(self) -> None:
        page = self.page
        self.visit("/new")
        there = page.get_by_role("list", name="There already")
        self.drop_on_page((self.render_file.name, self.render_file.read_bytes()))
        expect(there).to_contain_text("Render dusk.exr: the pictures show it.")
        self.drop_on_page(*((file.name, file.read_bytes()) for file in sorted(self.textures.iterdir())))
        expect(there).to_contain_text("3 textures")
        self.drop_on_page(("notes.txt", b"nothing"))
        expect(page.get_by_text("Drop a render (one EXR or HDR)")).to_be_visible()

    def test_a_name_that_is_taken_is_told(self) -> None:
        page = self.page
        self.visit("/new")
        page.get_by_label("Name", exact=True).fill("Other")
        page.get_by_role("button", name="Start with these").click()
        expect(page.get_by_text("There is a project named like “Other” already.").first).to_be_visible()


class Next(BrowserTestCase):
    def test_it_leads_on_and_the_strip_says_the_same(self) -> None:
        page = self.page
        self.visit("/p/quay")
        outputs = page.get_by_role("region", name="Outputs", exact=True)
        expect(outputs).to_contain_text("to do")
        expect(self.segment("Outputs")).to_contain_text("to do")
        page.get_by_role("region", name="Next").get_by_role("link", name="Go there").click()
        page.wait_for_url("**/p/quay/*")
        page.keyboard.press("n")
        expect(page.get_by_role("region", name="Next")).to_be_visible()

    def test_each_state_and_then_all_is_ready(self) -> None:
        """To do, attention, and ready, on the page and in the strip, until the package for everybody is offered."""
        page = self.page
        self.visit("/p/quay")
        textures = page.get_by_role("region", name="Textures", exact=True)
        expect(textures).to_contain_text("attention")
        expect(self.segment("Textures")).to_contain_text("attention")
        expect(page.get_by_role("region", name="Hand-offs", exact=True)).to_contain_text("to do")
        rough = self.project.textures.get(path="wall/wall_roughness.png")
        pin_texture(rough, rough.version, "")
        self.project.textures.exclude(path=rough.path).delete()
        self.project.renders.all().delete()
        render = write(self.folder / "graded.exr", light(54, 96, 12.0), "half", colorInteropID="lin_ap1_scene")
        add_render(self.project, "graded.exr", store_file(render, "graded.exr"))
        for station in self.project.stations.all():
            card = card_of(station)
            shown = np.clip(card.bench.agreed().shown(card.picture())[..., :3], 0, 1)
            file = self.folder / f"{station.pk}.png"
            write_image(file, shown.astype(np.float32), "uint8")
            hand_in(station, SimpleUploadedFile(file.name, file.read_bytes()))
        self.open("outputs")
        page.get_by_role("button", name="New output").click()
        expect(self.segment("Outputs")).to_contain_text("ready")
        page.keyboard.press("n")
        expect(page.get_by_role("heading", name="All is ready")).to_be_visible()
        with page.expect_download(timeout=60_000) as download:
            page.get_by_role("link", name="Package for everybody").click()
        self.assertTrue(download.value.suggested_filename.endswith(".zip"))


class Walk(BrowserTestCase):
    def _make_project(self) -> Project:
        with override_settings(TASKS=NEVER):  # nobody looks at its outputs here
            return build_demo()

    def test_a_value_is_read_and_all_mistakes_are_mended(self) -> None:
        page = self.page
        self.visit("/p/lantern-quay")
        walk = page.get_by_role("region", name="Find the five mistakes")
        steps = walk.get_by_role("listitem")
        expect(steps.first).to_contain_text("First, read a value now")
        walk.get_by_role("link", name="Go and look").click()
        picture = (
            page.get_by_role("figure", name="Pane 1")
            .get_by_role("img")
            .or_(page.get_by_role("figure", name="Pane 1").locator("canvas"))
            .first
        )
        box = picture.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + 0.595 * box["width"], box["y"] + 0.455 * box["height"])
        expect(page.get_by_role("button", name="Remove the probe")).to_be_visible()
        self.visit("/p/lantern-quay")
        expect(steps.first).to_contain_text("read")
        expect(steps.nth(1)).to_contain_text("now")
        for number, mend in enumerate(
            (self.set_space, self.set_space, self.decode_buoy, self.set_space, self.dismiss_failed), start=1
        ):
            expect(walk).to_contain_text(f"{number - 1} of 5 mended")
            walk.get_by_role("link", name="Go and look").click()
            mend()
            self.segment("Config").click()
            page.keyboard.press("n")
            expect(steps.nth(number)).to_contain_text("mended")
        expect(walk).to_contain_text("All five are mended.")
        walk.get_by_role("button", name="Leave").click()
        expect(walk).to_have_count(0)
        self.reload()
        page.get_by_role("button", name="Find the five mistakes, 5 found").click()
        expect(walk).to_be_visible()

    def set_space(self) -> None:
        """Press the fix of the texture's finding."""
        card = self.page.get_by_role("article").filter(
            has_text=re.compile("Data read as colour|Encoded values read as light|Header disagrees")
        )
        card.get_by_role("button", name=re.compile("^Set to ")).click()
        expect(card).to_have_count(0)

    def decode_buoy(self) -> None:
        page = self.page
        page.get_by_role("button", name=re.compile("^buoy red")).click()
        self.choose("Typed in", SRGB)
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_role("article").filter(has_text="Screen values typed as light")).to_have_count(0)

    def dismiss_failed(self) -> None:
        page = self.page
        self.section("Chain").get_by_role("button", name="Grading suite failed").click()
        card = page.get_by_role("article").filter(has_text="The test card came back otherwise than agreed")
        card.get_by_role("button", name="Dismiss").click()
        card.get_by_label("Why it can stay").fill("the finishing house sets it tomorrow")
        card.get_by_role("button", name="Dismiss", exact=True).click()
        expect(card).to_have_count(0)


class ScreenCheck(BrowserTestCase):
    def test_it_is_asked_measured_and_kept(self) -> None:
        page: Page = self.page
        self.visit("/screen")
        says = page.get_by_role("region", name="What it says")
        expect(says).to_contain_text("Nothing is known of this screen yet.")
        expect(says).to_contain_text("the browser manages colours")
        page.get_by_role("radiogroup", name="Which patch merges?").get_by_label("2.4").check()
        page.get_by_role("radiogroup", name="Darkest square seen").get_by_label("3", exact=True).check()
        page.get_by_role("radiogroup", name="Square within the square?").get_by_label("No").check()
        expect(says).to_contain_text("This screen shows sRGB with an exponent near 2.4: shadows look darker here")
        expect(says).to_contain_text("Pictures can be judged here.")
        self.reload()
        expect(says).to_contain_text("an exponent near 2.4")
        self.open("compare")
        expect(page.get_by_role("link", name="Screen: sRGB, 2.4")).to_be_visible()
