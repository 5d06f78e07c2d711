"""Workers that end, and what is removed under a running job."""

from typing import Any
from unittest.mock import patch

from django.db import transaction
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from saltwort.server.conversions import operations as conversions
from saltwort.server.conversions.models import Conversion
from saltwort.server.jobs.models import QUEUED, RUNNING, Job
from saltwort.server.jobs.operations import LEASE, MOST_BEGUN, _works, run, settle_interrupted, start
from saltwort.server.outputs import operations as outputs
from saltwort.server.textures import intake
from saltwort.server.textures.models import TextureFolder
from tests.samples import light, write
from tests.server import ServerTestCase


class Workers(ServerTestCase):
    """Jobs belong to the worker that does them, as long as it shows a sign of life."""

    def running(self, kind: str = "bring-textures", **fields: Any) -> Job:
        fields = {"owner": "other", "beat": timezone.now(), "begun": 1, **fields}
        return Job.objects.create(
            project=self.project, kind=kind, title="x", state=RUNNING, arguments={"intake": 0}, **fields
        )

    def test_a_job_of_a_living_worker_is_left_alone(self) -> None:
        job = self.running()
        settle_interrupted()
        job.refresh_from_db()
        self.assertEqual((job.state, job.owner), (RUNNING, "other"))

    def test_a_job_without_a_sign_of_life_is_given_on(self) -> None:
        job = self.running(beat=timezone.now() - LEASE * 2)
        settle_interrupted()
        job.refresh_from_db()
        self.assertEqual((job.state, job.owner), (QUEUED, ""))
        self.assertEqual(DBTaskResult.objects.filter(args_kwargs__args=[job.pk]).count(), 1)

    def test_one_that_stops_every_worker_ends_in_words(self) -> None:
        job = self.running(begun=MOST_BEGUN)
        settle_interrupted("other")
        job.refresh_from_db()
        self.assertEqual(job.state, "failed")
        self.assertIn("stopped 3 times at the same place", job.message)

    def test_a_worker_that_lost_its_job_writes_nothing_more(self) -> None:
        def slow(job: Job, report: Any) -> str:
            Job.objects.filter(pk=job.pk).update(owner="other")
            report(0.5, "half of it")
            return "done by the one that lost it"

        with patch.dict(_works, {"slow": slow}), self.assertLogs("saltwort.server.jobs", "ERROR"):
            job = start(self.project, "slow", "slow", {})
            run.func(job.pk)
        job.refresh_from_db()
        self.assertEqual((job.state, job.owner, job.message), (RUNNING, "other", ""))

    def test_a_task_is_queued_with_its_job_or_not_at_all(self) -> None:
        class Crash(Exception):
            pass

        with self.assertRaises(Crash), transaction.atomic():
            start(self.project, "slow", "slow", {})
            raise Crash
        self.assertEqual((Job.objects.count(), DBTaskResult.objects.count()), (0, 0))

    def test_a_rig_render_uses_the_revision_it_was_ordered_in(self) -> None:
        self.tell("post", "/rig/renders", 201, width=16, height=16, samples=1)
        self.tell("post", "/setup", based_on=1, message="other", working_space="Linear Rec.709 (sRGB)")
        self.do_jobs()
        (render,) = self.project.renders.all()
        self.assertEqual(render.rig["working_space"], "ACEScg")


class RemovedMeanwhile(ServerTestCase):
    """What a running job works on is removed."""

    def test_an_output(self) -> None:
        render = self.render()
        made = self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        write = outputs._write

        def remove_then_write(*arguments: Any) -> Any:
            self.tell("delete", f"/outputs/{made['id']}", 204)
            return write(*arguments)

        with patch.object(outputs, "_write", remove_then_write):
            (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")
        self.assertEqual(list((self.folder / "media").rglob("*linear*")), [])

    def test_an_output_before_it_is_made(self) -> None:
        made = self.tell("post", "/outputs", 201, kind="light", render=self.render().pk)
        self.tell("delete", f"/outputs/{made['id']}", 204)
        (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")

    def test_the_render_of_an_output(self) -> None:
        render = self.render()
        self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        self.tell("delete", f"/renders/{render.pk}", 204)
        (job,) = self.do_jobs()
        self.assertEqual(job.state, "failed")
        self.assertIn("was removed. Make the output of another", job.message)

    def test_a_conversion(self) -> None:
        for number in range(6):
            self.texture(f"wall_{number}_col.png", seed=number)
        made = self.tell("post", "/conversions", 201, space="ACEScg", format="exr-half")
        settle = conversions._settle

        def settle_and_remove(*arguments: Any) -> None:
            settle(*arguments)
            if Conversion.objects.exists():
                self.tell("delete", f"/conversions/{made['id']}", 204)

        one_by_one = patch("saltwort.server.jobs.spread.SETTLED_TOGETHER", 1)
        with one_by_one, patch.object(conversions, "_settle", settle_and_remove):
            (job,) = self.do_jobs()
        self.assertEqual((job.state, job.message), ("cancelled", conversions.REMOVED))
        self.assertEqual(list((self.folder / "media" / "converted").rglob("*.exr")), [])

    def test_layer_and_space_of_a_render_change_together_or_not_at_all(self) -> None:
        render = self.render()
        self.refused("put", f"/renders/{render.pk}", "no layer", based_on=1, space="ACEScg", layer="moon")
        self.refused("put", f"/renders/{render.pk}", "no colour space", based_on=1, space="moon", layer="")
        render.refresh_from_db()
        self.assertEqual((render.space, render.layer, render.version), ("", "", 1))
        both = self.tell("put", f"/renders/{render.pk}", based_on=1, space="ACEScg", layer="")
        self.assertEqual(both["version"], 2)

    def test_a_folder(self) -> None:
        place = self.folder / "show"
        for number in range(6):
            write(place / f"wall_{number}_col.png", light(peak=1.0, seed=number), "uint8")
        settle = intake._settle

        def settle_and_remove(*arguments: Any) -> None:
            settle(*arguments)
            for folder in TextureFolder.objects.all():
                self.tell("delete", f"/texture-folders/{folder.pk}", 204)

        one_by_one = patch("saltwort.server.jobs.spread.SETTLED_TOGETHER", 1)
        readable = self.settings(READABLE_FOLDERS=[self.folder])
        with one_by_one, readable, patch.object(intake, "_settle", settle_and_remove):
            self.tell("post", "/texture-folders", 201, place=str(place))
            (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")
        self.assertIn("folder was removed from the project", job.message)
