"""What a change of the setup would do, before it is saved."""

from collections.abc import Callable, Collection
from copy import copy
from dataclasses import dataclass, replace

from saltwort.core.changes import Change
from saltwort.core.configs import Comparison, Replacement, Setup, compare, compose
from saltwort.core.configs.changes import config_changes
from saltwort.core.findings import Finding
from saltwort.server.findings.operations import findings_of
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import draft_revision
from saltwort.server.projects.setups import base_archive, config_of, current_setup, keep_config, luts_of
from saltwort.server.textures.operations import assigned_textures


@dataclass(frozen=True)
class ChangePreview:
    """What would change in the config, which textures would be read in another space, which findings would come and
    go, and what the target version cannot hold."""

    changes: list[Change]
    textures: list[Change]
    new_findings: list[Finding]
    gone_findings: list[Finding]
    replacements: list[Replacement]


def preview_change(project: Project, change: Callable[[Setup], Setup]) -> ChangePreview:
    """Look at a change without saving anything. Raises BadInput, as saving would, for one that cannot be."""
    revision, archive = draft_revision(project, change(current_setup(project)))
    keep_config(archive)
    changed = copy(project)
    changed.current = revision
    before = {row.texture.path: row.assignment.space for row in assigned_textures(project)}
    now = {row.texture.path: row.assignment.space for row in assigned_textures(changed)}
    findings, findings_now = findings_of(project), findings_of(changed)
    return ChangePreview(
        changes=config_changes(config_of(project.current), config_of(revision)),
        textures=[Change(path, space, now[path]) for path, space in before.items() if now[path] != space],
        new_findings=_only_in(findings_now, findings),
        gone_findings=_only_in(findings, findings_now),
        replacements=[Replacement(**stored) for stored in revision.replacements],
    )


@dataclass(frozen=True)
class RulesRun:
    """What the rules would say of `files` textures, of which `pins` have a pin, were these pins taken away."""

    files: int
    pins: int
    changes: list[Change]
    new_findings: list[Finding]
    gone_findings: list[Finding]


def preview_rules(project: Project, chosen: Collection[int]) -> RulesRun:
    """Look at what running the rules again on the chosen textures, or on all where none is, would do."""
    rows = {row.texture.pk: row for row in assigned_textures(project)}
    chosen = set(chosen or rows) & set(rows)
    pinned = {pk for pk in chosen if rows[pk].assignment.reason.kind == "pin"}
    ruled = {row.texture.pk: row.assignment.space for row in assigned_textures(project, pinned)}
    findings = findings_of(project)
    findings_then = findings_of(project, pinned) if pinned else findings
    return RulesRun(
        files=len(chosen),
        pins=len(pinned),
        changes=[
            Change(rows[pk].texture.path, rows[pk].assignment.space, ruled[pk])
            for pk in sorted(pinned)
            if ruled[pk] != rows[pk].assignment.space
        ],
        new_findings=_only_in(findings_then, findings),
        gone_findings=_only_in(findings, findings_then),
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
    return [finding for finding in findings if (finding.code, finding.subject) not in known]
