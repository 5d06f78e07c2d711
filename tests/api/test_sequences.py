"""Sequences: imported, looked at frame by frame, and delivered, with frames that are missing and broken."""

import os
import time
import zipfile
from hashlib import sha256
from io import BytesIO
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
import OpenEXR
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from saltwort.core.deliverables import deliverables
from saltwort.core.engine import apply, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.images.video_reading import video_facts
from saltwort.server.jobs.models import CANCELLED, DONE, FAILED, Job
from saltwort.server.jobs.operations import Cancelled
from saltwort.server.outputs import frames as output_frames
from saltwort.server.outputs.models import Output
from saltwort.server.projects.models import Project
from saltwort.server.scene.models import Frame
from saltwort.server.whole_projects.bundles import duplicate, read_bundle
from saltwort.server.whole_projects.manifests import write_bundle
from tests.samples import ACES_SDR, light, project_config, write
from tests.server import ServerTestCase

MISSING, BROKEN = 1003, 1005
NUMBERS = [number for number in range(1001, 1009) if number != MISSING]


class SequenceTestCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.shot = self.folder / "share" / "dusk"
        for number in NUMBERS:
            self.write_frame(number)
        (self.shot / f"dusk.{BROKEN}.exr").write_bytes(b"no picture")
        allowed = override_settings(READABLE_FOLDERS=[self.folder / "share"])
        allowed.enable()
        self.addCleanup(allowed.disable)

    def write_frame(self, number: int, height: int = 12) -> Path:
        return write(self.shot / f"dusk.{number}.exr", light(height, 16, seed=number), "half")

    def bring(self) -> dict[str, Any]:
        """The sequence, read."""
        (made,) = self.tell("post", "/renders/sequences", 201, place=str(self.shot))
        self.do_jobs()
        return self.render(made["id"])

    def render(self, pk: int) -> dict[str, Any]:
        return next(render for render in self.ask("/renders") if render["id"] == pk)

    def make(self, kind: str, frames: str = "all", **settings: Any) -> dict[str, Any]:
        """An output of the sequence, made."""
        render = self.bring() if not self.ask("/renders") else self.ask("/renders")[0]
        made = self.tell("post", "/outputs", 201, kind=kind, render=render["id"], settings=settings, frames=frames)
        self.do_jobs()
        return self.output(made["id"])

    def output(self, pk: int) -> dict[str, Any]:
        return next(output for output in self.ask("/outputs") if output["id"] == pk)

    def told(self, output: dict[str, Any]) -> dict[str, str]:
        return {fact["name"]: fact["value"] for fact in output["facts"]}

    def packed(self, output: dict[str, Any]) -> zipfile.ZipFile:
        answer = self.client.get(self.url(f"/outputs/{output['id']}/file"))
        return zipfile.ZipFile(BytesIO(b"".join(answer.streaming_content)))


