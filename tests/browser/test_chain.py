"""Hand-offs: a chain made by hand, settings copied, packages saved, cards handed in, and mistakes tried out."""

import io
import re
import zipfile
from pathlib import Path

import numpy as np
from django.test import override_settings
from playwright.sync_api import Locator, expect

from saltwort.core.engine import apply, view_processor
from saltwort.core.images import read_pixels, write_image
from saltwort.core.stations.kinds import kind_named
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import add_station
from saltwort.server.handoffs.proving import card_of
from saltwort.server.images.operations import store_file
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.operations import add_render
from tests.browser.base import BrowserTestCase
from tests.made_frames import light_of
from tests.samples import ACES_SDR


class ChainTestCase(BrowserTestCase):
    def show(self, view: str) -> None:
        self.page.get_by_role("radiogroup", name="What is shown").get_by_text(view, exact=True).click()

    def node(self, name: str) -> Locator:
        return self.section("Chain").get_by_role(
            "button", name=re.compile(f"^{name} ?(not tried|proved|failed|out|set)")
        )

    def arrow(self, giver: str, taker: str) -> Locator:
        return self.section("Chain").get_by_role("button", name=re.compile(f"^{giver} hands on to {taker}:"))


class Chain(ChainTestCase):
    def test_a_chain_made_by_hand(self) -> None:
        page = self.open("handoffs")
        expect(self.arrow("Renderer", "Compositor")).to_have_text("scene-linear EXR")
        form = page.get_by_role("form", name="New application")
        for name, kind in (("Paint", "Texturing tool that follows a config"), ("Page", "Web page")):
            form.get_by_label("Name").fill(name)
            form.get_by_role("combobox", name="What it is").or_(
                form.get_by_role("textbox", name="What it is")
            ).first.click()
            page.get_by_role("option", name=kind, exact=True).click()
            form.get_by_role("button", name="Add").click()
            expect(self.node(name)).to_have_attribute("aria-current", "true")
        expect(self.arrow("Paint", "Renderer")).to_have_text("textures")
        expect(self.arrow("Compositor", "Page")).to_have_text("finished pictures")
        self.node("Renderer").click()
        self.section("Applications").get_by_label("Hands on to").click(force=True)
        page.get_by_role("option", name="Page").click()
        expect(self.arrow("Renderer", "Page")).to_be_visible()
        expect(self.section("Settings of the renderer")).to_contain_text("Then, in the page")

    def test_an_arrow_is_removed_by_keyboard_and_comes_back(self) -> None:
        page = self.open("handoffs")
        self.arrow("Renderer", "Compositor").focus()
        page.keyboard.press("Enter")
        expect(self.section("Chain")).to_contain_text("Renderer hands on to Compositor: scene-linear EXR, half float")
        page.keyboard.press("Delete")
        expect(self.arrow("Renderer", "Compositor")).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(self.arrow("Renderer", "Compositor")).to_be_visible()

    def test_renamed_and_copied(self) -> None:
        self.open("handoffs")
        self.node("Compositor").click()
        name = self.section("Applications").get_by_label("Name").first
        name.fill("Comp")
        name.press("Enter")
        expect(self.node("Comp")).to_be_visible()
        self.section("Applications").get_by_role("button", name="Copy", exact=True).click()
        expect(self.node("Comp 2")).to_have_attribute("aria-current", "true")
        expect(self.arrow("Renderer", "Comp 2")).to_be_visible()
        self.section("Applications").get_by_role("button", name="Remove", exact=True).click()
        expect(self.node("Comp 2")).to_have_count(0)


class Sheets(ChainTestCase):
    def test_read_a_sheet_and_copy_a_line(self) -> None:
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        page = self.open("handoffs")
        self.node("Compositor").click()
        sheet = self.section("Settings of the compositor")
        view = sheet.get_by_role("row").filter(has=page.get_by_role("cell", name="View", exact=True))
        view.get_by_role("button", name="if it is set otherwise").click()
        pictures = view.get_by_role("figure")
        expect(pictures).to_have_count(2)
        expect(pictures.nth(1)).to_contain_text("Wrong: no view")
        for at in (0, 1):
            picture = pictures.nth(at).locator("img")
            expect(picture).to_have_js_property("complete", True)
            self.assertGreater(picture.evaluate("image => image.naturalWidth"), 50)
        view.get_by_role("button", name="Copy the value of View").click()
        expect(view.get_by_role("button", name="Copy the value of View")).to_have_text("Copied")
        copied = page.evaluate("navigator.clipboard.readText()")
        self.assertEqual(copied, self.current().current.setup["view"]["view"])

    def test_a_package_is_saved(self) -> None:
        page = self.open("handoffs")
        with page.expect_download() as download:
            page.get_by_role("button", name="Save package for the renderer").click()
        self.assertEqual(download.value.suggested_filename, "quay-renderer-r1.zip")
        download.value.save_as(self.folder / "package.zip")
        names = zipfile.ZipFile(io.BytesIO((self.folder / "package.zip").read_bytes())).namelist()
        self.assertIn("quay-renderer-r1/environment/start.sh", names)
        expect(page.get_by_text(re.compile("Played from this package: .* textures"))).to_be_visible()

    def test_the_table_of_textures(self) -> None:
        page = self.open("handoffs")
        self.show("Textures")
        table = self.section("Textures in the renderer")
        expect(table.get_by_role("row")).to_have_count(4)
        table.get_by_text("To be set by hand").click()
        expect(table.get_by_role("row")).to_have_count(1)
        expect(table.get_by_role("row")).to_contain_text("wall_roughness.png")
        table.get_by_text("To be set by hand").click()
        table.get_by_label("Search").fill("rope")
        expect(table.get_by_role("row")).to_contain_text(["rope_albedo.jpg"])
        with page.expect_download() as download:
            table.get_by_role("link", name="Save as CSV").click()
        download.value.save_as(self.folder / "table.csv")
        self.assertIn("wall_roughness.png", (self.folder / "table.csv").read_text())


