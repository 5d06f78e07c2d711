"""The main job from an empty database to a saved still and an exported config: by mouse, and by keyboard alone."""

import io
import re
import zipfile

from PIL import Image
from playwright.sync_api import Locator, expect

from saltwort.core.engine import ConfigArchive, load_config
from saltwort.server.outputs.models import Output
from saltwort.server.projects.models import Project
from tests.browser.base import BrowserTestCase
from tests.samples import light, write

MOST_TABS = 120


class WholeJob(BrowserTestCase):
    def _make_project(self) -> Project:
        write(self.folder / "files" / "wall_rough.png", light(32, 32, 1.0, 3), "uint8")
        write(self.folder / "files" / "dusk.exr", light(54, 96, 12.0), "half")
        return Project()

    def is_done(self) -> None:
        """The still is the render through the view that was chosen, and the config is the one that was decided."""
        project = Project.objects.get()
        self.assertEqual(project.current.setup["working_space"], "Linear Rec.2020")
        output = Output.objects.get()
        picture = Image.open(output.file)
        self.assertEqual((picture.size, picture.mode), ((96, 54), "RGB"))
        self.assertIsNotNone(output.facts)
        content = self.page.request.get(f"{self.live_server_url}/api/v1/projects/{project.slug}/export.zip").body()
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            name = next(name for name in packed.namelist() if name.endswith(".ocio"))
            config = load_config(ConfigArchive(packed.read(name).decode(), {}))
        self.assertEqual(config.getRoleColorSpace("scene_linear"), "Linear Rec.2020")
        self.assertEqual(config.getColorSpaceFromFilepath("wall_rough.png")[0], "Raw")

    def test_by_mouse(self) -> None:
        page = self.page
        self.visit("/")
        page.get_by_label("New project").fill("Night ferry")
        page.get_by_role("button", name="Create project").click()
        page.get_by_role("region", name="Next").get_by_role("link", name="Go there").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose files").click()
        chooser.value.set_files(str(self.folder / "files" / "wall_rough.png"))
        expect(page.get_by_role("row").filter(has_text="wall_rough.png")).to_contain_text("Raw")
        self.segment("Config").click()
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        self.segment("Compare").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a render").click()
        chooser.value.set_files(str(self.folder / "files" / "dusk.exr"))
        pane = page.get_by_role("figure", name="Pane 1")
        pane.locator("canvas, img").first.click(position={"x": 60, "y": 40})
        expect(page.get_by_role("table", name="Probe")).to_contain_text("Linear Rec.2020")
        self.segment("Outputs").click()
        page.get_by_role("button", name="New output").click()
        with page.expect_download() as saved:
            self.saving().click()
        self.assertTrue(saved.value.suggested_filename.endswith(".png"))
        self.segment("Config").click()
        with page.expect_download() as exported:
            page.get_by_role("link", name=re.compile(r"\.ocioz$")).click()
        self.assertTrue(exported.value.suggested_filename.endswith(".ocioz"))
        self.is_done()

    def saving(self) -> Locator:
        """What saves the file of an output."""
        return self.page.get_by_role("link", name=re.compile("^Save "))

    def tab_to(self, wanted: Locator) -> None:
        """Walk with Tab until the focus is on what is wanted."""
        expect(wanted.first).to_be_visible()
        for _ in range(MOST_TABS):
            self.page.keyboard.press("Tab")
            if wanted.first.evaluate("element => element === document.activeElement"):
                return
        self.fail("Tab does not lead there")

    def choose_by_key(self, button: Locator, file: str) -> None:
        """Walk to a button that opens the dialog for files, press it, and choose one."""
        self.tab_to(button)
        with self.page.expect_file_chooser() as chooser:
            # A key may reach the page before it knows that dialogs are answered here: let it answer something first.
            self.page.evaluate("1")
            expect(button.first).to_be_focused()
            self.page.keyboard.press("Enter")
        chooser.value.set_files(str(self.folder / "files" / file))

    def test_by_keyboard_alone_probe_included(self) -> None:
        page, press = self.page, self.page.keyboard.press
        self.visit("/")
        self.tab_to(page.get_by_label("New project"))
        page.keyboard.type("Night ferry")
        press("Enter")
        expect(page.get_by_role("heading", name="Next: Add textures")).to_be_visible()
        press("2")
        self.choose_by_key(page.get_by_role("button", name="Choose files"), "wall_rough.png")
        expect(page.get_by_role("row").filter(has_text="wall_rough.png")).to_contain_text("Raw")
        press("1")
        self.tab_to(page.get_by_role("radio", name="ACEScg"))
        for _ in range(2):
            press("ArrowDown")
        press("Enter")
        self.tab_to(self.proposed().get_by_role("button", name="Save as a revision"))
        press("Enter")
        expect(page.get_by_text("revision 2")).to_be_visible()
        press("4")
        self.choose_by_key(page.get_by_role("button", name="Import a render"), "dusk.exr")
        picture = page.get_by_role("figure", name="Pane 1").get_by_role("group", name=re.compile("arrow keys move"))
        self.tab_to(picture)
        for key in ("ArrowLeft", "Shift+ArrowLeft", "ArrowUp", "Shift+ArrowUp"):
            press(key)
        place = page.get_by_label("Probe x, pixels"), page.get_by_label("Probe y, pixels")
        for field, value in zip(place, ("37", "16"), strict=True):
            expect(field).to_have_value(value)
        press("Enter")
        expect(page.get_by_role("button", name="Remove the probe")).to_be_visible()
        self.assertEqual(len(Project.objects.get().comparison.probes), 1)
        self.tab_to(place[0])
        press("ArrowUp")
        expect(place[0]).to_have_value("38")
        press("Shift+ArrowDown")
        expect(place[0]).to_have_value("28")
        page.get_by_role("heading", name="Probe").focus()
        place[0].evaluate("element => element.blur()")
        press("6")
        self.tab_to(page.get_by_role("button", name="New output"))
        press("Enter")
        self.tab_to(
            page.get_by_role("link", name=re.compile("^Save ")).or_(
                page.get_by_role("button", name=re.compile("^Save "))
            )
        )
        with page.expect_download() as saved:
            press("Enter")
        self.assertTrue(saved.value.suggested_filename.endswith(".png"))
        press("1")
        self.tab_to(page.get_by_role("link", name=re.compile(r"\.ocioz$")))
        with page.expect_download() as exported:
            press("Enter")
        self.assertTrue(exported.value.suggested_filename.endswith(".ocioz"))
        self.is_done()
