"""What a change of the setup would do, before it is saved."""

from collections.abc import Callable, Collection
from copy import copy
from dataclasses import dataclass, replace

from saltwort.core.changes import Change
from saltwort.core.configs import Comparison, Replacement, compare
from saltwort.core.configs.written_changes import config_changes
from saltwort.core.findings import Finding, worst_first
from saltwort.core.project import Setup, compose
from saltwort.server.findings.operations import findings_of_project, findings_of_textures
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import draft_revision
from saltwort.server.projects.setups import base_archive, config_of, current_setup, keep_config, luts_of
from saltwort.server.textures.operations import AssignedTexture, assigned
from saltwort.server.textures.readings import bring_in_step
from saltwort.server.textures.rereading import Reread, assigned_otherwise, same_colours

MOST_LISTED = 200
"""Files and findings that a preview names one by one."""
MOST_COMPARED = 1_000
"""Files whose findings are computed for a preview, before and after."""


@dataclass(frozen=True)
class Otherwise:
    """What reading textures otherwise would do: how many `files` are, the first of them, and, for `compared` files,
    which findings would come and go."""

    files: int
    textures: list[Change]
    compared: int
    new_findings: list[Finding]
    gone_findings: list[Finding]


@dataclass(frozen=True)
class ChangePreview(Otherwise):
    """What would change besides in the config, and what the target version cannot hold."""

    changes: list[Change]
    replacements: list[Replacement]


def preview_change(project: Project, change: Callable[[Setup], Setup]) -> ChangePreview:
    """Look at a change without saving anything. Raises BadInput, as saving would, for one that cannot be."""
    revision, archive = draft_revision(project, change(current_setup(project)))
    keep_config(archive)
    changed = copy(project)
    changed.current = revision
    bring_in_step(project)
    rereads = list(assigned_otherwise(changed))
    touched = [reread.texture for reread in rereads if reread.is_checked_anew]
    if not same_colours(project, changed):  # any file's findings may be others
        touched = list(dict.fromkeys([*touched, *project.textures.values_list("pk", flat=True)[:MOST_COMPARED]]))
    moved = [Change(reread.path, reread.before, reread.space) for reread in rereads if reread.before != reread.space]
    findings, findings_then = findings_of_project(project), findings_of_project(changed, rereads)
    compared = list(project.textures.filter(pk__in=touched[:MOST_COMPARED]).select_related("image"))
    findings += findings_of_textures(project, compared, offers_fixes=False)
    findings_then += findings_of_textures(changed, compared, offers_fixes=False)
    return ChangePreview(
        files=len(moved),
        textures=moved[:MOST_LISTED],
        compared=len(compared),
        new_findings=_only_in(findings_then, findings),
        gone_findings=_only_in(findings, findings_then),
        changes=config_changes(config_of(project.current), config_of(revision)),
        replacements=[Replacement(**stored) for stored in revision.replacements],
    )


@dataclass(frozen=True)
class RulesRun(Otherwise):
    """What the rules would say of `asked` textures, of which `pins` have a pin, were these pins taken away."""

    asked: int
    pins: int


def preview_rules(project: Project, chosen: Collection[int]) -> RulesRun:
    """Look at what running the rules again on the chosen textures, or on all where none is, would do."""
    wanted = set(chosen)
    pinned = [
        texture
        for texture in project.textures.exclude(pin_space="").select_related("image")
        if not wanted or texture.pk in wanted
    ]
    asked = project.textures.count() if not wanted else len(wanted)
    bring_in_step(project)
    before = {row.texture.path: row.assignment.space for row in assigned(project, pinned)}
    findings = findings_of_project(project)
    findings += findings_of_textures(project, pinned[:MOST_COMPARED], offers_fixes=False)
    for texture in pinned:
        texture.pin_space = ""
    rereads = [_reread(row, before[row.texture.path]) for row in assigned(project, pinned)]
    findings_then = findings_of_project(project, rereads)
    findings_then += findings_of_textures(project, pinned[:MOST_COMPARED], offers_fixes=False)
    moved = [Change(reread.path, reread.before, reread.space) for reread in rereads if reread.before != reread.space]
    return RulesRun(
        files=len(moved),
        textures=moved[:MOST_LISTED],
        compared=min(len(pinned), MOST_COMPARED),
        new_findings=_only_in(findings_then, findings),
        gone_findings=_only_in(findings, findings_then),
        asked=asked,
        pins=len(pinned),
    )


def _reread(row: AssignedTexture, before: str) -> Reread:
    reason, kind = row.assignment.reason, row.kind
    return Reread(
        texture=row.texture.pk,
        path=row.texture.path,
        before=before,
        kind=kind.kind.key if kind else "",
        word=kind.word if kind else "",
        space=row.assignment.space,
        reason=reason.kind,
        reason_name=reason.name,
        is_checked_anew=True,
    )


def target_differences(project: Project, version: str) -> Comparison:
    """How far colours would be from what they are without a target version, as `compare` measures."""
    setup = replace(current_setup(project), target_version="")
    luts = luts_of(setup)
    whole, lowered = (
        compose(base_archive(setup.base), replace(setup, target_version=target), project.slug, luts)
        for target in ("", version)
    )
    return compare(whole, lowered)


def _only_in(findings: list[Finding], others: list[Finding]) -> list[Finding]:
    known = {(finding.code, finding.subject) for finding in others}
    only = [finding for finding in findings if (finding.code, finding.subject) not in known]
    return worst_first(only)[:MOST_LISTED]