class Handshake(ChainTestCase):
    def seen(self, name: str, gamma: float = 1.0) -> Path:
        station = Station.objects.select_related("project__current").get(project=self.project, name=name)
        card = card_of(station)
        shown = np.clip(card.bench.agreed().shown(card.picture())[..., :3], 0, 1) ** np.float32(gamma)
        path = self.folder / f"{name.lower()} {gamma:.2f}.png"
        write_image(path, shown, "uint8")
        return path

    def hand_in(self, file: Path) -> None:
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Choose or drop the file that came back").click()
        chooser.value.set_files(file)

    def test_failed_proved_and_out_of_date(self) -> None:
        page = self.open("handoffs")
        self.node("Compositor").click()
        self.show("Test card")
        with page.expect_download() as download:
            page.get_by_role("link", name="Save the test card").click()
        self.assertEqual(download.value.suggested_filename, "quay-compositor-test-card-r1.zip")
        self.hand_in(self.seen("Compositor", 2.2))
        answer = page.get_by_role("group", name="Answer to compositor 2.20.png")
        expect(answer).to_contain_text("A gamma of 2.2 was applied after the view.")
        expect(answer).to_contain_text("Set in: preferences")
        expect(self.node("Compositor")).to_contain_text("failed")
        self.hand_in(self.seen("Compositor"))
        expect(page.get_by_role("group", name="Answer to compositor 1.00.png")).to_contain_text("As agreed")
        expect(self.node("Compositor")).to_contain_text("proved")
        self.section("Applications").get_by_text("Can clamp light at 1").click()
        expect(self.node("Compositor")).to_contain_text("out of date")
        expect(self.section("Test card of the compositor")).to_contain_text("what the application can do")

    def test_a_file_without_a_card(self) -> None:
        self.open("handoffs")
        self.show("Test card")
        nothing = self.folder / "nothing.png"
        write_image(nothing, np.full((120, 160, 3), 0.5, np.float32), "uint8")
        self.hand_in(nothing)
        expect(self.section("Test card of the renderer")).to_contain_text("There is no test card in this picture")
        expect(self.node("Renderer")).to_contain_text("not tried")


