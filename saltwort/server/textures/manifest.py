"""The list of a project's textures that other programs read."""

from collections.abc import Iterator
from typing import Any

import PyOpenColorIO as ocio
from django.db.models import QuerySet

from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.textures.models import Reading
from saltwort.server.textures.readings import bring_in_step, check_where_behind

CHUNK = 500


def manifest_of(project: Project) -> Iterator[dict[str, Any]]:
    """One row for each texture, by path, with plain values or lists of them. Rows are made as they are asked for, a few
    files at a time, and say how the project stood when it was begun."""
    bring_in_step(project)
    config = config_of(project.current)
    last = ""
    while some := list(_after(project, last)):
        check_where_behind(project, [reading.texture for reading in some])
        for reading in _after(project, last):
            codes = [found.code for found in reading.findings.all()]
            yield {**_row(reading, config), "findings": codes, "revision": project.current.number}
        last = some[-1].path


def _after(project: Project, path: str) -> QuerySet[Reading]:
    """The next readings by path."""
    found = Reading.objects.filter(project=project, path__gt=path).order_by("path").select_related("texture__image")
    return found.prefetch_related("findings")[:CHUNK]


def _row(reading: Reading, config: ocio.Config) -> dict[str, Any]:
    space, image = config.getColorSpace(reading.space), reading.texture.image
    header = image.measured().header
    return {
        "path": reading.path,
        "set": reading.set_name,
        "tile": reading.tile,
        "resolution": reading.resolution,
        "frame": reading.frame,
        "map_kind": reading.kind,
        "space": reading.space,
        "interop_id": space.getInteropID() if space else "",
        "reason": reading.reason,
        "rule_or_note": reading.reason_name,
        "verdict": reading.verdict_space,
        "confidence": reading.confidence,
        "width": header.width,
        "height": header.height,
        "channels": header.channels,
        "format": header.format,
        "bit_depth": header.bit_depth,
        "bytes": image.size,
        "sha256": image.sha256,
    }
