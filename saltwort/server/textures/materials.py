"""Material documents of a project's texture sets."""

import zipfile
from collections import defaultdict
from collections.abc import Iterator
from tempfile import TemporaryFile
from typing import IO

from saltwort.core.textures.kinds import LIGHT
from saltwort.core.textures.materialx import (
    Disagreement,
    MaterialFile,
    disagreements,
    documented_files,
    material_document,
)
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.textures.operations import AssignedTexture, assigned_textures
from saltwort.server.textures.readings import spaces_by_path


def material_documents(project: Project) -> Iterator[tuple[str, str]]:
    """A document for every texture set, after its file name. Light is no material, so environments and plates are left
    out; so are files that are read in a space which the config does not have."""
    config, words = config_of(project.current), current_setup(project).kind_words
    sets: dict[str, list[AssignedTexture]] = defaultdict(list)
    for row in assigned_textures(project):
        is_light = row.kind is not None and row.kind.kind.group == LIGHT
        if not is_light and config.getColorSpace(row.assignment.space):
            sets[row.member.key].append(row)
    for key, rows in sets.items():
        files = [_file(row) for row in rows]
        yield f"{key.strip('/')}.mtlx", material_document(rows[0].member.name, files, config, words)


def _file(row: AssignedTexture) -> MaterialFile:
    header = row.texture.image.measured().header
    return MaterialFile(row.texture.path, row.kind, row.assignment.space, header.width * header.height)


def packed_documents(project: Project) -> IO[bytes]:
    """All documents in a zip, as a file that goes once it is closed."""
    content = TemporaryFile()  # noqa: SIM115  # whoever sends it closes it
    with zipfile.ZipFile(content, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, document in material_documents(project):
            packed.writestr(name, document)
    content.seek(0)
    return content


def compare_document(project: Project, content: bytes, name: str) -> list[Disagreement]:
    """What a document says of the project's textures beside the spaces they are read in."""
    assigned = {path: space for path, space, _ in spaces_by_path(project)}
    files = documented_files(content, name)
    return disagreements(files, assigned, config_of(project.current), current_setup(project).kind_words)
