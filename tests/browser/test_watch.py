"""The night watch: a folder is named, frames land, and what is wrong leads to the frame."""

import os
import time
from pathlib import Path

import numpy as np
from django.test import override_settings
from playwright.sync_api import expect

from saltwort.core.engine import apply, view_processor
from saltwort.server.management.commands.frame_watcher import look_once, watched_now
from saltwort.server.projects.setups import config_of
from saltwort.server.watching.watch import Watch
from tests.browser.base import BrowserTestCase
from tests.made_night import frame_light, write_frame
from tests.samples import ACES_SDR

VIEW_BAKED, POPS, MISSING = 1006, 1010, 1013


class NightWatch(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.frames = self.folder / "night"
        self.frames.mkdir()
        allowed = override_settings(READABLE_FOLDERS=(self.folder,))
        allowed.enable()
        self.addCleanup(allowed.disable)

    def land(self, first: int, last: int) -> None:
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        for number in range(first, last + 1):
            light = frame_light(number)
            if number == VIEW_BAKED:
                light = apply(view, light)
            if number == POPS:
                light = light * np.float32(1.7)
            if number != MISSING:
                path: Path = write_frame(self.frames, number, light)
                os.utime(path, (time.time() - 60,) * 2)
        for folder in watched_now():
            look_once(Watch(folder, quiet=5.0))

    def test_from_an_empty_folder_to_the_frame_that_is_wrong(self) -> None:
        page = self.open("handoffs")
        page.get_by_role("radiogroup", name="What is shown").get_by_text("Night watch", exact=True).click()
        expect(page.get_by_text("No folder is watched yet")).to_be_visible()
        page.get_by_role("button", name="Watch a folder").click()
        form = page.get_by_role("form", name="Folder to watch")
        field = form.get_by_label("Folder on the machine that runs Saltwort")
        field.fill("/etc")
        form.get_by_role("button", name="Watch it").click()
        expect(form).to_contain_text("outside the folders")
        field.fill(str(self.frames))
        field.press("Enter")
        expect(page.get_by_text("No frame has landed yet")).to_be_visible()
        self.land(1001, 1016)
        frames = page.get_by_role("region", name="beauty", exact=True)
        expect(frames.get_by_role("status")).to_have_text("15 frames, 2 not good, 1 missing")
        expect(page.get_by_role("img", name="13 good, 1 to look at, 1 wrong, 1 missing")).to_be_visible()
        frames.get_by_role("list", name="What is wrong").get_by_role("button", name=str(VIEW_BAKED)).click()
        looked = page.get_by_role("group", name=f"Frame {VIEW_BAKED}")
        expect(looked).to_contain_text("frame.view-baked")
        expect(looked.get_by_role("img")).to_be_visible()
        self.assertIn(f"frame=beauty.{VIEW_BAKED}.exr", page.url)
        # By the keyboard along the frames, and back by a link.
        curves = page.get_by_role("group", name="Frames of beauty")
        curves.focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("group", name=f"Frame {VIEW_BAKED + 1}")).to_contain_text("It is good.")
        page.keyboard.press("End")
        expect(page.get_by_role("group", name="Frame 1016")).to_be_visible()
        page.goto(page.url.replace("1016", str(POPS)))
        expect(page.get_by_role("group", name=f"Frame {POPS}")).to_contain_text("stops brighter")

    def test_pausing_removing_and_undo(self) -> None:
        page = self.open("handoffs")
        page.get_by_role("radiogroup", name="What is shown").get_by_text("Night watch", exact=True).click()
        page.get_by_role("button", name="Watch a folder").click()
        page.get_by_label("Folder on the machine that runs Saltwort").fill(str(self.frames))
        page.get_by_role("button", name="Watch it").click()
        page.get_by_role("button", name="Pause").click()
        expect(page.get_by_text("watching is paused")).to_be_visible()
        self.assertFalse(watched_now().exists())
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_role("button", name="Pause")).to_be_visible()
        page.get_by_role("button", name="Remove", exact=True).click()
        expect(page.get_by_text("No folder is watched yet")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("heading", name="night")).to_be_visible()
