"""Run the checks on a project, and apply their fixes."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import chain
from math import inf
from typing import Any

import numpy as np
from django.db.models import Count, Min, QuerySet
from numpy.typing import NDArray

from saltwort.core.configs import Replacement
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.findings import (
    LEVELS,
    CheckedRender,
    DrawnOff,
    Finding,
    Subjects,
    UnreadableFile,
    run_checks,
    standing,
    worst_first,
)
from saltwort.core.images.channels import colour_channels
from saltwort.core.images.sequences import missing_in
from saltwort.server.compare.models import Comparison
from saltwort.server.handoffs.proving import checked_proofs
from saltwort.server.images.operations import preview_of
from saltwort.server.kept import kept_value
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import base_text, config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import facts_of, space_of
from saltwort.server.textures.models import Texture, TextureFinding
from saltwort.server.textures.operations import assigned
from saltwort.server.textures.readings import LEVEL_OF, RANKS, census_of, refresh, subjects_for
from saltwort.server.textures.rereading import Reread
from saltwort.server.watching.series import checked_folders

UNREADABLE = "texture.unreadable"
MOST_UNREADABLE = 200
"""Files that could not be read, of which findings are told one by one."""


def findings_of(project: Project) -> list[Finding]:
    """All findings of a project as it stands, with their fixes, worst first. For many textures this takes long."""
    refresh(project, seconds=inf)
    of_textures = TextureFinding.objects.filter(project=project).order_by("path")
    paths = list(of_textures.values_list("path", flat=True).distinct())
    return worst_first(chain(findings_of_project(project), findings_a_few_at_a_time(project, paths)))


TEXTURES_AT_ONCE = 500


def findings_of_project(project: Project, otherwise: Sequence[Reread] = ()) -> list[Finding]:
    """The findings that are not of a texture, and the files that could not be read, worst first; with some textures
    read `otherwise` than they are."""
    subjects = _project_subjects(project, otherwise)
    found = run_checks(subjects, without="texture.") + run_checks(subjects, UNREADABLE)
    return worst_first(standing(found, subjects.setup))


def own_findings(project: Project) -> tuple[Finding, ...]:
    """The findings of a project as it is stored that are not of a texture, worst first; computed once for all who ask
    as long as nothing changes."""
    refresh(project)
    return kept_value(lambda: tuple(findings_of_project(project)), "own findings", project.pk, project.current_id)


def findings_of_textures(project: Project, textures: Sequence[Texture], *, offers_fixes: bool = True) -> list[Finding]:
    """The findings of some textures, worst first."""
    subjects = subjects_for(project, assigned(project, list(textures)), offers_fixes=offers_fixes)
    return standing(run_checks(subjects, "texture."), subjects.setup)


def _findings_of_paths(project: Project, paths: Sequence[str]) -> list[Finding]:
    return findings_of_textures(project, project.textures.filter(path__in=paths).select_related("image"))


@dataclass(frozen=True)
class Page:
    """Some of the findings asked for, worst first: how many there are of each level in the project, how many of all are
    asked for, and how many files are not checked yet."""

    counts: dict[str, int]
    total: int
    unchecked: int
    findings: list[Finding]


def page_of(project: Project, level: str, code: str, subject: str, offset: int, limit: int) -> Page:
    """Findings of a level, code or subject, or all: of each level those of the project first, then those of textures.
    Codes may be given by their beginning, as `texture.`. Only for what is on the page are fixes computed."""
    unchecked = refresh(project)
    own: Sequence[Finding] = own_findings(project)
    of_textures = TextureFinding.objects.filter(project=project)
    counts = Counter(finding.level for finding in own)
    for row in of_textures.order_by().values("rank").annotate(count=Count("pk")):
        counts[LEVEL_OF[row["rank"]]] += row["count"]
    own = [
        finding
        for finding in own
        if finding.code.startswith(code) and subject in ("", finding.subject) and level in ("", finding.level)
    ]
    of_textures = of_textures.filter(code__startswith=code)
    if subject:
        of_textures = of_textures.filter(path=subject)
    if level:
        of_textures = of_textures.filter(rank=RANKS[level])
    total = len(own) + of_textures.count()
    shown = _merged(project, own, of_textures, offset, limit)
    return Page({name: counts[name] for name in LEVELS}, total, unchecked, shown)


@dataclass(frozen=True)
class Group:
    """The findings of one cause: how many there are, and what is said of the first of them."""

    code: str
    level: str
    count: int
    title: str


def groups_of(project: Project) -> list[Group]:
    """The findings of a project by their cause, worst first."""
    refresh(project)
    groups: dict[tuple[str, str], Group] = {}
    of_textures = TextureFinding.objects.filter(project=project).order_by().values("code", "rank")
    counted = [
        Group(row["code"], LEVEL_OF[row["rank"]], row["count"], row["title"])
        for row in of_textures.annotate(count=Count("pk"), title=Min("title"))
    ]
    for group in (*(Group(one.code, one.level, 1, one.title) for one in own_findings(project)), *counted):
        key = (group.level, group.code)
        known = groups.get(key)
        groups[key] = replace(known, count=known.count + group.count) if known else group
    return sorted(groups.values(), key=lambda group: (LEVELS.index(group.level), group.code))


def _merged(
    project: Project, own: Sequence[Finding], of_textures: QuerySet[TextureFinding], offset: int, limit: int
) -> list[Finding]:
    wanted: list[Finding | tuple[str, str]] = []
    for level in LEVELS:
        part = [finding for finding in own if finding.level == level]
        listed = of_textures.filter(rank=RANKS[level]).order_by("code", "path")
        count = len(part) + listed.count()
        if offset < count and len(wanted) < limit:
            wanted += part[offset : offset + limit - len(wanted)]
            start = max(0, offset - len(part))
            wanted += listed.values_list("code", "path")[start : start + limit - len(wanted)]
        offset = max(0, offset - count)
    paths = {item[1] for item in wanted if not isinstance(item, Finding)}
    fixed = {(found.code, found.subject): found for found in _findings_of_paths(project, list(paths))} if paths else {}
    found = (item if isinstance(item, Finding) else fixed.get(item) for item in wanted)
    return [finding for finding in found if finding]


def _project_subjects(project: Project, otherwise: Sequence[Reread]) -> Subjects:
    """A project's things but its textures, of which only what they are all together is told."""
    setup = current_setup(project)
    return Subjects(
        config=config_of(project.current),
        setup=setup,
        base_text=base_text(setup.base),
        replacements=[Replacement(**stored) for stored in project.current.replacements],
        counted=census_of(project, otherwise),
        renders=[
            CheckedRender(
                render.name, space_of(render).space, facts_of(render), partial(_sample, render), *_gaps(render)
            )
            for render in project.renders.select_related("image")
        ],
        unreadable=[UnreadableFile(file.path, file.reason) for file in project.left_out.all()[:MOST_UNREADABLE]],
        stations=[station.described() for station in project.stations.all()],
        hand_offs=[
            (arrow.giver.described(), arrow.taker.described())
            for arrow in project.hand_offs.select_related("giver", "taker")
        ],
        proofs=checked_proofs(project),
        watched=checked_folders(project),
        **_compared(project),
    )


