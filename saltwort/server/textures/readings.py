"""Keep how each texture of a project is read, and what is wrong with it, in step with what that depends on.

Nothing is kept by hand: two hashes say what the readings were computed from. When they differ from those of the project
as it stands, or a texture's version from the one it was checked at, just what is different is computed anew.
"""

import time
from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from threading import Lock

import PyOpenColorIO as ocio
from django.db import transaction
from django.db.models import F, Q, QuerySet
from django.db.models.functions import Length

from saltwort.core.findings import (
    LEVELS,
    LONGEST_PATHS,
    Census,
    CheckedTexture,
    Finding,
    Like,
    Subjects,
    run_checks,
    standing,
)
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.rules import Rule
from saltwort.server.jobs.models import QUEUED, RUNNING, Job
from saltwort.server.jobs.operations import Report, start, work
from saltwort.server.kept import count_change, kept_value
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import base_text, config_of, current_setup
from saltwort.server.queries import among
from saltwort.server.textures.models import Reading, ReadingState, Texture, TextureFinding
from saltwort.server.textures.operations import AssignedTexture, assigned
from saltwort.server.textures.rereading import (
    Basis,
    Reread,
    assigned_otherwise,
    kept_state,
    mark_dismissed_otherwise,
    write_assignments,
)

JOB = "check-textures"
AT_ONCE_SECONDS = 0.6
"""Time that somebody who asks waits for files to be checked; the rest is done as a job."""
CHUNK, CHUNKS_TOGETHER = 200, 10
ASSIGNED_AT_ONCE = 5_000
TRIES = 3
RANKS = {level: len(LEVELS) - index for index, level in enumerate(LEVELS)}
LEVEL_OF = {rank: level for level, rank in RANKS.items()}


def refresh(project: Project, seconds: float | None = None) -> int:
    """Import the readings in step with the project as it stands: spaces and reasons of all textures at once, checks for
    as long as `seconds` last, AT_ONCE_SECONDS where none are given. Gives back how many files are still to be checked,
    for which a job is queued."""
    until = time.monotonic() + (AT_ONCE_SECONDS if seconds is None else seconds)
    return kept_value(lambda: _refresh(project, until), "unchecked", project.pk, project.current_id)


def _refresh(project: Project, until: float) -> int:
    bring_in_step(project)
    behind = _behind(project, "texture_version")
    for start_at in range(0, len(behind), CHUNK):
        if start_at and time.monotonic() > until:
            _queue_check(project, len(behind) - start_at)
            return len(behind) - start_at
        _check(project, _with_images(project, behind[start_at : start_at + CHUNK]))
    return 0


def _behind(project: Project, version: str) -> list[int]:
    """The textures that were not checked as they are, or with `assigned_version` not assigned; in the order in which
    they came. Told from indexes alone: a version of 0 says so of those that have readings."""
    readings = Reading.objects.filter(project=project).order_by()
    behind = set(readings.filter(**{version: 0}).values_list("pk", flat=True))
    if project.textures.count() != readings.count():
        behind |= set(project.textures.filter(reading=None).order_by().values_list("pk", flat=True))
    return sorted(behind)


def _with_images(project: Project, ids: Sequence[int]) -> list[Texture]:
    return list(project.textures.filter(among("pk", ids)).select_related("image", "reading"))


def check_where_behind(project: Project, after: str, until: str) -> None:
    """Check the textures between two paths that are not checked as they are."""
    stretch = project.textures.filter(path__gt=after, path__lte=until)
    behind = Q(reading__texture_version=0) | Q(reading=None)
    ids = list(stretch.filter(behind).values_list("pk", flat=True))
    for start_at in range(0, len(ids), CHUNK):
        _check(project, _with_images(project, ids[start_at : start_at + CHUNK]))


def _queue_check(project: Project, left: int) -> None:
    if not project.jobs.filter(kind=JOB, state__in=(QUEUED, RUNNING)).exists():
        start(project, JOB, f"Check {left:,} {'texture' if left == 1 else 'textures'}", {})


@work(JOB, resumable=True)
def _check_all(job: Job, report: Report) -> None:
    done = 0
    while True:
        project = Project.objects.select_related("current").get(pk=job.project_id)
        bring_in_step(project)
        behind = _behind(project, "texture_version")
        if not behind:
            return
        every = done + len(behind)
        # A while at a time: files and rules may change meanwhile.
        for start_at in range(0, min(len(behind), CHUNKS_TOGETHER * CHUNK), CHUNK):
            some = behind[start_at : start_at + CHUNK]
            _check(project, _with_images(project, some))
            done += len(some)
            report(min(1.0, done / every), f"{done:,} of {every:,} files are checked")
        count_change()


