"""Files of every kind dropped on the window, on whatever page."""

import io
import re
import zipfile
from pathlib import Path

import numpy as np
from django.core.management import call_command
from playwright.sync_api import Locator, expect

from saltwort.core.images import write_image
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.proving import card_of
from saltwort.server.projects.models import Project
from tests.browser.base import BrowserTestCase
from tests.samples import base_text, light, write

CUBE = b"LUT_3D_SIZE 2\n" + b"".join(b"%d %d %d\n" % (r, g, b) for b in (0, 1) for g in (0, 1) for r in (0, 1))
CDL = (
    b'<ColorCorrection id="dusk"><SOPNode><Slope>1.1 1 0.9</Slope><Offset>0 0 0</Offset><Power>1 1 1</Power>'
    b"</SOPNode><SatNode><Saturation>1</Saturation></SatNode></ColorCorrection>"
)
MATERIAL = b"""<?xml version="1.0"?>
<materialx version="1.39"><nodegraph name="wall"><image name="col" type="color3">
<input name="file" type="filename" value="wall/wall_basecolor.png" colorspace="lin_rec709"/>
</image></nodegraph></materialx>"""


class Dropped(BrowserTestCase):
    def drop(self, *files: tuple[str, bytes], step: str = "config") -> None:
        self.open(step)
        self.drop_on_page(*files)

    def picture(self, name: str, sample_type: str = "uint8") -> tuple[str, bytes]:
        file = write(self.folder / "files" / name, light(32, 32, 1.0, 7), sample_type)
        return name, file.read_bytes()

    def question(self) -> Locator:
        return self.page.get_by_role("dialog", name=re.compile("What (is|are)"))

    def test_pictures_are_asked_what_they_are(self) -> None:
        self.drop(self.picture("floor_nrm.png"))
        expect(self.question()).to_contain_text("What is floor_nrm.png?")
        self.question().get_by_role("button", name="A texture").click()
        expect(self.page).to_have_url(re.compile("/textures$"))
        expect(self.page.get_by_role("row").filter(has_text="floor_nrm.png")).to_contain_text("Raw")

        self.drop(self.picture("noon.exr", "half"), step="outputs")
        self.question().get_by_role("button", name="A render").click()
        expect(self.page).to_have_url(re.compile("/compare"))
        render = self.page.get_by_role("textbox", name="Render").or_(self.page.get_by_role("combobox", name="Render"))
        expect(render.first).to_have_value("noon.exr")

        self.drop(self.picture("comp.png"), step="handoffs")
        self.question().get_by_role("button", name="A picture to compare").click()
        expect(self.page).to_have_url(re.compile("/compare$"))
        expect(self.page.get_by_role("figure", name="Pane 2")).to_contain_text("comp.png")
        panes = Project.objects.get().comparison.panes
        self.assertEqual(panes[1]["render"], self.project.renders.get(name="comp.png").pk)

    def test_a_picture_that_came_back_is_explained(self) -> None:
        self.drop(self.picture("odd.png"), step="compare")
        self.question().get_by_role("button", name="It came back from an application").click()
        expect(self.page).to_have_url(re.compile("/handoffs$"))
        answer = self.page.get_by_role("group", name="Explanation of odd.png")
        expect(answer).to_contain_text("beside dusk.exr", timeout=60_000)
        expect(answer.get_by_role("figure").first).to_contain_text("As it came: odd.png")

    def test_a_test_card_finds_its_application(self) -> None:
        station = Station.objects.select_related("project__current").get(project=self.project, name="Compositor")
        card = card_of(station)
        file = self.folder / "screen.png"
        write_image(file, np.clip(card.bench.agreed().shown(card.picture())[..., :3], 0, 1), "uint8")
        self.drop((file.name, file.read_bytes()), step="compare")
        self.question().get_by_role("button", name="A test card that came back").click()
        expect(self.page).to_have_url(re.compile("/handoffs$"))
        expect(self.page.get_by_role("group", name="Answer to screen.png")).to_contain_text("As agreed")

    def test_several_textures_at_once_and_in_textures_without_asking(self) -> None:
        self.drop(self.picture("floor_nrm.png"), self.picture("floor_rough.png"))
        self.question().get_by_role("button", name="A texture").click()
        expect(self.page.get_by_role("row").filter(has_text="floor_rough.png")).to_contain_text("Raw")
        self.drop(self.picture("roof_nrm.png"), step="textures")
        expect(self.page.get_by_role("row").filter(has_text="roof_nrm.png")).to_contain_text("Raw")
        expect(self.question()).to_have_count(0)

    def test_a_config_a_lut_and_a_look(self) -> None:
        self.drop(("own.ocio", base_text().encode()), step="outputs")
        expect(self.page).to_have_url(re.compile("/config$"))
        expect(self.proposed()).to_contain_text("Base config own.ocio")
        self.proposed().get_by_role("button", name="Drop").click()
        self.drop(("dusk.cube", CUBE), step="textures")
        expect(self.page.get_by_role("form", name="New look").get_by_label("Name")).to_have_value("dusk")
        self.page.get_by_role("button", name="Cancel").click()
        self.drop(("dusk.cc", CDL), step="compare")
        expect(self.proposed()).to_contain_text("Looks of dusk.cc added")

    def test_zips_are_asked_what_is_in_them(self) -> None:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as written:
            written.writestr("config.ocio", base_text())
        self.drop(("show.zip", packed.getvalue()))
        self.question().get_by_role("button", name="A config with its LUTs").click()
        expect(self.proposed()).to_contain_text("Base config show.zip")
        self.proposed().get_by_role("button", name="Drop").click()
        bundle = self.folder / "quay.zip"
        call_command("bundle", project="quay", output=bundle, stdout=io.StringIO())
        self.drop(("quay.zip", bundle.read_bytes()), step="scene")
        self.question().get_by_role("button", name="A project bundle").click()
        expect(self.page).to_have_url(re.compile("/p/quay-2"), timeout=60_000)
        with zipfile.ZipFile(packed := io.BytesIO(), "w") as written:
            written.writestr("floor_nrm.png", Path(self.folder / "files" / "wall_basecolor.png").read_bytes())
        self.drop(("maps.zip", packed.getvalue()))
        self.question().get_by_role("button", name="Textures").click()
        expect(self.page.get_by_role("row").filter(has_text="floor_nrm.png")).to_be_visible()

    def test_a_material_document_and_colours(self) -> None:
        self.drop(("wall.mtlx", MATERIAL))
        expect(self.page.get_by_role("table", name="Document and rules")).to_contain_text("wall/wall_basecolor.png")
        self.drop(("colours.csv", b"name,unit,text,space\ntar,8-bit,12 12 14,sRGB Encoded Rec.709 (sRGB)\n"))
        expect(self.section("Colours")).to_contain_text("tar")

    def test_what_nothing_takes_is_told_with_what_is_taken(self) -> None:
        self.drop(("notes.docx", b"words"))
        expect(self.page.get_by_text("Nothing here takes this file")).to_be_visible()
        expect(self.page.get_by_text("Drop a picture (.exr .png")).to_be_visible()
        self.drop(("own.ocio", b"{"), self.picture("floor_nrm.png"))
        expect(self.page.get_by_text("Drop files of one kind at a time")).to_be_visible()
        self.drop(("broken.ocio", b"{"))
        expect(self.page.get_by_text("Could not save")).to_be_visible()
        self.assertEqual(Project.objects.get().current.number, 1)