class Explained(ChainTestCase):
    def test_a_picture_says_what_was_done_to_it(self) -> None:
        light = light_of(2)
        beauty, came = self.folder / "beauty.exr", self.folder / "washed.png"
        write_image(beauty, light, "half")
        add_render(self.project, "beauty.exr", store_file(beauty, "beauty.exr"))
        shown = apply(view_processor(config_of(self.current().current), "ACEScg", ACES_SDR), light)
        write_image(came, np.clip(shown, 0, 1) ** np.float32(1 / 2.2), "uint8")
        page = self.open("handoffs")
        self.node("Compositor").click()
        self.show("Explain")
        self.choose("It should show", "beauty.exr")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose or drop a picture").click()
        chooser.value.set_files(came)
        answer = page.get_by_role("group", name="Explanation of washed.png")
        expect(answer).to_contain_text("A power of 0.45", timeout=60_000)
        expect(answer).to_contain_text("In Compositor:")
        pictures = answer.get_by_role("figure")
        expect(pictures).to_have_count(4)
        expect(pictures.nth(2)).to_contain_text("after the repair")
        expect(pictures.nth(2).locator("img")).to_have_js_property("complete", True, timeout=60_000)
        way = answer.get_by_role("list", name="The way of the picture").get_by_role("listitem")
        expect(way.filter(has_text="power 0.45")).to_contain_text("extra")
        with page.expect_download() as saved:
            answer.get_by_role("link", name="Rescue as scene-linear EXR").click()
        self.assertEqual(saved.value.suggested_filename, "washed_rescued.exr")
        back = read_pixels(Path(saved.value.path()))
        self.assertEqual(back.shape, light.shape)
        answer.get_by_role("button", name="Forget").click()
        expect(answer).to_have_count(0)

    def test_the_wrong_render_is_told_and_places_are_boxed(self) -> None:
        for name, seed in (("beauty.exr", 2), ("other.exr", 4)):
            write_image(self.folder / name, light_of(seed), "half")
            add_render(self.project, name, store_file(self.folder / name, name))
        codes = np.clip(apply(view_processor(config_of(self.current().current), "ACEScg", ACES_SDR), light_of(2)), 0, 1)
        codes[100:180, 200:330] = (1.0, 0.1, 0.9)
        marked = self.folder / "marked.png"
        write_image(marked, codes, "uint8")
        page = self.open("handoffs")
        self.show("Explain")
        self.choose("It should show", "other.exr")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose or drop a picture").click()
        chooser.value.set_files(marked)
        answers = page.get_by_role("group", name="Explanation of marked.png")
        expect(answers).to_contain_text("does not show other.exr, but beauty.exr", timeout=60_000)
        expect(answers).to_contain_text("other content covers that area")
        self.choose("It should show", "beauty.exr")
        expect(answers).to_have_count(2, timeout=60_000)
        again = answers.first
        expect(again).not_to_contain_text("does not show")
        came = again.get_by_role("figure").first
        image, box = came.locator("img").bounding_box(), came.locator("span").bounding_box()
        assert image and box
        height, width = codes.shape[:2]
        self.assertAlmostEqual((box["x"] + box["width"] / 2 - image["x"]) / image["width"], 265 / width, delta=0.03)
        self.assertAlmostEqual((box["y"] + box["height"] / 2 - image["y"]) / image["height"], 140 / height, delta=0.03)

    def test_a_folder_is_rescued_and_what_is_unknown_has_a_lut(self) -> None:
        light = light_of(2) * np.float32(0.3)
        beauty, folder = self.folder / "beauty.exr", self.folder / "baked"
        write_image(beauty, light, "half")
        add_render(self.project, "beauty.exr", store_file(beauty, "beauty.exr"))
        shown = np.clip(apply(view_processor(config_of(self.current().current), "ACEScg", ACES_SDR), light), 0, 1)
        folder.mkdir()
        for number in (1, 2):
            write_image(folder / f"washed.{number:04d}.png", shown ** np.float32(1 / 1.8), "uint16")
        red, green, blue = np.moveaxis(shown, 2, 0)
        odd = np.stack([(0.5 * red + 0.5 * blue) ** 2, 0.3 + 0.5 * green * red, 0.6 * np.sqrt(blue)], axis=2)
        write_image(self.folder / "odd.png", odd, "uint16")
        page = self.open("handoffs")
        self.show("Explain")
        self.choose("It should show", "beauty.exr")
        for file in (self.folder / "odd.png", folder / "washed.0001.png"):
            with page.expect_file_chooser() as chooser:
                page.get_by_role("button", name="Choose or drop a picture").click()
            chooser.value.set_files(file)
            expect(page.get_by_role("group", name=f"Explanation of {file.name}")).to_be_visible(timeout=60_000)
        answer = page.get_by_role("group", name="Explanation of washed.0001.png")
        with override_settings(READABLE_FOLDERS=(self.folder,)):
            answer.get_by_role("button", name="Rescue a folder").click()
            field = answer.get_by_label("Folder whose pictures went the same way")
            field.fill("/etc")
            field.press("Enter")
            expect(answer).to_contain_text("outside the folders")
            field.fill(str(folder))
            field.press("Enter")
            expect(page.get_by_text("The folder is queued")).to_be_visible()
        names = sorted(file.name for file in (folder / "rescued").iterdir())
        self.assertEqual(names, ["washed_rescued.0001.exr", "washed_rescued.0002.exr"])
        back = read_pixels(folder / "rescued" / names[1])
        self.assertLess(float(np.median(np.abs(back - light))), 0.01)
        unknown = page.get_by_role("group", name="Explanation of odd.png")
        expect(unknown.get_by_role("img", name="Curves from expected to found")).to_be_visible()
        with page.expect_download(timeout=120_000) as saved:
            unknown.get_by_role("link", name="Save as LUT (CLF)").click()
        self.assertIn("ProcessList", Path(saved.value.path()).read_text(encoding="utf-8"))


class Simulated(ChainTestCase):
    def test_a_mistake_arrives_in_every_later_application(self) -> None:
        add_station(self.project, kind_named("web-page").station("Page"), kind="web-page")
        page = self.open("handoffs")
        self.show("Simulation")
        compositor = page.get_by_role("group", name="Simulated Compositor")
        expect(compositor).to_contain_text("As agreed.")
        self.choose("What is set wrong in the renderer", "The view written into the file")
        expect(page.get_by_role("group", name="Simulated Renderer")).to_contain_text("hands it on wrong")
        expect(compositor).to_contain_text("Shows it wrong.")
        expect(page.get_by_role("group", name="Simulated Page")).to_contain_text("Cannot be repaired here")
        expect(self.node("Renderer")).to_contain_text("set wrong here")
        picture = compositor.get_by_role("img", name="What the compositor shows")
        expect(picture).to_have_attribute("src", re.compile("wrong="))
        page.get_by_role("button", name="Set all right").click()
        expect(compositor).to_contain_text("As agreed.")
