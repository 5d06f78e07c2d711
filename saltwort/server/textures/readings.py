"""Keep how each texture of a project is read, and what is wrong with it, in step with what that depends on.

Nothing is kept by hand: two hashes say what the readings were computed from. When they differ from those of the project
as it stands, or a texture's version from the one it was checked at, just what is different is computed anew.
"""

import json
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from functools import partial
from hashlib import sha256
from threading import Lock
from typing import Any

import PyOpenColorIO as ocio
from django.db import connection, transaction
from django.db.models import F, Q, QuerySet
from django.db.models.functions import Length

from saltwort.core.engine.colours import colours_of
from saltwort.core.findings import (
    LEVELS,
    LONGEST_PATHS,
    Census,
    CheckedTexture,
    Finding,
    Like,
    Subjects,
    run_checks,
)
from saltwort.core.project import read_field
from saltwort.core.project.parts.rules import Rules
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.kinds import kind_finder
from saltwort.core.textures.rules import Rule, RuleBook
from saltwort.server.jobs.models import QUEUED, RUNNING, Job
from saltwort.server.jobs.operations import Report, start, work
from saltwort.server.kept import count_change, kept_value
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import base_text, config_of, current_setup, rule_book_of
from saltwort.server.queries import among
from saltwort.server.textures.models import Reading, ReadingState, Texture, TextureFinding
from saltwort.server.textures.operations import AssignedTexture, assigned

JOB = "check-textures"
AT_ONCE_SECONDS = 0.6
"""Time that somebody who asks waits for files to be checked; the rest is done as a job."""
CHUNK, CHUNKS_TOGETHER = 200, 10
TRIES = 3
FORMAT = 2
"""Raised when checks find other things than before."""
RANKS = {level: len(LEVELS) - index for index, level in enumerate(LEVELS)}
LEVEL_OF = {rank: level for level, rank in RANKS.items()}


def refresh(project: Project, seconds: float | None = None) -> int:
    """Bring the readings in step with the project as it stands: spaces and reasons of all textures at once, checks for
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
    wanted, known = _Basis.of(project), _kept_state(project)
    basis = _Basis.of_state(known)
    changed = list(assigned_otherwise(project)) if basis.assigned_by != wanted.assigned_by else []
    behind = _behind(project, "assigned_version")
    textures = list(project.textures.filter(among("pk", behind)).defer("image")) if behind else []
    fresh = [_first_reading(project, row) for row in assigned(project, textures)]
    if basis == wanted and not fresh:
        return True
    with transaction.atomic():
        if _was_changed(project):
            return True
        if _kept_state(project).written != known.written:
            return False
        versions = dict(project.textures.filter(among("pk", behind)).values_list("pk", "version"))
        Reading.objects.bulk_create(
            [reading for reading in fresh if versions.get(reading.texture_id) == reading.assigned_version],
            update_conflicts=True,
            unique_fields=("texture",),
            update_fields=_ASSIGNED,
            batch_size=500,
        )
        _write_assignments(changed)
        if basis.checked_by != wanted.checked_by:
            Reading.objects.filter(project=project).update(texture_version=0)
        state = {**vars(wanted), "written": known.written + 1}
        ReadingState.objects.update_or_create(project=project, defaults=state)
    return True


def _kept_state(project: Project) -> ReadingState:
    return ReadingState.objects.filter(project=project).first() or ReadingState(project=project)


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


@dataclass(frozen=True)
class _Basis:
    """Hashes of what assignments depend on, and of what findings depend on besides the assignment; and what the setup
    says of assignments."""

    assigned_by: str
    checked_by: str
    said: dict[str, Any] = field(compare=False)  # told apart by the hashes: in memory it may hold tuples for lists

    @classmethod
    def of_state(cls, state: ReadingState) -> "_Basis":
        """What the readings of a project were computed from; empty hashes where there are none."""
        return cls(state.assigned_by, state.checked_by, state.said)

    @classmethod
    def of(cls, project: Project) -> "_Basis":
        setup = project.current.setup
        colours = colours_of(config_of(project.current))
        said = {"colours": colours, **{name: setup[name] for name in Rules.fields}}
        trimmed = [setup["base"], setup["trim"]] if setup.get("trim") else []
        return cls(_hash([FORMAT, said]), _hash([FORMAT, colours, trimmed]), said)


def _hash(value: object) -> str:
    return sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()


def same_colours(project: Project, other: Project) -> bool:
    """Whether two states of a project have the same findings for a texture that both read in the same space."""
    return _Basis.of(project).checked_by == _Basis.of(other).checked_by


@dataclass(frozen=True)
class Reread:
    """What a texture's reading becomes, and the space it had; `is_checked_anew` when findings may be others."""

    texture: int
    path: str
    before: str
    kind: str
    word: str
    space: str
    reason: str
    reason_name: str
    is_checked_anew: bool


_FIELDS = ("texture_id", "path", "kind", "word", "space", "reason", "reason_name")