_locks: dict[int, Lock] = {}
_locks_lock = Lock()


def bring_in_step(project: Project) -> None:
    """Have all readings say the space, reason and map kind that the project as it stands gives. Where the project was
    changed since it was asked for, they stay as they are: who asks again gets those of the change."""
    with _locks_lock:
        lock = _locks.setdefault(project.pk, Lock())
    with lock:
        for _ in range(TRIES):
            if _bring_in_step(project):
                return
        with transaction.atomic():  # others write all the time: let them wait
            _bring_in_step(project)


def _bring_in_step(project: Project) -> bool:
    """False where somebody else wrote readings meanwhile."""
    if not _follow_basis(project):
        return False
    behind = _behind(project, "assigned_version")
    # A part at a time: memory does not grow with the project.
    return all(
        _assign_first(project, behind[start_at : start_at + ASSIGNED_AT_ONCE])
        for start_at in range(0, len(behind), ASSIGNED_AT_ONCE)
    )


def _follow_basis(project: Project) -> bool:
    """Write anew what the project's present rules and words read otherwise. False as above."""
    wanted, known = Basis.of(project), kept_state(project)
    basis = Basis.of_state(known)
    if basis == wanted:
        return True
    changed = list(assigned_otherwise(project)) if basis.assigned_by != wanted.assigned_by else []
    with transaction.atomic():
        if _was_changed(project):
            return True
        if kept_state(project).written != known.written:
            return False
        write_assignments(changed)
        mark_dismissed_otherwise(project, known.said, wanted.said)
        if basis.checked_by != wanted.checked_by:
            Reading.objects.filter(project=project).update(texture_version=0)
        _write_state(project, wanted, known)
    return True


def _assign_first(project: Project, ids: Sequence[int]) -> bool:
    """Give textures that have none their first reading. False as above."""
    known = kept_state(project)
    textures = list(project.textures.filter(among("pk", ids)).defer("image"))
    fresh = [_first_reading(project, row) for row in assigned(project, textures)]
    with transaction.atomic():
        if _was_changed(project):
            return True
        if kept_state(project).written != known.written:
            return False
        versions = dict(project.textures.filter(among("pk", ids)).values_list("pk", "version"))
        Reading.objects.bulk_create(
            [reading for reading in fresh if versions.get(reading.texture_id) == reading.assigned_version],
            update_conflicts=True,
            unique_fields=("texture",),
            update_fields=_ASSIGNED,
            batch_size=500,
        )
        _write_state(project, Basis.of(project), known)
    return True


def _write_state(project: Project, basis: Basis, known: ReadingState) -> None:
    state = {**vars(basis), "written": known.written + 1}
    ReadingState.objects.update_or_create(project=project, defaults=state)


def _was_changed(project: Project) -> bool:
    """Whether another revision of a project stands than the one that was asked for."""
    return not Project.objects.filter(pk=project.pk, current=project.current_id).exists()


def _first_reading(project: Project, row: AssignedTexture) -> Reading:
    """The reading of a texture that is yet to be checked."""
    texture, member = row.texture, row.member
    return Reading(
        texture=texture,
        project=project,
        path=texture.path,
        assigned_version=texture.version,
        kind=row.kind.kind.key if row.kind else "",
        word=row.kind.word if row.kind else "",
        set_key=member.key,
        set_name=member.name,
        tile=member.tile,
        resolution=member.resolution,
        frame=member.frame,
        space=row.assignment.space,
        reason=row.assignment.reason.kind,
        reason_name=row.assignment.reason.name[:500],
    )


def subjects_for(project: Project, rows: Iterable[AssignedTexture], *, offers_fixes: bool) -> Subjects:
    """Some textures of a project in the form that checks take."""
    config, setup = config_of(project.current), current_setup(project)
    return Subjects(
        config=config,
        setup=setup,
        base_text=base_text(setup.base),
        textures=[checked_texture(config, row) for row in rows],
        find_likes=partial(_likes, project),
        offers_fixes=offers_fixes,
    )


def _likes(project: Project, rule: Rule) -> Iterator[Like]:
    readings = Reading.objects.filter(project=project)
    if rule.kind == "map_kind":
        readings = readings.filter(kind__in=rule.map_kinds)
    elif held := rule.pattern.strip("*"):
        readings = readings.filter(path__contains=held)
    for path, space, reason, verdict_space in readings.values_list("path", "space", "reason", "verdict_space"):
        yield Like(path, space, reason == "pin", verdict_space or None)


