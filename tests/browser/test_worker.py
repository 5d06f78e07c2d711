"""Work that takes a while, with the real server and its worker: its progress is seen, and it is cancelled."""

import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any
from unittest import TestCase

from django.conf import settings
from playwright.sync_api import expect

from tests.api.test_serve import free_port
from tests.browser.chromium import browser
from tests.samples import light, write

FILES = 1200
FRAMES = 400
PATIENCE = 240
START = "/api/v1/projects/lantern-quay"


class RealWorker(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        first = write(cls.folder / "show" / "wall_0000_basecolor.png", light(128, 128, 1.0), "uint8")
        for number in range(1, FILES):
            shutil.copy(first, first.with_name(f"wall_{number:04}_basecolor.png"))
        port = free_port()
        cls.address = f"http://127.0.0.1:{port}"
        environment = {**os.environ, "SALTWORT_VAR": str(cls.folder / "var"), "SALTWORT_FOLDERS": str(cls.folder)}
        server = subprocess.Popen(
            [sys.executable, "manage.py", "serve", "--port", str(port)],
            cwd=settings.BASE_DIR,
            env=environment,
            stdout=subprocess.DEVNULL,
        )
        cls.addClassCleanup(server.wait, 60)
        cls.addClassCleanup(server.terminate)
        cls.wait_for(lambda: not any(job["state"] in ("queued", "running") for job in cls.get(f"{START}/jobs")))
        cls.page = browser().new_page(viewport={"width": 1280, "height": 800})
        cls.addClassCleanup(cls.page.close)

    @classmethod
    def get(cls, path: str) -> Any:
        with urllib.request.urlopen(f"{cls.address}{path}", timeout=60) as answer:
            return json.loads(answer.read())

    @classmethod
    def wait_for(cls, true: Any) -> None:
        deadline = time.monotonic() + PATIENCE
        while True:
            try:
                if true():
                    return
            except OSError:
                pass
            assert time.monotonic() < deadline, "it took too long"
            time.sleep(0.3)

    @classmethod
    def post(cls, path: str, **data: Any) -> Any:
        headers = {"Content-Type": "application/json"}
        request = urllib.request.Request(f"{cls.address}{path}", json.dumps(data).encode(), headers)
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.loads(answer.read())

    def test_a_video_that_is_cancelled_leaves_no_file(self) -> None:
        first = write(self.folder / "shot" / "pan.0001.exr", light(270, 480), "half")
        for number in range(2, FRAMES + 1):
            shutil.copy(first, first.with_name(f"pan.{number:04}.exr"))
        self.post(f"{START}/renders/sequences", place=str(self.folder / "shot"))
        self.wait_for(lambda: self.get(f"{START}/renders")[-1]["sequence"]["read"] == FRAMES)
        page = self.page
        page.goto(f"{self.address}/p/lantern-quay/outputs")
        for label, option in (("Kind of output", "Video"), ("Render", "pan.####.exr"), ("Codec", "AV1, 10-bit 4:2:0")):
            page.get_by_role("combobox", name=label, exact=True).or_(
                page.get_by_role("textbox", name=label, exact=True)
            ).first.click(timeout=60_000)
            page.get_by_role("option", name=option, exact=True).click()
        page.get_by_role("button", name="New output").click()
        facts = page.get_by_role("region", name="Selected output")
        expect(facts.get_by_text(re.compile(rf"Frame \d+ of {FRAMES}"))).to_be_visible(timeout=60_000)
        facts.get_by_role("button", name="Cancel").click()
        expect(facts.get_by_text("cancelled").first).to_be_visible(timeout=60_000)
        output = self.get(f"{START}/outputs")[0]
        self.assertFalse(output["done"])
        self.assertEqual(list((self.folder / "var" / "media" / "outputs" / str(output["id"])).glob("*")), [])

    def test_progress_is_seen_and_cancelling_keeps_what_is_in(self) -> None:
        page = self.page
        page.goto(f"{self.address}/p/lantern-quay/textures")
        before = self.get(f"{START}/textures?limit=1")["every"]
        page.get_by_role("button", name="Add files").click(timeout=60_000)
        page.get_by_role("menuitem", name="A folder, left where it is").click()
        form = page.get_by_role("form", name="Folder, left where it is")
        form.get_by_label("Folder on the machine").fill(str(self.folder / "show"))
        form.get_by_role("button", name="Read the folder").click()
        page.keyboard.press("Escape")
        page.locator("body").press("f")
        tray = page.get_by_role("dialog", name="Findings and jobs")
        said = tray.get_by_text(re.compile(r"[1-9][\d,]* of 1,200 files"))
        expect(said.first).to_be_visible(timeout=60_000)
        tray.get_by_role("button", name="Cancel").first.click()
        expect(tray.get_by_text("cancelled").first).to_be_visible(timeout=60_000)
        self.wait_for(lambda: self.get(f"{START}/jobs")[0]["state"] == "cancelled")
        self.wait_for(lambda: self.get(f"{START}/textures?limit=1")["unchecked"] == 0)
        now = self.get(f"{START}/textures?limit=1")["every"]
        self.assertTrue(before < now < before + FILES, (before, now))
        job = next(job for job in self.get(f"{START}/jobs") if job["state"] == "cancelled")
        self.assertRegex(job["message"], rf"{now - before:,} files? (is|are) in")
