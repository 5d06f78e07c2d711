"""Outputs and the jobs that make them."""

import os
from hashlib import sha256
from unittest.mock import patch

import numpy as np

from saltwort.core.engine import apply, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_header, read_pixels
from saltwort.server.history.operations import forget_all
from saltwort.server.housekeeping import tidy
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import cancel, settle_interrupted
from saltwort.server.outputs.models import Output
from saltwort.server.scene.models import Render
from tests.samples import ACES_SDR, SRGB_DISPLAY, project_config
from tests.server import ServerTestCase


class Outputs(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.dusk = self.render()

    def test_a_still_is_made_listed_and_downloaded(self) -> None:
        made = self.tell(
            "post",
            "/outputs",
            201,
            kind="still",
            render=self.dusk.pk,
            settings={"exposure": 1.0, "bits": 8, "dither": False},
        )
        self.assertEqual((made["job"]["state"], made["done"]), ("queued", False))
        self.ask(f"/outputs/{made['id']}/file", 404)
        (job,) = self.do_jobs()
        self.assertEqual((job.state, job.share), ("done", 1.0))
        (listed,) = self.ask("/outputs")
        self.assertTrue(listed["done"])
        self.assertIn({"name": "cICP", "value": "1 13 0 1"}, listed["facts"])
        (self.folder / "got.png").write_bytes(self.ask(f"/outputs/{made['id']}/file"))
        processor = view_processor(project_config(), "ACEScg", ACES_SDR, exposure=1.0)
        expected = np.clip(apply(processor, read_pixels(self.dusk.image.file)), 0, 1)
        self.assertLessEqual(np.abs(read_pixels(self.folder / "got.png") - expected).max(), 0.5 / 255 + 1e-6)
        self.assertEqual(self.ask()["strip"]["outputs"], 1)

    def test_a_hand_off_holds_light_in_the_working_space(self) -> None:
        self.tell("post", "/setup", based_on=1, message="w", working_space="Linear Rec.2020")
        made = self.tell("post", "/outputs", 201, kind="light", render=self.dusk.pk)
        self.do_jobs()
        (self.folder / "got.exr").write_bytes(self.ask(f"/outputs/{made['id']}/file"))
        header = read_header(self.folder / "got.exr")
        self.assertEqual((header.tags["colorInteropID"], header.bit_depth), ("lin_rec2020_scene", "half"))
        self.assertIn("chromaticities", header.tags)
        self.assertGreater(read_pixels(self.folder / "got.exr").max(), 1.0)

    def test_an_output_is_of_the_revision_it_was_asked_from(self) -> None:
        self.tell("post", "/outputs", 201, kind="light", render=self.dusk.pk)
        self.tell("post", "/setup", based_on=1, message="w", working_space="Linear Rec.2020")
        self.do_jobs()
        (listed,) = self.ask("/outputs")
        self.assertEqual(listed["revision"], 1)
        self.assertIn({"name": "colorInteropID", "value": "lin_ap1_scene"}, listed["facts"])

    def test_refusals(self) -> None:
        good = {"kind": "still", "render": self.dusk.pk}
        self.refused("post", "/outputs", "no view", **good, settings={"display": SRGB_DISPLAY, "view": "Nowhere"})
        self.refused("post", "/outputs", "choose one of", **good, settings={"bits": 12})
        self.refused("post", "/outputs", "made of a render", kind="still")
        self.refused("post", "/outputs", "are damaged|is damaged", **good, settings={"gamma": 2.2})
        self.refused("post", "/outputs", "not a valid choice", **{**good, "kind": "poster"})
        self.refused("post", "/outputs", "gone", status=404, **{**good, "render": 999})
        self.assertEqual((Output.objects.count(), Job.objects.count()), (0, 0))

    def test_the_file_goes_once_removing_it_cannot_be_undone(self) -> None:
        made = self.tell("post", "/outputs", 201, kind="still", render=self.dusk.pk)
        self.do_jobs()
        file = Output.objects.get().file
        self.assertTrue(file.exists())
        self.tell("delete", f"/outputs/{made['id']}", 204)
        os.utime(file.parent, (1, 1))
        tidy()
        self.assertTrue(file.exists())
        forget_all(self.project)
        tidy()
        self.assertFalse(file.exists())


class DeliveryNotes(ServerTestCase):
    def test_what_was_delivered_with_tags_and_hashes(self) -> None:
        self.assertIn(b"Nothing was delivered yet", self.ask("/delivery-note"))
        render = self.render()
        Render.objects.filter(pk=render.pk).update(name="<b>dusk</b>.exr")
        self.tell("post", "/outputs", 201, kind="still", render=render.pk, settings={"format": "tiff"})
        self.tell("post", "/outputs", 201, kind="lut", settings={"size": 9})
        self.do_jobs()
        page = self.ask("/delivery-note").decode()
        for output in Output.objects.all():
            self.assertIn(output.name, page)
            self.assertIn(sha256(output.file.read_bytes()).hexdigest(), page)
        self.assertIn("tagged with the profile srgb_rec709_display", page)
        self.assertIn("&lt;b&gt;dusk&lt;/b&gt;.exr", page)
        self.assertNotIn("<b>", page)
        self.assertNotIn("<script", page)


class Jobs(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.made = self.tell("post", "/outputs", 201, kind="still", render=self.render().pk)
        self.job = Job.objects.get()

    def test_a_waiting_job_is_cancelled_at_once(self) -> None:
        answer = self.tell("post", f"/jobs/{self.job.pk}/cancel")
        self.assertEqual(answer["state"], "cancelled")
        (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")
        self.assertFalse(Output.objects.get().file.exists())

    def test_a_running_job_ends_at_its_next_report_and_leaves_no_file(self) -> None:
        told: list[str] = []

        def work(job: Job, report: object) -> None:
            told.append(Job.objects.get().state)
            cancel(job)
            report(0.5, "half way")  # type: ignore[operator]
            told.append("went on")

        with patch.dict("saltwort.server.jobs.operations._works", {"make-output": work}):
            (job,) = self.do_jobs()
        self.assertEqual(told, ["running"])
        self.assertEqual((job.state, job.message), ("cancelled", "Cancelled; nothing was kept."))

    def test_progress_is_written_while_it_runs(self) -> None:
        seen: list[tuple[float, str]] = []

        def work(job: Job, report: object) -> None:
            report(0.25, "a quarter")  # type: ignore[operator]
            row = self.ask("/jobs")[0]
            seen.append((row["share"], row["message"]))

        with patch.dict("saltwort.server.jobs.operations._works", {"make-output": work}):
            self.do_jobs()
        self.assertEqual(seen, [(0.25, "a quarter")])

    def test_failure_is_told_in_words(self) -> None:
        refusal, accident = BadInput("The disk is full."), ValueError("x")
        for error, words in ((refusal, "The disk is full."), (accident, "its log says what")):
            Job.objects.update(state="queued")
            with (
                patch("saltwort.core.deliverables.kinds.still.still_tags", side_effect=error),
                self.assertLogs("saltwort", "ERROR") if isinstance(error, ValueError) else self.subTest(),
            ):
                (job,) = self.do_jobs()
            self.assertEqual(job.state, "failed")
            self.assertIn(words, job.message)
        self.assertFalse(self.ask("/outputs")[0]["done"])

    def test_a_render_that_vanished_meanwhile(self) -> None:
        Output.objects.get().render.image.file.unlink()
        (job,) = self.do_jobs()
        self.assertEqual(job.state, "failed")
        self.assertIn("is gone from Saltwort’s folder", job.message)

    def test_jobs_a_dead_worker_left_are_said_to_have_stopped(self) -> None:
        Job.objects.update(state="running")
        settle_interrupted()
        self.assertEqual(self.ask("/jobs")[0]["state"], "failed")
        self.assertIn("Start it again", self.ask("/jobs")[0]["message"])
