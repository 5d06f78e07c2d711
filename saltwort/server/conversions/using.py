"""Have a project use converted files as its textures from now on. The files that they were made from stay on disk."""

import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from django.db.models import F, Q, QuerySet

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.project import Setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.server.conversions.models import CONVERTED, Conversion, ConvertedFile
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import stored_images
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Report, start, work
from saltwort.server.jobs.spread import Piece, outcomes
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of
from saltwort.server.queries import among
from saltwort.server.textures.intake import read_file
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import assign_paths
from saltwort.server.versions import Stale

JOB = "use-converted-textures"
ATTEMPTS = 5
"""How often the project may change while its textures are replaced, before the job gives up."""

IN_USE = Q(target=F("path"), texture__converted_from=F("path"))
"""Of a file that has the name of its original: by its path alone nobody can tell which of them the texture is."""


@dataclass(frozen=True)
class Replacement:
    """A texture and what it becomes: another path and content, and a space set manually where the rules give another
    one."""

    texture: int
    before: str
    after: str
    image: StoredImage
    pin_space: str


def usable(conversion: Conversion) -> QuerySet[ConvertedFile]:
    """The files of an order that were made, of textures that are still those it was made of."""
    made = conversion.files.filter(state=CONVERTED, texture__project=conversion.project, texture__path=F("path"))
    return made.exclude(IN_USE).select_related("texture").order_by("pk")


def start_using(conversion: Conversion, author: str = "") -> Job:
    """Queue the replacement of textures by their converted files. Raises BadInput where there are none, one is gone
    from its folder, or another texture has the path of one."""
    files = list(usable(conversion))
    if not files:
        raise BadInput("The project uses these files already, or no longer has the textures that they were made from.")
    _check(conversion, files)
    title = f"Use {len(files):,} converted {'texture' if len(files) == 1 else 'textures'}"
    return start(conversion.project, JOB, title, {"conversion": conversion.pk, "author": author})


def _check(conversion: Conversion, files: list[ConvertedFile]) -> None:
    for file in files:
        if not (conversion.folder / file.target).is_file():
            raise BadInput(f"{file.target} was removed from {conversion.place or 'the media folder'}. Convert again.")
    config = config_of(conversion.project.current)
    for space in {file.space for file in files}:
        known_space(config, space)
    replaced = {file.texture_id for file in files}
    taken = conversion.project.textures.filter(path__in=[file.target for file in files])
    if other := taken.exclude(among("pk", replaced)).first():
        raise BadInput(f"Another texture is called {other.path}. Remove it, or convert under other names.")


@work(JOB)
def _use(job: Job, report: Report) -> str:
    conversion = Conversion.objects.select_related("project__current").filter(pk=job.arguments["conversion"]).first()
    if conversion is None:
        raise BadInput("The conversion was removed meanwhile. Convert again.")
    images = _read(conversion, list(usable(conversion)), report)
    for attempt in range(ATTEMPTS):
        files = [file for file in usable(conversion) if file.pk in images]
        _check(conversion, files)
        try:
            _replace(conversion, files, images, job.arguments.get("author", ""))
            break
        except Stale:
            if attempt == ATTEMPTS - 1:
                raise BadInput("The project was changed again and again meanwhile. Try again.") from None
            time.sleep(0.2)
            conversion.project = Project.objects.get(pk=conversion.project_id)
    textures = "1 texture is" if len(files) == 1 else f"{len(files):,} textures are"
    return f"{textures} replaced. Undo brings the originals back; their files were not touched."


def _read(conversion: Conversion, files: list[ConvertedFile], report: Report) -> dict[int, StoredImage]:
    """Measure the converted files. Those in the media folder are kept as uploads are, since an order can be deleted."""
    taken: dict[str, dict[str, Any]] = {}

    def look() -> None:
        report(len(taken) / len(files), f"Reading {len(taken):,} of {len(files):,}")

    def pieces() -> Iterator[Piece]:
        for file in files:
            place = conversion.folder / file.target
            arguments = {"place": str(place), "path": file.target, "in_place": bool(conversion.place)}
            yield Piece(file.pk, arguments)

    names = {file.pk: file.target for file in files}
    for outcome in outcomes(read_file, pieces(), look=look):
        if outcome.refused:
            raise BadInput(f"{names[outcome.key]} cannot be read: {outcome.refused} Convert again.")
        taken[str(outcome.key)] = outcome.result
    return {int(key): image for key, image in stored_images(taken).items()}


def _replace(
    conversion: Conversion, files: list[ConvertedFile], images: Mapping[int, StoredImage], author: str
) -> None:
    """Give the textures their new paths and contents, and what the rig is given by its new paths, as one action."""
    project = conversion.project
    replacements = list(_replacements(conversion, files, images))
    moved = {each.before: each.after for each in replacements}
    rows = project.textures.filter(among("pk", [each.texture for each in replacements]))

    def changed(setup: Setup) -> Setup:
        scene = ScenePart.of(setup)
        inputs = tuple((slot, moved.get(given, given)) for slot, given in scene.inputs)
        return ScenePart.with_value(setup, replace(scene, inputs=inputs))

    def alongside() -> None:
        textures = {texture.pk: texture for texture in rows}
        for each in replacements:
            texture = textures.get(each.texture)
            if texture is None or texture.path != each.before:
                raise Stale(project.current.number)
            _become(texture, each, author)

    count = len(replacements)
    what = f"{count:,} {'texture' if count == 1 else 'textures'} replaced by conversion to {conversion.space}"
    change_setup(project, project.current.number, what, changed, author, alongside, (rows,))


def _replacements(
    conversion: Conversion, files: list[ConvertedFile], images: Mapping[int, StoredImage]
) -> Iterator[Replacement]:
    project = conversion.project
    config = config_of(project.current)
    given = assign_paths(project, [file.target for file in files])
    for file, assignment in zip(files, given, strict=True):
        space = known_space(config, file.space)
        by_rule = assignment.reason.kind != "pin" and assignment.space == space
        assert file.texture_id is not None
        yield Replacement(file.texture_id, file.path, file.target, images[file.pk], "" if by_rule else space)


def _become(texture: Texture, each: Replacement, author: str) -> None:
    texture.change(
        texture.version,
        path=each.after,
        image=each.image,
        pin_space=each.pin_space,
        pin_note=f"converted from {each.before}"[:500] if each.pin_space else "",
        pin_author=author[:80] if each.pin_space else "",
        converted_from=texture.converted_from or each.before,
    )
