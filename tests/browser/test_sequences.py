"""Sequences as an artist works with them: imported, played, delivered, with a missing and a broken frame."""

import io
import re
import zipfile
from pathlib import Path

from django.test import override_settings
from playwright.sync_api import Page, expect

from saltwort.core.deliverables.recipe import Recipe
from saltwort.core.images.video_reading import video_facts
from saltwort.server.outputs.models import Output
from saltwort.server.outputs.recipes import save_recipe
from tests.browser.base import BrowserTestCase
from tests.samples import light, write

MISSING, BROKEN, LAST = 1003, 1005, 1008
NAME = "harbour.####.exr"


class Sequences(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.shot = self.folder / "share" / "harbour"
        for number in range(1001, LAST + 1):
            if number != MISSING:
                self.write_frame(number)
        (self.shot / f"harbour.{BROKEN}.exr").write_bytes(b"no picture")
        allowed = override_settings(READABLE_FOLDERS=[self.folder / "share"])
        allowed.enable()
        self.addCleanup(allowed.disable)

    def write_frame(self, number: int) -> Path:
        return write(self.shot / f"harbour.{number}.exr", light(36, 64, seed=number), "half")

    def import_folder(self) -> Page:
        page = self.open("scene?part=renders")
        page.get_by_role("button", name="Import frames").click()
        page.get_by_role("menuitem", name="A folder, left where it is").click()
        form = page.get_by_role("form", name="Folder, left where it is")
        form.get_by_label("Folder on the machine").fill(str(self.shot))
        form.get_by_role("button", name="Read the folder").click()
        expect(page.get_by_role("button", name=re.compile("harbour"))).to_contain_text("frames 1001–1008")
        return page

    def download(self, name: str) -> Path:
        with self.page.expect_download() as saved:
            self.page.get_by_role("link", name=f"Save {name}").click()
        target = self.folder / saved.value.suggested_filename
        saved.value.save_as(target)
        return target

    def test_gaps_and_broken_frames_are_told_and_a_rescan_finds_what_came(self) -> None:
        page = self.import_folder()
        facts = self.section("Frames")
        expect(facts).to_contain_text("Missing: 1003")
        expect(facts).to_contain_text("1005: harbour.1005.exr")
        self.write_frame(MISSING)
        facts.get_by_role("button", name="Rescan").click()
        expect(facts.get_by_text("Missing")).to_have_count(0)
        page.keyboard.press("Escape")

    def test_frames_are_scrubbed_and_played_with_keys(self) -> None:
        page = self.import_folder()
        player = page.get_by_role("group", name=f"Player: {NAME}")
        status = player.get_by_role("status")
        expect(status).to_contain_text("6 of 6 loaded")
        expect(player.get_by_role("img", name="Frame 1001")).to_have_attribute("data-shown", "true")
        expect(player.get_by_alt_text("Waveform of the frame")).to_be_visible()
        player.focus()
        page.keyboard.press("ArrowRight")
        expect(status).to_contain_text("1002 ·")
        page.keyboard.press("End")
        expect(status).to_contain_text("1008 ·")
        page.keyboard.press("Home")
        slider = player.get_by_role("slider", name="Frame")
        slider.focus()
        for _ in range(2):
            page.keyboard.press("ArrowRight")
        expect(player).to_contain_text("Frame 1003 is missing.")
        for _ in range(2):
            page.keyboard.press("ArrowRight")
        expect(player.get_by_role("alert")).to_contain_text("harbour.1005.exr")
        player.focus()
        page.keyboard.press(" ")
        expect(player.get_by_role("button", name="Stop")).to_be_visible()
        expect(status).to_contain_text("1006 ·")
        page.keyboard.press(" ")
        expect(player.get_by_role("button", name="Play")).to_be_visible()

    def test_another_frame_is_looked_at(self) -> None:
        page = self.import_folder()
        player = page.get_by_role("group", name=f"Player: {NAME}")
        expect(player.get_by_role("status")).to_contain_text("6 of 6 loaded")
        player.focus()
        page.keyboard.press("End")
        player.get_by_role("button", name="Look at this frame").click()
        expect(self.section("Frames")).to_contain_text(re.compile("looked at.*1008"))

    def test_every_frame_is_made_and_then_the_rest(self) -> None:
        self.import_folder()
        page = self.open("outputs")
        self.choose("Render", NAME)
        self.choose("Frames", "all, 1001-1008")
        expected = page.get_by_role("status", name="What it will cost and lose")
        expect(expected).to_contain_text("8 files, at most")
        expect(expected).to_contain_text("Frames that are missing or cannot be read: 1003, 1005.")
        page.get_by_role("button", name="New output").click()
        facts = self.section("Selected output")
        expect(facts).to_contain_text("1001-1002, 1004, 1006-1008 (6 of 8)")
        expect(facts).to_contain_text("1003: harbour.####.exr has no frame 1003.")
        output = Output.objects.get()
        packed = zipfile.ZipFile(io.BytesIO(self.download(output.name).read_bytes()))
        self.assertEqual(len(packed.namelist()), 6 + 1)  # and the list of their hashes
        self.write_frame(MISSING)
        self.write_frame(BROKEN)
        self.open("scene?part=renders")
        page.get_by_role("button", name=re.compile("harbour")).click()
        self.section("Frames").get_by_role("button", name="Rescan").click()
        expect(self.section("Frames").get_by_text("Missing")).to_have_count(0)
        self.open("outputs")
        page.get_by_role("button", name="Make the other 2").click()
        expect(facts).to_contain_text("1001-1008 (8 of 8)")
        expect(page.get_by_role("button", name="Make the other 2")).to_have_count(0)

    def test_a_range_that_cannot_be_is_marked_at_its_field(self) -> None:
        self.import_folder()
        page = self.open("outputs")
        self.choose("Render", NAME)
        self.choose("Frames", "a range")
        page.get_by_label("Range").fill("9-3")
        page.get_by_role("button", name="New output").click()
        expect(page.get_by_role("form", name="New output")).to_contain_text("runs backwards")

    def test_a_video_with_slate_is_shown_and_verified(self) -> None:
        self.import_folder()
        page = self.open("outputs")
        self.choose("Kind of output", "Video")
        self.choose("Render", NAME)
        page.get_by_role("button", name="More settings").click()
        self.choose("Missing and broken frames", "hold the frame before")
        page.get_by_role("switch", name="Slate").check(force=True)
        page.get_by_role("button", name="New output").click()
        facts = self.section("Selected output")
        expect(facts).to_contain_text("says the same", timeout=60_000)
        expect(facts).to_contain_text("1003, 1005")
        output = Output.objects.get()
        self.assertEqual(video_facts(output.file).frames, 24 + 8)
        expect(facts.locator("video")).to_have_count(1)
        page.get_by_role("button", name="Verify a file").click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose a file to verify").click()
        chooser.value.set_files(self.download(output.name))
        verified = page.get_by_role("group", name=re.compile("^Verified"))
        expect(verified).to_contain_text("Nothing speaks against it.", timeout=60_000)
        recipe = Recipe("Film", "movie", (("gaps", "hold"), ("slate", "yes")))
        save_recipe(self.project, self.current().current.number, recipe)
        self.reload()
        self.choose("Against", "Film")
        self.choose("Made of", NAME)
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose a file to verify").click()
        chooser.value.set_files(self.download(output.name))
        expect(page.get_by_role("group", name=re.compile("^Verified"))).to_contain_text(
            "Nothing speaks against it.", timeout=60_000
        )

    def test_files_that_were_chosen_become_a_sequence(self) -> None:
        page = self.open("scene?part=renders")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a render").click()
        chooser.value.set_files([file for file in sorted(self.shot.glob("*.exr")) if str(BROKEN) not in file.name])
        expect(page.get_by_role("button", name=re.compile("harbour"))).to_contain_text("frames 1001–1008")
        expect(self.section("Frames")).to_contain_text("Missing: 1003, 1005")
        expect(self.section("Frames").get_by_role("button", name="Rescan")).to_have_count(0)


class Hdr(BrowserTestCase):
    def test_an_hdr_view_is_judged_on_this_screen(self) -> None:
        page = self.open("outputs")
        self.choose("Display", "Rec.2100-PQ")
        self.choose("View", "ACES 2.0 - HDR 1000 nits (P3 D65)")
        judged = self.section("HDR on a screen without it")
        light_of = judged.get_by_role("table", name="Light of the picture")
        expect(light_of).to_contain_text("1000 cd/m²")
        expect(judged.get_by_role("list", name="Bands")).to_contain_text("100 to 203")
        self.choose("Right picture", "A telephone of 600 cd/m²")
        expect(judged).to_contain_text("BT.2390")
        expect(judged.get_by_alt_text("A telephone of 600 cd/m²")).to_be_visible()
        with page.expect_download() as saved:
            judged.get_by_role("link", name="Save an HDR PNG").click()
        content = Path(saved.value.path()).read_bytes()
        self.assertIn(b"cICP\x09\x10\x00\x01", content)
        self.choose("Display", "sRGB")
        expect(judged).to_have_count(0)
