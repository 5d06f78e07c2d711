"""Watched folders: each frame that lands is looked at once, what is wrong stops a farm, and a crash loses nothing."""

import io
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import redirect_stderr
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
from django.conf import settings
from django.core.management import call_command
from django.test import override_settings

from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.images import write_image
from saltwort.server.management.commands.frame_watcher import look_once, watched_now
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of
from saltwort.server.watching.models import WatchedFolder
from saltwort.server.watching.watch import Watch
from tests.api.test_commands import CommandTestCase
from tests.made_frames import frames_config, light_of
from tests.made_night import frame_light, mistakes, write_frame
from tests.samples import ACES_SDR, LINEAR_REC709, UNTONED, write
from tests.server import ServerTestCase

NIGHT, START = 500, 1001
STILL = time.time() - 60
"""When files were written that nobody is writing any more."""


def settled(path: Path) -> Path:
    os.utime(path, (STILL, STILL))
    return path


class Screen(ServerTestCase):
    """What the screen asks, and the watcher beside the server does."""

    def setUp(self) -> None:
        super().setUp()
        self.frames = self.folder / "frames"
        self.frames.mkdir()
        allowed = override_settings(READABLE_FOLDERS=(self.folder,))
        allowed.enable()
        self.addCleanup(allowed.disable)

    def land(self, *numbers: int, change: Any = None) -> None:
        for number in numbers:
            light = frame_light(number)
            settled(write_frame(self.frames, number, change(light) if change else light))

    def watch(self, **more: Any) -> dict[str, Any]:
        made: dict[str, Any] = self.tell("post", "/watched", 201, folder=str(self.frames), **more)
        return made

    def look(self) -> None:
        for folder in watched_now():
            look_once(Watch(folder, quiet=5.0))

    def codes(self) -> list[str]:
        return [one["code"] for one in self.findings() if one["code"].startswith("frame.")]

    def test_from_the_first_look_to_the_last(self) -> None:
        made = self.watch()
        self.assertEqual((made["name"], made["is_on"], made["looked"]), ("frames", True, None))
        self.land(1, 2, 3, 5)
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        self.land(4, change=lambda light: apply(view, light))
        self.land(8)
        self.look()
        series = self.ask(f"/watched/{made['id']}/frames")[0]
        states = {frame["number"]: frame["state"] for frame in series["frames"]}
        self.assertEqual(states, {1: "good", 2: "good", 3: "good", 4: "blocker", 5: "good", 8: "good"})
        self.assertEqual(series["missing"], [6, 7])
        self.assertEqual(self.codes(), ["frame.view-baked", "frame.missing"])
        wrong = next(one for one in self.findings() if one["code"] == "frame.view-baked")
        self.assertIn("Frame 4", wrong["why"])
        self.assertIsNotNone(self.ask("/watched")[0]["looked"])
        shown = self.ask(f"/watched/{made['id']}/picture", name="beauty.0004.exr")
        self.assertTrue(shown.startswith(b"\x89PNG"))
        self.ask(f"/watched/{made['id']}/picture", 404, name="../frames/beauty.0004.exr")
        page = self.ask(f"/watched/{made['id']}/summary").decode()
        self.assertIn("beauty.0004.exr", page)
        self.assertIn("Missing: 6-7", page)
        # Rendered again, it is good.
        self.land(4, 6, 7)
        os.utime(self.frames / "beauty.0004.exr", (STILL + 5, STILL + 5))
        self.look()
        self.assertEqual(self.codes(), [])

    def test_a_light_that_pops_a_header_and_what_is_no_picture(self) -> None:
        self.watch()
        self.land(*range(1, 8), *range(9, 14))
        self.land(8, change=lambda light: light * np.float32(1.6))
        settled_bad = self.frames / "beauty.0014.exr"
        settled_bad.write_bytes(b"no picture at all")
        old = time.time() - 3600
        os.utime(settled_bad, (old, old))
        self.look()
        self.assertEqual(self.codes(), ["frame.unreadable", "frame.exposure-jump"])

    def test_pictures_are_held_to_their_view_and_to_a_render(self) -> None:
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        made = self.watch(expects_light=False)
        self.assertEqual(made["expected"], "the project's view")
        for number in range(1, 5):
            codes = frame_light(number) if number == 3 else apply(view, frame_light(number))
            settled(write_frame(self.frames, number, np.clip(codes, 0, 1), sample="uint8"))
        self.look()
        self.assertEqual(self.codes(), ["frame.without-view"])

    def test_frames_of_before_a_change_of_the_working_space(self) -> None:
        self.watch()
        self.land(1, 2)
        self.look()
        to_new = space_processor(config_of(self.project.current), "ACEScg", LINEAR_REC709)
        change_setup(self.project, 1, "another", lambda setup: replace(setup, working_space=LINEAR_REC709))
        self.land(3, change=lambda light: apply(to_new, light))
        self.land(4)
        self.look()
        self.assertEqual(self.codes(), ["frame.other-revision"])
        (told,) = [one["why"] for one in self.findings() if one["code"] == "frame.other-revision"]
        self.assertIn("Frame 4", told)
        self.assertIn("revision 1", told)

    def test_resting_going_on_removing_and_undo(self) -> None:
        made = self.watch()
        rests = self.tell("put", f"/watched/{made['id']}", is_on=False, based_on=made["version"])
        self.assertEqual(list(watched_now()), [])
        self.tell("put", f"/watched/{made['id']}", 409, is_on=True, based_on=made["version"])
        self.tell("put", f"/watched/{made['id']}", is_on=True, based_on=rests["version"])
        self.tell("delete", f"/watched/{made['id']}", 204)
        self.assertEqual(self.ask("/watched"), [])
        self.tell("post", "/undo", based_on=self.ask()["undo"]["id"])
        self.assertEqual([one["id"] for one in self.ask("/watched")], [made["id"]])

    def test_refusals(self) -> None:
        self.watch()
        for words, folder, more in (
            ("watched already", self.frames, {}),
            ("outside", Path("/etc"), {}),
            ("no folder", self.folder / "none", {}),
            ("no view", self.folder, {"expects_light": False, "display": "Nowhere", "view": "None"}),
        ):
            with self.subTest(words):
                self.tell("post", "/watched", 400, folder=str(folder), **more)

    def test_a_folder_that_goes_is_told(self) -> None:
        self.watch()
        self.frames.rmdir()
        self.look()
        self.assertIn("no folder", self.ask("/watched")[0]["error"])