class Import(SequenceTestCase):
    def test_a_folder_of_frames_is_one_render_with_its_gaps_told(self) -> None:
        render = self.bring()
        self.assertEqual(render["name"], "dusk.####.exr")
        self.assertEqual(
            render["sequence"],
            {
                "frame": 1001,
                "first": 1001,
                "last": 1008,
                "step": 1,
                "read": 6,
                "waiting": 0,
                "refused": 1,
                "missing": "1003",
                "in_place": True,
            },
        )
        self.assertEqual(
            self.project.jobs.get().message, "6 frames are in, 1 could not be read: the render says which."
        )
        frames = {frame["number"]: frame for frame in self.ask(f"/renders/{render['id']}/frames")}
        self.assertIn("dusk.1005.exr", frames[BROKEN]["reason"])
        self.assertAlmostEqual(frames[1002]["peak"], read_pixels(self.shot / "dusk.1002.exr").max(), places=5)

    def test_findings_tell_of_gaps_and_go_once_they_are_mended(self) -> None:
        render = self.bring()

        def found() -> dict[str, str]:
            return {each["code"]: each["why"] for each in self.findings() if each["code"].startswith("render.frames")}

        self.assertIn("1003 is not there", found()["render.frames-missing"])
        self.assertIn("1005: dusk.1005.exr", found()["render.frames-unreadable"])
        self.write_frame(MISSING)
        self.write_frame(BROKEN)
        self.tell("post", f"/renders/{render['id']}/look-again")
        self.do_jobs()
        self.assertEqual(found(), {})

    def test_every_second_frame_has_no_gaps(self) -> None:
        for number in range(1002, 1009, 2):
            (self.shot / f"dusk.{number}.exr").unlink(missing_ok=True)
        self.write_frame(MISSING)
        self.assertEqual((self.bring()["sequence"]["step"], self.bring()["sequence"]["missing"]), (2, ""))

    def test_several_sequences_in_a_folder_and_what_is_none(self) -> None:
        for name in ("key.1.exr", "key.2.exr", "plate.exr", "one_7.exr"):
            write(self.shot / name, light(4, 4), "half")
        made = self.tell("post", "/renders/sequences", 201, place=str(self.shot))
        self.assertEqual([render["name"] for render in made], ["dusk.####.exr", "key.#.exr"])
        empty = self.folder / "share" / "empty"
        write(empty / "plate.exr", light(4, 4), "half")
        self.assertIn("no frames", self.tell("post", "/renders/sequences", 400, place=str(empty))["detail"])
        self.assertIn("outside", self.tell("post", "/renders/sequences", 400, place=str(self.folder))["detail"])

    def test_a_frame_that_differs_is_told(self) -> None:
        self.write_frame(1008, height=10)
        frames = {frame["number"]: frame for frame in self.ask(f"/renders/{self.bring()['id']}/frames")}
        self.assertEqual(frames[1008]["differs"], "size 16 × 10, others 16 × 12")
        self.assertEqual(frames[1007]["differs"], "")

    def test_frames_that_come_later_change_or_go(self) -> None:
        render = self.bring()
        self.write_frame(MISSING)
        self.write_frame(1007, height=10)
        (self.shot / "dusk.1008.exr").unlink()
        self.write_frame(1010)
        self.tell("post", f"/renders/{render['id']}/look-again")
        self.do_jobs()
        frames = {frame["number"]: frame for frame in self.ask(f"/renders/{render['id']}/frames")}
        self.assertEqual(self.render(render["id"])["sequence"]["missing"], "1009")
        self.assertEqual(frames[MISSING]["state"], "in")
        self.assertIn("size 16 × 10", frames[1007]["differs"])
        self.assertIn("no longer", frames[1008]["reason"])

    def test_links_that_lead_out_and_pipes_are_refused(self) -> None:
        (self.shot / "dusk.1009.exr").symlink_to(write(self.folder / "outside.exr", light(4, 4), "half"))
        os.mkfifo(self.shot / "dusk.1010.exr")
        frames = {frame["number"]: frame for frame in self.ask(f"/renders/{self.bring()['id']}/frames")}
        self.assertIn("lies outside", frames[1009]["reason"])
        self.assertIn("no plain file", frames[1010]["reason"])

    def test_numbers_that_lie_too_far_apart_are_no_sequence(self) -> None:
        """What would be missing between them would fill the memory, each time the renders are listed."""
        for number in (1, 2, 999_999_999):
            write(self.shot / f"far.{number}.exr", light(4, 4), "half")
        refused = self.tell("post", "/renders/sequences", 400, place=str(self.shot))["detail"]
        self.assertIn("far.#.exr: its numbers go from 1 to 999999999", refused)
        self.assertEqual(self.ask("/renders"), [])

    def test_a_rescan_knows_the_sequence_by_another_padding(self) -> None:
        folder = self.folder / "share" / "unpadded"
        for number in (9, 10, 11):
            write(folder / f"pan#2.{number}.exr", light(4, 4, seed=number), "half")
        (made,) = self.tell("post", "/renders/sequences", 201, place=str(folder))
        self.do_jobs()
        (folder / "pan#2.9.exr").unlink()
        self.tell("post", f"/renders/{made['id']}/look-again")
        self.do_jobs()
        sequence = self.render(made["id"])["sequence"]
        self.assertEqual((made["name"], sequence["read"], sequence["refused"]), ("pan#2.#.exr", 2, 1))

    def test_frames_that_were_sent(self) -> None:
        pk = self.tell("post", "/intakes", 201)["id"]
        files = sorted(self.shot.glob("*.exr"))
        uploads = [SimpleUploadedFile("file", file.read_bytes()) for file in files]
        names = [f"dusk/{file.name}" for file in files]
        self.client.post(self.url(f"/intakes/{pk}/files"), {"file": uploads, "path": names})
        (made,) = self.tell("post", "/renders/sequences", 201, intake=pk)
        self.do_jobs()
        render = self.render(made["id"])
        self.assertEqual((render["sequence"]["read"], render["sequence"]["in_place"]), (6, False))
        for file in files:
            file.unlink()
        self.ask(f"/renders/{made['id']}/picture", size=16, frame=1008)
        self.assertIn("sent here", self.tell("post", f"/renders/{made['id']}/look-again", 400)["detail"])
        self.tell("post", "/renders/sequences", 404, intake=pk)

    def test_another_frame_is_looked_at(self) -> None:
        render = self.bring()
        changed = self.tell("put", f"/renders/{render['id']}", based_on=render["version"], frame=1008)
        self.assertAlmostEqual(changed["peak"], read_pixels(self.shot / "dusk.1008.exr").max(), places=5)
        first, last = (self.ask(f"/renders/{render['id']}/picture", size=16, frame=n) for n in (1001, 1008))
        self.assertNotEqual(first, last)
        self.assertEqual(self.ask(f"/renders/{render['id']}/picture", size=16), last)
        scopes = [
            self.ask(f"/renders/{render['id']}/scope", kind="waveform", frame=n, **vars(ACES_SDR)) for n in (1001, 1008)
        ]
        self.assertNotEqual(*scopes)
        for number, says in ((BROKEN, "dusk.1005.exr"), (MISSING, "no frame 1003")):
            refused = self.tell("put", f"/renders/{render['id']}", 400, based_on=changed["version"], frame=number)
            self.assertIn(says, refused["detail"])

    def test_import_is_undone_and_done_again(self) -> None:
        render = self.bring()
        for way, left in (("undo", 0), ("redo", 7)):
            self.tell("post", f"/{way}", based_on=self.ask()[way]["id"])
            self.assertEqual(Frame.objects.count(), left)
        self.assertEqual(self.render(render["id"])["sequence"]["read"], 6)

    def test_a_sequence_goes_with_its_project(self) -> None:
        self.bring()
        packed = BytesIO()
        write_bundle(Project.objects.get(), packed, with_images=True)
        for made in (read_bundle(packed, "quay.zip"), duplicate(self.project, "Second")):
            (render,) = made.renders.all()
            self.assertEqual((render.frame, render.frames.count()), (1001, 7))
            self.assertEqual(render.frames.get(number=1002).image.file.stat().st_size > 100, True)
            self.assertIn("dusk.1005.exr", render.frames.get(number=BROKEN).reason)


