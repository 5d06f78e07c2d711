"""Start, run, follow and cancel background work."""

import logging
import time
from collections.abc import Callable

from django.db import transaction
from django.utils import timezone
from django_tasks import task

from saltwort.core.errors import BadInput
from saltwort.server.jobs.models import CANCELLED, DONE, FAILED, QUEUED, RUNNING, Job
from saltwort.server.projects.models import Project

log = logging.getLogger(__name__)

REPORT_EVERY = 0.2
"""Seconds between two looks at the database while a job runs."""

Report = Callable[[float, str], None]
Work = Callable[[Job, Report], str | None]
_works: dict[str, Work] = {}
_resumable: set[str] = set()


class Cancelled(Exception):
    """Raised inside a job whose user has asked for its end; it may say what was kept."""


def work(kind: str, *, resumable: bool = False) -> Callable[[Work], Work]:
    """Register what a kind of job does. It is given the job and a `report(share, doing)`, which ends it when asked,
    and may give back a sentence on how it ended. One that is `resumable` finds by itself what is done, and is begun
    again after a crash."""

    def register(function: Work) -> Work:
        _works[kind] = function
        if resumable:
            _resumable.add(kind)
        return function

    return register


def start(project: Project, kind: str, title: str, arguments: dict[str, object]) -> Job:
    """Queue a job; the worker takes it as soon as the transaction around this is done."""
    job = Job.objects.create(project=project, kind=kind, title=title[:200], arguments=arguments)
    transaction.on_commit(lambda: run.enqueue(job.pk))
    return job


def cancel(job: Job) -> Job:
    """End a queued job at once, and ask a running one to end at its next report."""
    ended = Job.objects.filter(pk=job.pk, state=QUEUED).update(
        state=CANCELLED, message="Cancelled before it began.", ended=timezone.now(), cancel_requested=True
    )
    if not ended:
        Job.objects.filter(pk=job.pk, state=RUNNING).update(cancel_requested=True)
    job.refresh_from_db()
    return job


def settle_interrupted() -> None:
    """Of the jobs that a stopped worker left running, queue those that can go on, and say of the others that they did
    not end."""
    left = Job.objects.filter(state=RUNNING)
    for job in left.filter(kind__in=_resumable):
        Job.objects.filter(pk=job.pk).update(state=QUEUED, message="Goes on where it was when Saltwort stopped.")
        run.enqueue(job.pk)
    left.exclude(kind__in=_resumable).update(
        state=FAILED, message="Saltwort stopped while this was running. Start it again.", ended=timezone.now()
    )


@task()
def run(job_id: int) -> None:
    """Do a job, unless it was cancelled while it waited. Its end is always written, in words."""
    if not Job.objects.filter(pk=job_id, state=QUEUED).update(state=RUNNING):
        return
    job = Job.objects.get(pk=job_id)
    try:
        said = _works[job.kind](job, _reporter(job))
    except Cancelled as cancelled:
        _end(job, CANCELLED, str(cancelled) or "Cancelled; nothing was kept.")
    except BadInput as error:
        _end(job, FAILED, str(error))
    except Exception:
        log.exception("job %s failed", job.pk)
        _end(job, FAILED, "Something went wrong inside Saltwort; its log says what. Start it again.")
    else:
        _end(job, DONE, said or "")


def _reporter(job: Job) -> Report:
    last = float("-inf")

    def report(share: float, doing: str) -> None:
        nonlocal last
        if time.monotonic() - last < REPORT_EVERY:
            return
        last = time.monotonic()
        Job.objects.filter(pk=job.pk).update(share=share, message=doing)
        if Job.objects.filter(pk=job.pk, cancel_requested=True).exists():
            raise Cancelled

    return report


def _end(job: Job, state: str, message: str) -> None:
    share = {"share": 1.0} if state == DONE else {}
    Job.objects.filter(pk=job.pk).update(state=state, message=message[:500], ended=timezone.now(), **share)
