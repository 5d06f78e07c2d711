"""Textures looked at closely, converted, and in long lists."""

import re
import zipfile

import numpy as np
from django.db.models import F
from playwright.sync_api import Page, expect

from saltwort.core.engine import apply, space_processor
from saltwort.core.images import read_pixels
from saltwort.demo.textures import noise, normals
from saltwort.server.conversions.models import Conversion
from saltwort.server.images.operations import store_file
from saltwort.server.textures.operations import add_texture, add_textures
from tests.browser.base import BrowserTestCase
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, project_config, write


class LookingClosely(BrowserTestCase):
    def open_large(self, name: str) -> Page:
        page = self.open("textures")
        page.get_by_role("row").filter(has_text=name).dblclick()
        expect(page.get_by_role("heading", level=1)).to_have_text(name)
        return page

    def test_a_pixel_is_read_in_two_spaces(self) -> None:
        page = self.open_large("wall_basecolor.png")
        self.choose("Beside it, read as", LINEAR_REC709)
        panes = self.section("Picture").get_by_role("figure").locator("img")
        expect(panes).to_have_count(2)
        box = panes.first.bounding_box()
        assert box
        panes.first.click(position={"x": box["width"] * 10.5 / 32, "y": box["height"] * 4.5 / 32})
        table = page.get_by_role("table", name="Probe")
        expect(table).to_contain_text("Pixel 10, 4")
        stored = read_pixels(self.folder / "files" / "wall_basecolor.png")[4:5, 10:11]
        for row, space in ((1, SRGB), (2, LINEAR_REC709)):
            light_there = apply(space_processor(project_config(), space, "ACEScg"), stored)[0, 0]
            shown = " ".join(f"{float(f'{value:.3g}'):g}" for value in light_there)
            expect(table.get_by_role("row").nth(row)).to_contain_text(shown)
        expect(self.section("Picture").get_by_role("img", name=re.compile("Histogram"))).to_be_visible()
        expect(self.section("Picture").get_by_role("img", name=re.compile("^Gamut of"))).to_have_count(2)

    def test_zoom_keys_and_the_way_back(self) -> None:
        page = self.open_large("wall_basecolor.png")
        picture = self.section("Picture").get_by_role("figure").locator("img").first
        page.get_by_text("400 %", exact=True).click()
        expect(picture).to_have_css("width", f"{32 * 4}px")
        page.get_by_role("heading", level=1).click()  # out of the zoom, which has arrow keys of its own
        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("heading", level=1)).to_have_text("wall_roughness.png")
        expect(self.section("About the file")).to_contain_text("Data read as colour")
        page.keyboard.press("Escape")
        expect(page.get_by_role("grid", name="Textures")).to_be_visible()

    def test_a_view_is_undone_with_a_warning_for_a_material(self) -> None:
        page = self.open_large("wall_basecolor.png")
        side = self.section("About the file")
        side.get_by_text("Through the inverse of a view").click()
        expect(side).to_contain_text("wrong for a material")
        side.get_by_role("button", name="Read it through the inverse of this view").click()
        expect(side).to_contain_text("Base colour decoded from a display")
        texture = self.project.textures.get(path="wall/wall_basecolor.png")
        self.assertTrue(texture.pin_space.startswith(f"Undone {ACES_SDR.view}"))
        self.assertEqual(self.current().current.number, 2)
        expect(page.get_by_text("revision 2").first).to_be_visible()

    def test_a_file_that_is_gone(self) -> None:
        page = self.open("textures/9999")
        expect(page.get_by_text("This is gone, or never was.")).to_be_visible()


