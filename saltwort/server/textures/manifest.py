"""The list of a project's textures that other programs read."""

from collections import defaultdict
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.findings import CheckedTexture, run_checks
from saltwort.server.findings.operations import subjects_of
from saltwort.server.projects.models import Project
from saltwort.server.textures.operations import AssignedTexture, assigned_textures


def manifest_of(project: Project) -> list[dict[str, Any]]:
    """One row for each texture, with plain values or lists of them."""
    subjects = subjects_of(project)
    checked = {texture.path: texture for texture in subjects.textures}
    codes: dict[str, list[str]] = defaultdict(list)
    for finding in run_checks(subjects):
        codes[finding.subject].append(finding.code)
    return [
        {
            **_row(row, checked[row.texture.path], subjects.config),
            "findings": codes[row.texture.path],
            "revision": project.current.number,
        }
        for row in assigned_textures(project)
    ]


def _row(row: AssignedTexture, checked: CheckedTexture, config: ocio.Config) -> dict[str, Any]:
    header, space = checked.facts.header, config.getColorSpace(row.assignment.space)
    return {
        "path": row.texture.path,
        "set": row.member.name,
        "tile": row.member.tile,
        "resolution": row.member.resolution,
        "frame": row.member.frame,
        "map_kind": row.kind.kind.key if row.kind else "",
        "space": row.assignment.space,
        "interop_id": space.getInteropID() if space else "",
        "reason": row.assignment.reason.kind,
        "rule_or_note": row.assignment.reason.name,
        "verdict": checked.verdict.space or "",
        "confidence": checked.verdict.confidence,
        "width": header.width,
        "height": header.height,
        "channels": header.channels,
        "format": header.format,
        "bit_depth": header.bit_depth,
        "bytes": row.texture.image.size,
        "sha256": row.texture.image.sha256,
    }