def _gaps(render: Render) -> tuple[tuple[int, ...], tuple[tuple[int, str], ...]]:
    """The frames of a sequence that are missing, and those that cannot be read."""
    if render.frame is None:
        return (), ()
    reasons = dict(render.frames.values_list("number", "reason"))
    return tuple(missing_in(reasons)), tuple((number, reason) for number, reason in reasons.items() if reason)


def _sample(render: Render) -> NDArray[np.float32] | None:
    """Pixels of a render as it was brought; none of another of its layers, or once its file is gone."""
    if render.layer:
        return None
    try:
        sample = preview_of(render.image).sample
    except BadInput:
        return None
    return sample[:, colour_channels(render.image.measured().header.channel_names)]


def _compared(project: Project) -> dict[str, Any]:
    """What the Compare step adds to the subjects of checks."""
    comparison = Comparison.objects.filter(project=project).first()
    if comparison is None:
        return {}
    own = [(f"pane {number}", pane.get("exposure")) for number, pane in enumerate(comparison.panes, start=1)]
    current = [seen for seen in comparison.drawn_off if seen["revision"] == project.current.number]
    return {
        "exposures": [("all panes", comparison.exposure), *((name, stops) for name, stops in own if stops)],
        "drawn_off": [
            DrawnOff(ViewChoice(seen["display"], seen["view"], seen["look"]), seen["largest"]) for seen in current
        ],
    }


def findings_a_few_at_a_time(project: Project, paths: Sequence[str]) -> Iterator[Finding]:
    """The findings of many textures, by their paths."""
    for start in range(0, len(paths), TEXTURES_AT_ONCE):
        yield from _findings_of_paths(project, paths[start : start + TEXTURES_AT_ONCE])