class Converting(BrowserTestCase):
    def test_selected_files_are_foreseen_converted_and_saved(self) -> None:
        page = self.open("textures")
        page.get_by_title("Select the whole set").click()
        self.section("Selected file").get_by_role("button", name="Convert").click()
        plan = page.get_by_role("table", name="Plan")
        expect(plan.get_by_role("row")).to_have_count(3)
        expect(plan).to_contain_text("wall_basecolor_ACEScg.exr")
        expect(page.get_by_role("status").filter(has_text="2 files, up to")).to_be_visible()
        page.get_by_role("button", name="Convert 2 files").click()
        made = page.get_by_role("table", name="Converted files")
        expect(made.get_by_role("row").nth(1)).to_contain_text("wall_basecolor_ACEScg.exr")
        expect(self.section("Files")).to_contain_text("2 files are converted and read back")
        with page.expect_download() as download:
            page.get_by_role("link", name=re.compile("^Save 2 files")).click()
        packed = self.folder / "converted.zip"
        download.value.save_as(packed)
        with zipfile.ZipFile(packed) as archive:
            archive.extractall(self.folder / "unpacked")
        stored = read_pixels(self.folder / "files" / "wall_basecolor.png")
        expected = apply(space_processor(project_config(), SRGB, "ACEScg"), stored)
        found = read_pixels(self.folder / "unpacked" / "wall" / "wall_basecolor_ACEScg.exr")
        np.testing.assert_allclose(found, expected, atol=2**-12)
        page.get_by_role("button", name="Delete").click()
        expect(made).to_have_count(0)

    def test_a_normal_map_is_converted_with_green_flipped(self) -> None:
        up = normals(noise(5, (64, 64), 6))
        down = np.stack([up[..., 0], 1 - up[..., 1], up[..., 2]], axis=2)
        file = write(self.folder / "wall_normal.png", down, "uint16")
        add_texture(self.project, "wall/wall_normal.png", store_file(file, "wall_normal.png"))
        page = self.open("textures")
        page.get_by_text("wall_normal.png").first.click()
        self.section("Selected file").get_by_role("link", name="Convert with green flipped").click()
        plan = page.get_by_role("table", name="Plan")
        expect(plan).to_contain_text("wall_normal_green_up.png")
        expect(plan).to_contain_text("Its green is flipped, to point the other way.")
        expect(page.get_by_label("Flip green where it points down")).to_be_checked()
        page.get_by_role("button", name="Convert 1 file").click()
        expect(self.section("Files")).to_contain_text("1 file is converted and read back")
        made = Conversion.objects.get()
        np.testing.assert_allclose(read_pixels(made.folder / made.files.get().target), up, atol=1e-5)
        page.get_by_role("button", name="Use as textures").click()
        expect(self.section("Files")).to_contain_text("The project uses these files")
        self.open("textures")
        expect(page.get_by_text("wall_normal_green_up.png").first).to_be_visible()

    def test_what_cannot_be_is_said_and_a_map_kind_is_chosen(self) -> None:
        page = self.open("textures/convert")
        self.choose("Which files", "base colour maps (2)")
        expect(page.get_by_role("button", name="Convert 2 files")).to_be_enabled()
        page.get_by_label("Names").fill("{space}")
        expect(self.section("Files").get_by_role("alert")).to_contain_text("A name pattern holds {name}")

    def test_a_material_document_goes_out_and_is_compared(self) -> None:
        page = self.open("textures/convert")
        with page.expect_download() as download:
            page.get_by_role("link", name="MaterialX", exact=True).click()
        packed = self.folder / "materials.zip"
        download.value.save_as(packed)
        with zipfile.ZipFile(packed) as archive:
            self.assertIn("wall/wall.mtlx", archive.namelist())
            archive.extract("wall/wall.mtlx", self.folder)
        document = self.folder / "wall" / "wall.mtlx"
        document.write_text(document.read_text().replace("srgb_texture", "lin_rec709", 1))
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Compare a MaterialX document").click()
        chooser.value.set_files([document])
        table = page.get_by_role("table", name="Document and rules")
        expect(table.get_by_role("row").nth(1)).to_contain_text(f"The document reads it as {LINEAR_REC709}.")
        page.get_by_role("button", name="Close").click()
        expect(page.get_by_role("table", name="Plan")).to_be_visible()