class OwnRenders(ServerTestCase):
    """Frames beside the renders they were made of: what Explain finds in one is told of it."""

    def setUp(self) -> None:
        super().setUp()
        self.frames, self.shot = self.folder / "frames", self.folder / "shot"
        self.frames.mkdir()
        self.shot.mkdir()
        allowed = override_settings(READABLE_FOLDERS=(self.folder,))
        allowed.enable()
        self.addCleanup(allowed.disable)

    def notes(self, made: dict[str, Any]) -> dict[str, list[list[str]]]:
        for folder in watched_now():
            look_once(Watch(folder, quiet=5.0))
        return {
            frame["name"]: [[note["code"], note["why"]] for note in frame["notes"]]
            for series in self.ask(f"/watched/{made['id']}/frames")
            for frame in series["frames"]
        }

    def test_each_frame_of_a_sequence_is_explained(self) -> None:
        lights = {number: frame_light(number) for number in range(1, 9)}
        for number, light in lights.items():
            if number != 8:
                write_frame(self.shot, number, light)
        (render,) = self.tell("post", "/renders/sequences", 201, place=str(self.shot))
        self.do_jobs()
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        mixed = np.array([[0.9, 0.1, 0], [0.05, 0.9, 0.05], [0, 0.1, 0.9]], np.float32)
        brighter = lights[3].copy()
        brighter[:, : brighter.shape[1] // 3] *= 2
        shown = {
            1: lights[1],
            2: np.clip(lights[2], None, 1),
            3: brighter,
            4: np.ascontiguousarray(lights[4] @ mixed.T),
            5: np.ascontiguousarray(lights[5][::-1, ::-1]),
            6: lights[6] * np.float32(1.2),
            7: light_of(31)[::2, ::2, :3],
            8: lights[8],
        }
        made = self.watch(render["id"])
        for number, light in shown.items():
            settled(write_frame(self.frames, number, np.clip(apply(view, light), 0, 1), sample="uint16"))
        told = {int(name.split(".")[1]): [code for code, _ in notes] for name, notes in self.notes(made).items()}
        self.assertEqual(
            told,
            {
                1: [],
                2: ["frame.clipped"],
                3: ["frame.differs-in-places"],
                4: ["frame.changed"],
                5: ["frame.changed"],
                6: ["frame.changed"],
                7: ["frame.another-image"],
                8: [],
            },
        )
        levels = {one["code"]: one["level"] for one in self.findings() if one["code"].startswith("frame.")}
        self.assertEqual(set(levels.values()), {"blocker"})

    def test_a_still_is_held_beside_the_file_without_a_number(self) -> None:
        light = light_of(2)[::2, ::2, :3]
        render = self.send("/renders", write(self.folder / "still.exr", np.ascontiguousarray(light), "float"))["id"]
        damaged = light.copy()
        damaged[20:24, 30:34] = 0
        made = self.watch(render)
        view = view_processor(config_of(self.project.current), "ACEScg", ACES_SDR)
        for name, each in (("right", light), ("damaged", damaged)):
            path = self.frames / f"{name}.png"
            write_image(path, np.clip(apply(view, np.ascontiguousarray(each)), 0, 1), "uint8")
            settled(path)
        told = self.notes(made)
        self.assertEqual(told["right.png"], [])
        ((code, why),) = told["damaged.png"]
        self.assertEqual(code, "frame.differs-in-places")
        self.assertIn("16 pixels", why)

    def test_numbers_without_a_display_do_not_stop_it(self) -> None:
        light = np.ascontiguousarray(light_of(2)[::2, ::2, :3])
        render = self.send("/renders", write(self.folder / "still.exr", light, "float"))["id"]
        made = self.watch(render, display="sRGB - Display", view="Raw")
        settled(write(self.frames / "raw.png", np.clip(light, 0, 1), "uint8"))
        self.assertIn("raw.png", self.notes(made))

    def watch(self, render: int, **view: str) -> dict[str, Any]:
        asked = {"folder": str(self.frames), "expects_light": False, "render": render, **view}
        made: dict[str, Any] = self.tell("post", "/watched", 201, **asked)
        return made


class Watching(CommandTestCase):
    """The command, on what is there."""

    def setUp(self) -> None:
        super().setUp()
        self.frames = self.folder / "night"
        self.frames.mkdir()
        self.summary = self.folder / "summary.html"

    def watched(self, *more: object) -> tuple[list[dict[str, Any]], int]:
        """What it says of each frame, and its exit code."""
        out, status = io.StringIO(), 0
        arguments = ["watch", self.frames, "--project", "quay", "--summary", self.summary, *more]
        with redirect_stderr(io.StringIO()):
            try:
                call_command(*map(str, arguments), stdout=out)
            except SystemExit as ended:
                status = int(ended.code or 0)
        return [json.loads(line) for line in out.getvalue().splitlines()], status

    def night(self, count: int) -> dict[int, str]:
        """Frames with a mistake of each kind among them, far from each other: their codes by number."""
        made = list(mistakes(config_of(self.project.current)).values())
        wrong = {START + 20 + place * 9: each for place, each in enumerate(made)}
        for number in range(START, START + count):
            light = frame_light(number)
            settled(write_frame(self.frames, number, wrong[number][1](light) if number in wrong else light))
        return {number: code for number, (code, _) in wrong.items()}

    def test_a_mistake_of_every_kind_and_no_false_alarm(self) -> None:
        wrong = self.night(120)
        told, status = self.watched("--once", "--keep-going")
        self.assertEqual(status, 1)
        last = {one["frame"]: [note["code"] for note in one["notes"]] for one in told}
        self.assertEqual({frame: codes[0] for frame, codes in last.items() if codes}, wrong)
        self.assertEqual(len(last), 120)
        page = self.summary.read_text()
        self.assertTrue(all(code in page for code in wrong.values()))
        # A second one has nothing more to tell, and says so by its exit code: these were told.
        self.assertEqual(self.watched("--once", "--keep-going"), ([], 0))

    def test_the_first_wrong_frame_stops_it(self) -> None:
        wrong = self.night(60)
        stop = self.folder / "stop"
        told, status = self.watched("--once", "--stop-file", stop)
        first = min(number for number, code in wrong.items() if code != "frame.non-finite")
        self.assertEqual((status, told[-1]["frame"], told[-1]["state"]), (1, first, "blocker"))
        self.assertIn(f"beauty.{first}.exr", stop.read_text())
        self.refused_command("remove it", "watch", self.frames, "--project", "quay", "--stop-file", stop)
        stop.unlink()
        again, _ = self.watched("--once", "--stop-file", stop)
        self.assertEqual(again[0]["frame"], first + 1)

    def test_a_view_may_be_expected_and_frames_asked_for(self) -> None:
        view = view_processor(config_of(self.project.current), "ACEScg", UNTONED)
        for number in range(1, 4):
            settled(write_frame(self.frames, number, np.clip(apply(view, frame_light(number)), 0, 1), sample="uint8"))
        told, status = self.watched(
            "--expect", f"{UNTONED.display}/{UNTONED.view}", "--frames", "1-3", "--every", "0.2"
        )
        self.assertEqual((status, [one["state"] for one in told]), (0, ["good"] * 3))

    def test_refusals(self) -> None:
        project = ("--project", "quay")
        self.refused_command("no folder", "watch", self.folder / "none", *project)
        self.refused_command("no display and view", "watch", self.frames, *project, "--expect", "None")
        self.refused_command("no render", "watch", self.frames, *project, "--render", "none")
        self.refused_command("every so many seconds", "watch", self.frames, *project, "--every", "0")
        self.refused_command("no range", "watch", self.frames, *project, "--frames", "a-b")


MAKE = """
from django.core.management import call_command
call_command("migrate", verbosity=0)
from saltwort.server.projects.operations import create_project
create_project("Quay")
"""


class Night(TestCase):
    """A whole night in processes of its own: files that grow, and an end without warning."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.frames = self.folder / "night"
        self.frames.mkdir()
        self.environment = {**os.environ, "SALTWORT_VAR": str(self.folder / "var")}
        subprocess.run(
            [sys.executable, "manage.py", "shell", "--no-imports", "-c", MAKE],
            cwd=settings.BASE_DIR,
            env=self.environment,
            check=True,
        )

    def start(self, *more: str) -> "subprocess.Popen[str]":
        process = subprocess.Popen(
            [sys.executable, "manage.py", "watch", str(self.frames), "--project", "quay", "--every", "0.4", *more],
            cwd=settings.BASE_DIR,
            env=self.environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        return process

    def test_five_hundred_frames_a_kill_and_files_that_grow(self) -> None:
        made = list(mistakes(frames_config()).values())  # type: ignore[arg-type]
        wrong = {START + 15 + place * 40: made[place % len(made)] for place in range(12)}
        numbers = range(START, START + NIGHT)
        process = self.start("--keep-going", "--frames", f"{START}-{START + NIGHT - 1}")
        told: dict[int, list[str]] = {}
        lines = 0

        def read(line: str) -> None:
            nonlocal lines
            said = json.loads(line)
            told[said["frame"]] = [note["code"] for note in said["notes"]]
            lines += 1

        for number in numbers:
            light = frame_light(number)
            path = write_frame(self.folder, number, wrong[number][1](light) if number in wrong else light)
            target = self.frames / path.name
            if number % 10 == 0:  # written in two pieces, with a look or two between
                content = path.read_bytes()
                target.write_bytes(content[: len(content) // 2])
                time.sleep(0.05)
                with target.open("ab") as file:
                    file.write(content[len(content) // 2 :])
            else:
                path.rename(target)
            if number == START + NIGHT // 2:
                assert process.stdout
                for line in process.stdout:
                    read(line)
                    if len(told) > 100:
                        break
                process.send_signal(signal.SIGKILL)
                for line in process.communicate()[0].splitlines():
                    read(line) if line.endswith("}") else None
                process = self.start("--keep-going", "--frames", f"{START}-{START + NIGHT - 1}")
        rest, _ = process.communicate(timeout=240)
        for line in rest.splitlines():
            read(line)
        self.assertEqual(process.returncode, 1)
        self.assertLessEqual(len(set(numbers) - set(told)), 1, "at most the one that was in hand is not told again")
        self.assertLess(lines, NIGHT * 1.1)
        found = {frame: codes[0] for frame, codes in told.items() if codes}
        self.assertEqual(found, {number: code for number, (code, _) in wrong.items()})


class Sizes(ServerTestCase):
    def test_names_and_numbers_that_are_hostile(self) -> None:
        frames = self.folder / "odd"
        frames.mkdir()
        for name in ("999999999.exr", "a.0000001.exr", "<b>.0002.exr", "none.exr", "x" * 240 + ".exr"):
            settled(write_frame(self.folder, 1, frame_light(1))).rename(frames / name)
        folder = WatchedFolder.objects.create(project=self.project, place=str(frames), is_on=True)
        look_once(Watch(folder, quiet=5.0))
        names = [frame["name"] for series in self.ask(f"/watched/{folder.pk}/frames") for frame in series["frames"]]
        self.assertEqual(len(names), 5)
        self.assertNotIn("<b>", self.ask(f"/watched/{folder.pk}/summary").decode())