def assigned_otherwise(project: Project) -> Iterator[Reread]:
    """The readings that the project as it stands, or as it is drafted, gives otherwise than those that are kept."""
    assign = rule_book_of(project.current).assign
    kind_of = kind_finder(current_setup(project).kind_words)
    config = config_of(project.current)
    for pk, path, kind, word, space, reason, reason_name in _that_may_differ(project).values_list(*_FIELDS):
        match = kind_of(path)
        told, by = (match.kind.key, match.word) if match else ("", "")
        if reason == "pin":
            pinned = config.getColorSpace(space)
            now = (pinned.getName() if pinned else space, reason, reason_name)
        else:
            found = assign(path)
            now = (found.space, found.reason.kind, found.reason.name)
        if (told, by, *now) != (kind, word, space, reason, reason_name):
            is_checked_anew = (told, by, now[0]) != (kind, word, space)
            yield Reread(pk, path, space, told, by, *now, is_checked_anew)


def _that_may_differ(project: Project) -> QuerySet[Reading]:
    """The readings that may have another assignment than the one that is kept. Where nothing but rules and words of
    map kinds has changed, those are the files that a rule takes which came, went or moved, or in whose name such a word
    stands."""
    readings = Reading.objects.filter(project=project)
    before, now = _Basis.of_state(_kept_state(project)).said, _Basis.of(project).said
    if any(before.get(name) != now[name] for name in ("colours", "default_space")):
        return readings
    concerns = _concerned(project, before, now)
    if concerns is None:
        return readings
    with connection.cursor() as cursor:  # past the ORM: this asks about every file of a show
        cursor.execute(f"SELECT texture_id, path FROM {Reading._meta.db_table} WHERE project_id = %s", [project.pk])
        concerned = [pk for pk, path in cursor if concerns(path)]
    return readings.filter(among("pk", concerned))


def _concerned(project: Project, before: dict[str, Any], now: dict[str, Any]) -> Callable[[str], object] | None:
    """Tells whether a path may be assigned otherwise by these rules and words than by those before; None for all."""
    asks: list[Callable[[str], object]] = []
    words_before, words = (read_field("kind_words", said["kind_words"]) for said in (before, now))
    changed_words = tuple(sorted(set(words_before) ^ set(words)))
    if not changed_words and words_before != words:
        return None
    for rules, known in (_only_in(before, now), words_before), (_only_in(now, before), words):
        if any(rule.kind == "space_in_path" for rule in rules):
            return None
        if rules:
            asks.append(RuleBook(config_of(project.current), rules, "", known).takes)
    if changed_words:
        asks.append(kind_finder(changed_words))
    return asks[0] if len(asks) == 1 else lambda path: any(ask(path) for ask in asks)


def _only_in(said: dict[str, Any], other: dict[str, Any]) -> tuple[Rule, ...]:
    """The rules that stand here and not there, or at another place among the others."""
    rules, others = ([json.dumps(rule, sort_keys=True) for rule in each["rules"]] for each in (said, other))
    kept = SequenceMatcher(None, rules, others, autojunk=False).get_matching_blocks()
    stay = {block.a + offset for block in kept for offset in range(block.size)}
    gone: tuple[Rule, ...] = read_field("rules", [rule for at, rule in enumerate(said["rules"]) if at not in stay])
    return gone


def _write_assignments(changes: Sequence[Reread]) -> None:
    """Write what has changed, past the ORM's rows, since a rule may change every file of a show."""
    with connection.cursor() as cursor:
        cursor.executemany(
            f"UPDATE {Reading._meta.db_table} SET kind = %s, word = %s, space = %s, reason = %s, reason_name = %s, "
            "texture_version = CASE WHEN %s THEN 0 ELSE texture_version END WHERE texture_id = %s",
            [
                (
                    change.kind,
                    change.word,
                    change.space,
                    change.reason,
                    change.reason_name,
                    change.is_checked_anew,
                    change.texture,
                )
                for change in changes
            ],
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
    """A project's textures all together, with some read otherwise than they are."""
    readings = Reading.objects.filter(project=project).order_by()
    taking = readings.filter(reason="rule").values_list("reason_name", flat=True).distinct()
    longest = readings.annotate(length=Length("path")).order_by("-length", "path").values_list("path", flat=True)
    return Census(readings.count(), _still_taking(readings, taking, otherwise), tuple(longest[:LONGEST_PATHS]))


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
    basis = _Basis.of(project)
    rows = assigned(project, list(textures))
    subjects = subjects_for(project, rows, offers_fixes=False)
    found: dict[str, list[Finding]] = {row.texture.path: [] for row in rows}
    for finding in run_checks(subjects, "texture."):
        found[finding.subject].append(finding)
    readings = {}
    for row, checked in zip(rows, subjects.textures, strict=True):
        reading = _first_reading(project, row)
        reading.texture_version = row.texture.version
        reading.verdict_space, reading.confidence = checked.verdict.space or "", checked.verdict.confidence
        reading.rank = max((RANKS[finding.level] for finding in found[row.texture.path]), default=0)
        readings[row.texture.pk] = reading
    with transaction.atomic():
        if _Basis.of_state(_kept_state(project)) != basis:
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