class LongLists(BrowserTestCase):
    """A list of which just the parts in sight are fetched."""

    def row(self, page: Page, name: str):
        return page.get_by_role("row").filter(has_text=name)

    def setUp(self) -> None:
        super().setUp()
        image = self.project.textures.first().image
        paths = [f"show/rock{number:03}/rock{number:03}_{kind}.png" for number in range(200) for kind in ("col", "rgh")]
        add_textures(self.project, dict.fromkeys(paths, image))

    def test_it_is_scrolled_narrowed_and_chosen_from(self) -> None:
        page = self.open("textures")
        files = self.section("Files")
        every = self.project.textures.count()
        expect(files.get_by_role("status")).to_have_text(f"{every} files")
        expect(self.row(page, "rock000_col.png")).to_have_count(1)
        self.assertLess(page.get_by_role("row").count(), 60)
        grid = page.get_by_role("grid", name="Textures")
        expect(grid).to_have_attribute("aria-rowcount", str(every))
        last = page.get_by_role("row").last
        for _ in range(20):  # rows that were not measured yet may put the end further down
            grid.evaluate("grid => grid.parentElement.scrollTo(0, 1e6)")
            try:
                expect(last).to_contain_text("wall_roughness.png", timeout=2_000)
            except AssertionError:
                continue
            break
        expect(last).to_contain_text("wall_roughness.png")
        self.assertLess(page.get_by_role("row").count(), 60)

        page.get_by_label("Find a file").fill("rock150")
        expect(files.get_by_role("status")).to_have_text(f"2 of {every} files")
        self.row(page, "rock150_rgh.png").click()
        expect(self.section("Selected file").get_by_role("heading", level=2)).to_have_text("rock150_rgh.png")
        page.get_by_role("button", name="Show all").click()
        self.choose_filter("Map kind", re.compile("^roughness"))
        expect(files.get_by_role("status")).to_have_text(f"201 of {every} files")

        page.get_by_role("button", name="Select all").click()
        side = self.section("Selected file")
        expect(side.get_by_role("heading", level=2)).to_have_text("201 files selected")
        expect(side).to_contain_text("Raw200")
        form = page.get_by_role("form", name="Set all by hand")
        form.get_by_label("Set all to").first.click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        form.get_by_role("button", name="Set 201 files").click()
        expect(side).to_contain_text("ACEScg201")
        page.get_by_role("button", name="Undo").click()
        expect(side).to_contain_text("Raw200")
        self.assertEqual(self.project.textures.exclude(pin_space="").count(), 1)

    def choose_filter(self, label: str, option: re.Pattern[str]) -> None:
        self.page.get_by_label(label, exact=True).first.click()
        self.page.get_by_role("option", name=option).click()

    def test_shift_selects_beyond_what_is_fetched(self) -> None:
        page = self.open("textures")
        self.row(page, "rock000_col.png").click()
        page.get_by_role("grid", name="Textures").evaluate("grid => grid.parentElement.scrollTo(0, 1e6)")
        self.row(page, "wall_roughness.png").click(modifiers=["Shift"])
        wanted = self.project.readings.order_by("set_key", "path").filter(set_key__gte="show/rock000/rock000").count()
        heading = self.section("Selected file").get_by_role("heading", level=2)
        expect(heading).to_have_text(f"{wanted} files selected")

    def test_findings_come_some_at_a_time(self) -> None:
        pinned = self.project.textures.filter(path__contains="_rgh")
        pinned.update(pin_space=SRGB, version=F("version") + 1)
        page = self.open("textures")
        expect(page.get_by_role("button", name="Findings and jobs")).to_contain_text("blockers")
        page.keyboard.press("f")
        tray = page.get_by_role("dialog")
        tray.get_by_role("button", name=re.compile(r"Data read as colour \d+")).click()
        group = tray.get_by_role("region", name="Data read as colour")
        expect(group.get_by_role("article")).to_have_count(30)
        tray.get_by_role("button", name=re.compile("Show more of")).click()
        expect(group.get_by_role("article")).to_have_count(60)
