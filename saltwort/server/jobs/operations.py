"""Start, run, follow and cancel background work."""

import logging
import os
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import timedelta
from functools import cache
from threading import Event, Thread
from uuid import uuid4

from django.conf import settings
from django.db import OperationalError, connection, transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone
from django.utils.module_loading import autodiscover_modules
from django_tasks import TaskResultStatus, task
from django_tasks_db.models import DBTaskResult

from saltwort.core.errors import BadInput, DiskFull
from saltwort.core.files import check_room, is_disk_full
from saltwort.server.jobs.models import CANCELLED, DONE, FAILED, QUEUED, RUNNING, Job
from saltwort.server.projects.models import Project

log = logging.getLogger(__name__)

REPORT_EVERY = 0.2
"""Seconds between two looks at the database while a job runs."""

WORKER_VARIABLE = "SALTWORT_WORKER"
WORKER = os.environ.get(WORKER_VARIABLE) or uuid4().hex
"""The name of this process as the owner of jobs; who starts a worker may give it one."""
BEAT_EVERY = 2.0
"""Seconds between two signs of life of a job."""
LEASE = timedelta(seconds=15)
"""After which a job without a sign of life is given to another worker."""
MOST_BEGUN = 3
"""Times that a job is begun without coming on."""
KEPT = timedelta(days=30)

Report = Callable[[float, str], None]
Work = Callable[[Job, Report], str | None]
_works: dict[str, Work] = {}
_resumable: set[str] = set()


class Cancelled(Exception):
    """Raised inside a job whose user has asked for its end; it may say what was kept."""


class LostLease(Exception):
    """Raised inside a job that was given to another worker meanwhile: its end is no longer this one's to write."""


@cache
def _load_works() -> None:
    """Have all kinds of jobs registered, for who does or judges one: most of the program comes with them."""
    autodiscover_modules("operations", "intake", "rig", "readings", "rescuing")


def _is_resumable(kind: str) -> bool:
    _load_works()
    return kind in _resumable


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


@transaction.atomic
def start(project: Project, kind: str, title: str, arguments: dict[str, object]) -> Job:
    """Queue a job; the worker takes it as soon as the transaction around this is done. Raises BadInput when the disk
    is full."""
    check_room(settings.VAR_DIR)
    job = Job.objects.create(project=project, kind=kind, title=title[:200], arguments=arguments)
    run.enqueue(job.pk)
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


def disk_is_full() -> bool:
    """Whether the disk has no room left for what jobs write, themselves or of how they come on."""
    try:
        check_room(settings.VAR_DIR)
    except BadInput:
        return True
    return False


def settle_interrupted(owner: str = "") -> None:
    """Of the jobs that a worker left running, which is `owner` or any that no longer shows a sign of life, queue those
    that can go on, and say of the others that they did not end."""
    running = Job.objects.filter(state=RUNNING)
    left = running.filter(owner=owner) if owner else running.filter(Q(beat__lt=timezone.now() - LEASE) | Q(beat=None))
    for job in left:
        with transaction.atomic():
            DBTaskResult.objects.filter(status=TaskResultStatus.RUNNING, args_kwargs__args=[job.pk]).delete()
            again = _is_resumable(job.kind) and job.begun < MOST_BEGUN
            state, message = _after_crash(job, again)
            ended = None if again else timezone.now()
            if left.filter(pk=job.pk).update(state=state, message=message, ended=ended, owner="") and again:
                run.enqueue(job.pk)


def _after_crash(job: Job, again: bool) -> tuple[str, str]:
    if again:
        return QUEUED, "Goes on where it was when Saltwort stopped."
    if _is_resumable(job.kind):
        return FAILED, f"Saltwort stopped {MOST_BEGUN} times at the same place of this. Leave out what it was doing."
    return FAILED, "Saltwort stopped while this was running. Start it again."


def forget_old() -> None:
    """Delete what is left of jobs that ended more than KEPT ago."""
    too_old = timezone.now() - KEPT
    Job.objects.filter(ended__lt=too_old).delete()
    DBTaskResult.objects.finished().filter(finished_at__lt=too_old).delete()


@task()
def run(job_id: int) -> None:
    """Do a job, unless it was cancelled while it waited. Its end is always written, in words."""
    taken = Job.objects.filter(pk=job_id, state=QUEUED).update(
        state=RUNNING, owner=WORKER, beat=timezone.now(), begun=F("begun") + 1
    )
    if not taken:
        return
    job = Job.objects.get(pk=job_id)
    try:
        with _kept_alive(job):
            _load_works()
            said = _works[job.kind](job, _reporter(job))
    except Cancelled as cancelled:
        _end(job, CANCELLED, str(cancelled) or "Cancelled; nothing was kept.")
    except BadInput as error:
        _end(job, FAILED, str(error))
    except LostLease:
        log.error("job %s was given to another worker", job.pk)
    except OSError as error:
        log.exception("job %s failed", job.pk)
        _end(job, FAILED, str(DiskFull()) if is_disk_full(error) else WENT_WRONG)
    except Exception:
        log.exception("job %s failed", job.pk)
        _end(job, FAILED, WENT_WRONG)
    else:
        _end(job, DONE, said or "")


WENT_WRONG = "Something went wrong inside Saltwort; its log says what. Start it again."


@contextmanager
def _kept_alive(job: Job) -> Iterator[None]:
    """Show a sign of life for a job while the block runs, however long a step of it takes."""
    done = Event()

    def beat() -> None:
        while not done.wait(BEAT_EVERY):
            with suppress(OperationalError):  # the database is busy; the next one will do
                Job.objects.filter(pk=job.pk, owner=WORKER).update(beat=timezone.now())
        connection.close()

    Thread(target=beat, daemon=True).start()
    try:
        yield
    finally:
        done.set()


def _reporter(job: Job) -> Report:
    last = float("-inf")

    def report(share: float, doing: str) -> None:
        nonlocal last
        if time.monotonic() - last < REPORT_EVERY:
            return
        last = time.monotonic()
        came_on = {"begun": 0} if share > job.share else {}
        if not _own(job).update(share=share, message=doing, **came_on):
            raise LostLease
        if _own(job).filter(cancel_requested=True).exists():
            raise Cancelled

    return report


def _own(job: Job) -> QuerySet[Job]:
    """The job's row, as long as this worker has it."""
    return Job.objects.filter(pk=job.pk, owner=WORKER, state=RUNNING)


def _end(job: Job, state: str, message: str) -> None:
    share = {"share": 1.0} if state == DONE else {}
    _own(job).update(state=state, message=message[:500], ended=timezone.now(), **share)