def census_of(project: Project, otherwise: Sequence[Reread] = ()) -> Census:
    """A project's textures all together, with some read differently than they are."""
    readings = Reading.objects.filter(project=project).order_by()
    taking = readings.filter(reason="rule").values_list("reason_name", flat=True).distinct()
    longest = readings.annotate(length=Length("path")).order_by("-length", "path").values_list("path", flat=True)
    moved = [reread.texture for reread in otherwise]
    pinned = readings.filter(reason="pin").exclude(texture_id__in=moved).count()
    return Census(
        readings.count(),
        _still_taking(readings, taking, otherwise),
        tuple(longest[:LONGEST_PATHS]),
        pinned + sum(reread.reason == "pin" for reread in otherwise),
    )


def _still_taking(readings: QuerySet[Reading], taking: Iterable[str], otherwise: Sequence[Reread]) -> frozenset[str]:
    if not otherwise:
        return frozenset(taking)
    moved = {reread.texture for reread in otherwise}
    kept = readings.filter(reason="rule").values_list("texture_id", "reason_name")
    return frozenset(
        [name for pk, name in kept if pk not in moved]
        + [reread.reason_name for reread in otherwise if reread.reason == "rule"]
    )


def spaces_by_path(project: Project) -> QuerySet[Reading, tuple[str, str, str]]:
    """Path, space and kind of reason of every texture of a project, by path."""
    bring_in_step(project)
    return Reading.objects.filter(project=project).order_by("path").values_list("path", "space", "reason")


def readings_by_path(project: Project) -> QuerySet[Reading, tuple[str, str, str, str, str]]:
    """Path, space, kind of reason, key of the map kind and name of the set of every texture, by path."""
    bring_in_step(project)
    found = Reading.objects.filter(project=project).order_by("path")
    return found.values_list("path", "space", "reason", "kind", "set_name")


def spaces_read(project: Project) -> list[str]:
    """The spaces that the textures of a project are read in, each once."""
    bring_in_step(project)
    return list(Reading.objects.filter(project=project).order_by().values_list("space", flat=True).distinct())


def checked_texture(config: ocio.Config, row: AssignedTexture) -> CheckedTexture:
    """A texture in the form that checks take."""
    facts = row.texture.image.measured()
    evidence = tuple(evidence_for(config, row.texture.path, row.kind, facts))
    return CheckedTexture(row.texture.path, row.kind, row.assignment, facts, evidence)


def _check(project: Project, textures: Sequence[Texture]) -> None:
    """Check textures and keep what is found, unless they or what they are read by were changed meanwhile."""
    basis = Basis.of(project)
    rows = assigned(project, list(textures))
    subjects = subjects_for(project, rows, offers_fixes=False)
    found: dict[str, list[Finding]] = {row.texture.path: [] for row in rows}
    for finding in standing(run_checks(subjects, "texture."), subjects.setup):
        found[finding.subject].append(finding)
    readings = {}
    for row, checked in zip(rows, subjects.textures, strict=True):
        reading = _first_reading(project, row)
        reading.texture_version = row.texture.version
        reading.verdict_space, reading.confidence = checked.verdict.space or "", checked.verdict.confidence
        reading.rank = max((RANKS[finding.level] for finding in found[row.texture.path]), default=0)
        readings[row.texture.pk] = reading
    with transaction.atomic():
        if Basis.of_state(kept_state(project)) != basis:
            return
        assigned_as = Reading.objects.filter(pk__in=readings, assigned_version=F("texture__version"))
        versions = dict(assigned_as.values_list("pk", "assigned_version"))
        kept = [reading for pk, reading in readings.items() if versions.get(pk) == reading.texture_version]
        TextureFinding.objects.filter(reading__in=[reading.pk for reading in kept]).delete()
        Reading.objects.bulk_create(kept, update_conflicts=True, unique_fields=("texture",), update_fields=_UPDATED)
        TextureFinding.objects.bulk_create(
            TextureFinding(
                reading=reading,
                project=project,
                path=reading.path,
                rank=RANKS[finding.level],
                code=finding.code,
                title=finding.title,
            )
            for reading in kept
            for finding in found[reading.path]
        )


_ASSIGNED = (
    *(
        "path",
        "assigned_version",
        "texture_version",
        "kind",
        "word",
        "set_key",
        "set_name",
        "tile",
        "resolution",
        "frame",
    ),
    *("space", "reason", "reason_name"),
)
_UPDATED = [field.name for field in Reading._meta.fields if field.name != "texture"]
