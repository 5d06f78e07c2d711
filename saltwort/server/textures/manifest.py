"""The list of a project's textures that other programs read."""

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

import PyOpenColorIO as ocio
from django.db.models import QuerySet

from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.textures.models import Reading, TextureFinding
from saltwort.server.textures.readings import bring_in_step, check_where_behind

CHUNK = 500
_OWN = ("path", "set_name", "tile", "resolution", "frame", "kind", "space", "reason", "reason_name")
_FILE = ("texture__image__facts", "texture__image__size", "texture__image_id")


def manifest_of(project: Project) -> Iterator[dict[str, Any]]:
    """One row for each texture, by path, with plain values or lists of them. Rows are made as they are asked for, a few
    files at a time, and say how the project stood when it was begun."""
    bring_in_step(project)
    config = config_of(project.current)
    last = ""
    while paths := list(_after(project, last).values_list("path", flat=True)):
        check_where_behind(project, last, paths[-1])
        codes: dict[str, list[str]] = defaultdict(list)
        found = TextureFinding.objects.filter(project=project, path__gt=last, path__lte=paths[-1])
        for path, code in found.values_list("path", "code"):
            codes[path].append(code)
        for row in _after(project, last).values(*_OWN, *_FILE, "verdict_space", "confidence"):
            yield {**_row(row, config), "findings": codes[row["path"]], "revision": project.current.number}
        last = paths[-1]


def _after(project: Project, path: str) -> QuerySet[Reading]:
    """The next readings by path."""
    return Reading.objects.filter(project=project, path__gt=path).order_by("path")[:CHUNK]


def _row(row: dict[str, Any], config: ocio.Config) -> dict[str, Any]:
    space, header = config.getColorSpace(row["space"]), row["texture__image__facts"]["header"]
    return {
        "path": row["path"],
        "set": row["set_name"],
        "tile": row["tile"],
        "resolution": row["resolution"],
        "frame": row["frame"],
        "map_kind": row["kind"],
        "space": row["space"],
        "interop_id": space.getInteropID() if space else "",
        "reason": row["reason"],
        "rule_or_note": row["reason_name"],
        "verdict": row["verdict_space"],
        "confidence": row["confidence"],
        "width": header["width"],
        "height": header["height"],
        "channels": len(header["channel_names"]),
        "format": header["format"],
        "bit_depth": header["bit_depth"],
        "bytes": row["texture__image__size"],
        "sha256": row["texture__image_id"],
    }