class Deliver(SequenceTestCase):
    def test_every_frame_is_made_but_the_missing_and_the_broken(self) -> None:
        output = self.make("still", bits="16", format="png")
        self.assertEqual(output["frames"], {"made": 6, "waiting": 0, "refused": 2})
        self.assertTrue(output["name"].endswith(".####.png"), output["name"])
        told = self.told(output)
        self.assertEqual(told["frames"], "1001-1002, 1004, 1006-1008 (6 of 8)")
        self.assertEqual(told["could not be made"], "1003, 1005")
        self.assertEqual(told["read back by"], "FFmpeg")
        reasons = {frame["number"]: frame["reason"] for frame in self.ask(f"/outputs/{output['id']}/frames")}
        self.assertIn("no frame 1003", reasons[MISSING])
        self.assertIn("dusk.1005.exr", reasons[BROKEN])
        packed = self.packed(output)
        names = [name for name in packed.namelist() if name != "SHA256SUMS"]
        self.assertEqual(len(names), 6)
        sums = packed.read("SHA256SUMS").decode()
        self.assertEqual(sums, "".join(f"{sha256(packed.read(name)).hexdigest()}  {name}\n" for name in names))
        note = self.ask("/delivery-note").decode()
        self.assertIn(sha256(sums.encode()).hexdigest(), note)
        self.assertIn(output["name"], note)
        processor = view_processor(project_config(), "ACEScg", ACES_SDR)
        for name in names:
            number = name.split(".")[-2]
            (self.folder / name).write_bytes(packed.read(name))
            meant = np.clip(apply(processor, read_pixels(self.shot / f"dusk.{number}.exr")), 0, 1)
            self.assertLess(np.abs(read_pixels(self.folder / name) - meant).max(), 1e-4)
        one = self.client.get(self.url(f"/outputs/{output['id']}/frames/1002"))
        self.assertEqual(b"".join(one.streaming_content)[:4], b"\x89PNG")

    def test_only_what_failed_is_made_again(self) -> None:
        output = self.make("light", sample="half")
        before = {file: file.stat().st_mtime_ns for file in Output.objects.get().folder.iterdir()}
        self.write_frame(MISSING)
        self.write_frame(BROKEN)
        self.tell("post", f"/renders/{self.ask('/renders')[0]['id']}/look-again")
        self.do_jobs()
        self.tell("post", f"/outputs/{output['id']}/make-the-rest")
        self.do_jobs()
        self.assertEqual(self.output(output["id"])["frames"], {"made": 8, "waiting": 0, "refused": 0})
        self.assertEqual({file: file.stat().st_mtime_ns for file in before}, before)
        self.assertIn("is made", self.tell("post", f"/outputs/{output['id']}/make-the-rest", 400)["detail"])

    def test_layers_are_data_in_all_frames_or_in_none(self) -> None:
        rng = np.random.default_rng(5)
        for number in NUMBERS:
            vectors = rng.normal(size=(12, 16, 3)) * (number != NUMBERS[0])
            vectors /= np.maximum(np.linalg.norm(vectors, axis=2, keepdims=True), 1e-9)
            planes = {
                f"aov7.{name}": np.ascontiguousarray(vectors[..., at], np.float32) for at, name in enumerate("RGB")
            }
            planes |= {name: np.full((12, 16), 0.18, np.float16) for name in "RGB"}
            OpenEXR.File({}, planes).write(str(self.shot / f"dusk.{number}.exr"))
        output = self.make("light", sample="half", layers="all", space="Linear Rec.709 (sRGB)")
        self.assertIn("aov7", self.told(output)["passed as data"])
        with self.packed(output) as files:
            for name in files.namelist():
                if name.endswith(".exr"):
                    files.extract(name, self.folder)
                    with OpenEXR.File(str(self.folder / name), separate_channels=True) as file:
                        self.assertEqual(file.channels()["aov7.R"].pixels.dtype, np.float32, name)

    def test_a_cancelled_sequence_goes_on_later(self) -> None:
        render = self.bring()
        made = self.tell("post", "/outputs", 201, kind="light", render=render["id"], frames="all")

        def stopped(work: Any, rows: Any, arguments: Any, settle: Any, report: Any) -> None:
            row = rows.first()
            settle([(row, output_frames.Outcome(row.pk, output_frames.make_frame.func(**arguments(row))["result"]))])
            raise Cancelled

        with patch.object(output_frames, "work_through", stopped):
            self.do_jobs()
        output = self.output(made["id"])
        self.assertEqual(output["frames"], {"made": 1, "waiting": 7, "refused": 0})
        self.assertIn("1 frame is made and read back", output["job"]["message"])
        self.tell("post", f"/outputs/{made['id']}/make-the-rest")
        self.do_jobs()
        self.assertEqual(self.output(made["id"])["frames"], {"made": 6, "waiting": 0, "refused": 2})

    def test_a_frame_in_hand_is_left_when_its_job_is_cancelled(self) -> None:
        render = self.bring()
        made = self.tell("post", "/outputs", 201, kind="still", render=render["id"], frames="all")
        seen: list[int] = []

        def written(self: Any, config: Any, sources: Any, settings: Any, target: Any, progress: Any) -> Any:
            seen.append(sources[0].number)
            deadline = time.monotonic() + 20
            while time.monotonic() < deadline:
                progress(0.5, "Writing")
                time.sleep(0.02)
            raise AssertionError("it was not stopped")

        Job.objects.filter(kind="make-frames").update(cancel_requested=True)
        with patch.object(type(deliverables()["still"]), "write", written):
            self.do_jobs()
        output = self.output(made["id"])
        self.assertTrue(seen)
        self.assertEqual(output["job"]["state"], CANCELLED)
        self.assertEqual(output["frames"]["made"], 0, output)
        self.assertGreaterEqual(output["frames"]["waiting"], 6, "two of the frames cannot be read")

    def test_a_contact_sheet_of_textures_or_frames(self) -> None:
        for seed, name in enumerate(("wall_basecolor.png", "wall_roughness.png")):
            self.texture(name, seed=seed)
        for what, frames, count in (("textures", "", 2), ("pictures", "1006-1008", 3)):
            output = self.make("contact-sheet", frames, what=what)
            self.assertEqual(self.told(output)["pictures"], str(count), output["job"]["message"])

    def test_ranges_and_steps(self) -> None:
        for frames, numbers in (
            ("1001-1008x4", [1001, 1005]),
            ("1006-999999999", [1006, 1007, 1008]),
            ("1-999999999x5", [1001, 1006]),
        ):
            output = self.make("light", frames)
            made = self.ask(f"/outputs/{output['id']}/frames")
            self.assertEqual([frame["number"] for frame in made], numbers)
        for frames, says in (("5-2", "backwards"), ("1-20", "It has 1001-1002, 1004-1008"), ("x", "no range")):
            refused = self.tell(
                "post", "/outputs", 400, kind="light", render=self.ask("/renders")[0]["id"], frames=frames
            )
            self.assertIn(says, refused["detail"])
            self.assertEqual(refused["field"], "frames")

    def test_one_frame_is_one_file(self) -> None:
        output = self.make("still", "1004")
        self.assertIsNone(output["frames"])
        self.assertTrue(output["name"].endswith(".1004.png"))
        looked_at = self.make("still", "")
        self.assertTrue(looked_at["name"].endswith(".1001.png"))

    def test_a_video_of_the_frames(self) -> None:
        stopped = self.make("movie", "", codec="h264")
        self.assertEqual(stopped["job"]["state"], FAILED)
        self.assertIn("1003", stopped["job"]["message"])
        output = self.make("movie", "", codec="h264", gaps="hold")
        self.assertEqual(output["job"]["state"], DONE, output["job"]["message"])
        self.assertEqual(self.told(output)["held"], "1003, 1005")
        self.assertEqual(video_facts(Output.objects.get(pk=output["id"]).file).frames, 8)

    def test_a_video_needs_a_sequence_and_a_picture_has_no_frames(self) -> None:
        render = self.send("/renders", self.shot / "dusk.1001.exr")
        refused = self.tell("post", "/outputs", 400, kind="movie", render=render["id"])
        self.assertIn("made of a sequence", refused["detail"])
        refused = self.tell("post", "/outputs", 400, kind="still", render=render["id"], frames="all")
        self.assertEqual(refused["field"], "frames")

    def test_recipes_are_made_of_frames(self) -> None:
        self.bring()
        based_on = self.ask()["revision"]["number"]
        self.tell("put", "/recipes", 204, name="Review", kind="still", naming="{picture}_{recipe}", based_on=based_on)
        (made,) = self.tell("post", "/recipes/make", 201, render=self.ask("/renders")[0]["id"], frames="1001-1002")
        self.assertEqual(made["name"], "dusk_review.####.png")
        self.do_jobs()
        self.assertEqual(self.ask("/recipes")[0]["state"], "up to date")
