"""Add textures in, by the thousand: from a browser, out of zips, or from a folder where they stay."""

import json
import posixpath
import shutil
from collections.abc import Collection, Sequence
from datetime import timedelta
from functools import partial
from itertools import count
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models.expressions import RawSQL
from django.utils import timezone

from saltwort.core.errors import BadInput
from saltwort.core.names import free_name
from saltwort.core.textures.folders import (
    FoundFile,
    allowed_folder,
    is_zip,
    picture_paths,
    pictures_below,
    unpacked_pictures,
)
from saltwort.core.textures.sample_set import write_sample_set
from saltwort.server.history.operations import recording, remove
from saltwort.server.images.operations import store_file, stored_images, take_in, write_upload
from saltwort.server.jobs.models import QUEUED, RUNNING, WAITING, Job
from saltwort.server.jobs.operations import Cancelled, Report, cancel, start, work
from saltwort.server.jobs.spread import Outcome, file_task, work_through
from saltwort.server.projects.models import Project
from saltwort.server.textures.models import IN, REFUSED, Intake, IntakeFile, LeftOut, TextureFolder
from saltwort.server.textures.operations import add_textures, clean_path

JOB = "bring-textures"
REPLACE, KEEP_BOTH, LEAVE_OUT = "replace", "keep both", "leave out"
"""What becomes of a file that was sent whose path a texture of the project has."""
TAKEN = (REPLACE, KEEP_BOTH, LEAVE_OUT)
UPLOADS_KEPT = timedelta(days=1)
"""Uploads that nobody ended, because a browser was closed, are thrown away after this."""


def add_samples(project: Project, author: str = "") -> None:
    """Add a small set of textures that is drawn here, for a project that has none of its own yet."""
    with TemporaryDirectory() as folder:
        paths = write_sample_set(Path(folder))
        images = {str(path): store_file(Path(folder) / path, path.name) for path in paths}
    add_textures(project, images, "Sample textures added", author)


def taken_paths(project: Project, paths: Collection[str]) -> set[str]:
    """Which of these paths, as somebody is about to send files under them, textures of a project have."""
    cleaned = {path: _cleaned(path) for path in paths}
    listed = json.dumps(list(cleaned.values()))
    known = RawSQL("SELECT value FROM json_each(%s)", [listed])
    there = set(project.textures.filter(path__in=known).values_list("path", flat=True))
    return {path for path, clean in cleaned.items() if clean in there}


def taken_in(intake: Intake) -> set[str]:
    """Which textures of the project the files that wait would replace, by path, those in zips too."""
    found: set[str] = set()
    for file in intake.files.filter(state=WAITING):
        if is_zip(Path(file.place)):
            folder = posixpath.dirname(file.path)
            found |= {posixpath.join(folder, path) for path in picture_paths(Path(file.place))}
        else:
            found.add(file.path)
    return taken_paths(intake.project, found)


def _cleaned(path: str) -> str:
    try:
        return clean_path(path)
    except BadInput:
        return ""  # it is told when it comes


def begin_upload(project: Project) -> Intake:
    """Open an intake for files that a browser sends one after another."""
    _clear_abandoned(project)
    intake = Intake.objects.create(project=project)
    shutil.rmtree(intake.waiting_room, ignore_errors=True)  # of one with this number that was never saved
    intake.waiting_room.mkdir(parents=True)
    return intake


def _clear_abandoned(project: Project) -> None:
    """Throw away uploads that nobody ended, and those whose job was cancelled before it began."""
    jobs = project.jobs.filter(arguments__has_key="intake", state__in=(QUEUED, RUNNING))
    awaited = {job.arguments["intake"] for job in jobs}
    too_old = timezone.now() - UPLOADS_KEPT
    for intake in project.intakes.all():
        if intake.pk not in awaited and (intake.started or intake.created < too_old):
            close(intake)


def receive(intake: Intake, path: str, upload: UploadedFile) -> None:
    """Let a file wait for the job; a name that is impossible, or a file too large, is left out by itself. The same
    path again takes the place of the file that waited. Raises BadInput when the job was begun already."""
    if intake.started:
        raise BadInput("These files are being read already. Import the others by themselves.")
    place = intake.waiting_room / uuid4().hex
    try:
        path = clean_path(path)
        write_upload(upload, place)
    except BadInput as error:
        leave_out(intake.project, path, str(error))
        return
    IntakeFile.objects.update_or_create(intake=intake, path=path, defaults={"place": str(place), "size": upload.size})


@transaction.atomic
def start_intake(intake: Intake, author: str = "", taken: str = REPLACE) -> Job:
    """Queue the reading of what has arrived; `taken` says what becomes of files whose path a texture has. Raises
    BadInput when it was begun already."""
    if not Intake.objects.filter(pk=intake.pk, started=False).update(started=True):
        raise BadInput("These files are being read already.")
    where = intake.folder.name if intake.folder else "your files"
    return start(
        intake.project, JOB, f"Read textures from {where}", {"intake": intake.pk, "author": author, "taken": taken}
    )


@transaction.atomic
def add_folder(project: Project, typed: str, author: str = "") -> Job:
    """Queue the reading of a folder of this machine, whose files stay where they are. Raises BadInput for one that
    is not there, or not below the allowed folders; a folder that is known already is looked at again."""
    place = allowed_folder(typed, settings.READABLE_FOLDERS)
    folder = project.texture_folders.filter(place=str(place)).first()
    if folder is None:
        taken = set(project.texture_folders.values_list("name", flat=True))
        name = free_name(place.name or "textures", taken, join="-")
        with recording(project, f"Folder {name} linked", author, project.texture_folders.all()):
            folder = TextureFolder.objects.create(project=project, place=str(place), name=name)
    return look_again(folder, author)


def folders_with_files(project: Project) -> list[dict[str, Any]]:
    """The folders that are read in place, each with how many textures of the project lie in it."""
    return [
        {
            "id": folder.pk,
            "name": folder.name,
            "place": folder.place,
            "files": project.textures.filter(path__startswith=f"{folder.name}/").count(),
        }
        for folder in project.texture_folders.all()
    ]


def remove_folder(folder: TextureFolder, author: str = "") -> None:
    """Take a folder out of the project; its textures stay. What is being read of it is cancelled."""
    for job in folder.project.jobs.filter(kind=JOB, state__in=(QUEUED, RUNNING)):
        if folder.intake_set.filter(pk=job.arguments["intake"]).exists():
            cancel(job)
    folder.intake_set.all().delete()  # what is waiting in it is read again once it is rescanned
    row = folder.project.texture_folders.filter(pk=folder.pk)
    remove(folder.project, f"Folder {folder.name} unlinked", author, row)


def look_again(folder: TextureFolder, author: str = "") -> Job:
    """Queue the reading of what is new or changed in a folder, and the listing of what is gone from it."""
    return start_intake(Intake.objects.create(project=folder.project, folder=folder), author)


def leave_out(project: Project, path: str, reason: str) -> None:
    """List a file that was brought and cannot be read, with the reason in a sentence."""
    LeftOut.objects.update_or_create(project=project, path=path[:1024], defaults={"reason": reason[:1000]})


@work(JOB, resumable=True)
def _bring(job: Job, report: Report) -> str:
    """Read an intake to its end. After a crash it goes on with the files that still wait."""
    intake = Intake.objects.select_related("folder", "project").filter(pk=job.arguments["intake"]).first()
    if intake is None:
        return "All that could be read is in."  # it stopped between its last file and its end
    try:
        report(0.0, "Looking for pictures")
        if intake.folder:
            _list_folder(intake, intake.folder)
        else:
            _unpack_zips(intake, report)
            _settle_clashes(intake, job.arguments.get("taken", REPLACE))
        settle = partial(_settle, intake, job.arguments.get("author", ""))
        work_through(read_file, intake.files.all(), _reading, settle, report)
    except Cancelled:
        if not Intake.objects.filter(pk=intake.pk).exists():
            raise Cancelled("The folder was removed from the project while it was read.") from None
        summary = _summary(intake)
        close(intake)
        raise Cancelled(f"Cancelled. {summary} The others were not read.") from None
    except BadInput:
        close(intake)
        raise
    summary = _summary(intake)
    close(intake)
    return summary


def _list_folder(intake: Intake, folder: TextureFolder) -> None:
    """Let all that is new or changed in a folder wait, and say of the known textures that are gone that they are."""
    place = allowed_folder(folder.place, settings.READABLE_FOLDERS)
    known = {
        texture.path: texture.image
        for texture in intake.project.textures.select_related("image")
        if texture.path.startswith(f"{folder.name}/")  # SQLite itself tells no capitals
    }
    replaced = set(intake.project.textures.exclude(converted_from="").values_list("converted_from", flat=True))
    found: set[str] = set()
    waiting = []
    left_out = set(intake.project.left_out.values_list("path", flat=True))
    for file in pictures_below(place):
        path = f"{folder.name}/{file.path}"
        found.add(path)
        if path in replaced and path not in known:
            continue
        image = known.get(path)
        if file.refused or image is None or not image.place or not _is_as_it_was(file, image.modified, image.size):
            waiting.append(FoundFile(path, file.place, file.size, file.refused))
        elif path in left_out:
            intake.project.left_out.filter(path=path).delete()
    _let_wait(intake, waiting)
    for path, image in known.items():
        if path not in found and image.place and place in Path(image.place).parents:
            leave_out(intake.project, path, f"{posixpath.basename(path)} is no longer in {place}.")


def _is_as_it_was(file: FoundFile, modified: int, size: int) -> bool:
    return (file.place.stat().st_mtime_ns, file.size) == (modified, size)


def _unpack_zips(intake: Intake, report: Report) -> None:
    for file in intake.files.filter(state=WAITING):
        place = Path(file.place)
        if not is_zip(place):
            continue
        unpacked = []
        folder = posixpath.dirname(file.path)
        try:
            for found in unpacked_pictures(place, posixpath.basename(file.path), intake.waiting_room):
                unpacked.append(FoundFile(posixpath.join(folder, found.path), found.place, found.size, found.refused))
                report(0.0, f"Unpacking {posixpath.basename(file.path)}: {len(unpacked):,} pictures")
        except BadInput as error:
            _settle(intake, "", [(file, Outcome(file.pk, {}, str(error)))])
            continue
        _let_wait(intake, unpacked)
        # The zip itself is no picture; what was in it stands for it.
        file.delete()
        place.unlink(missing_ok=True)


def _settle_clashes(intake: Intake, taken: str) -> None:
    """Have files that wait under the path of a texture wait under another, or not at all, unless they replace it."""
    if taken == REPLACE:
        return
    waiting = {file.path: file for file in intake.files.filter(state=WAITING)}
    clashes = sorted(taken_paths(intake.project, waiting))
    if taken == LEAVE_OUT:
        for path in clashes:
            Path(waiting[path].place).unlink(missing_ok=True)
            waiting[path].delete()
        return
    used = {*waiting, *(intake.project.textures.values_list("path", flat=True) if clashes else ())}
    for path in clashes:
        waiting[path].path = _numbered(path, used)
        used.add(waiting[path].path)
    IntakeFile.objects.bulk_update([waiting[path] for path in clashes], ["path"], batch_size=500)


def _numbered(path: str, used: Collection[str]) -> str:
    stem, extension = posixpath.splitext(path)
    return next(other for number in count(2) if (other := f"{stem}-{number}{extension}") not in used)


def _let_wait(intake: Intake, found: list[FoundFile]) -> None:
    rows = []
    for file in found:
        reason = file.refused or _impossible(file.path)
        if reason:
            leave_out(intake.project, file.path, reason)
        state = REFUSED if reason else WAITING
        rows.append(IntakeFile(intake=intake, path=file.path, place=str(file.place), size=file.size, state=state))
    IntakeFile.objects.bulk_create(rows, ignore_conflicts=True, batch_size=500)


def _impossible(path: str) -> str:
    try:
        clean_path(path)
    except BadInput as error:
        return str(error)
    return ""


def _reading(file: IntakeFile) -> dict[str, Any]:
    # What a browser sent waits in the media folder and is kept there; all else stays where it is.
    return {
        "place": file.place,
        "path": file.path,
        "in_place": Path(settings.MEDIA_ROOT) not in Path(file.place).parents,
    }


@file_task
def read_file(place: str, path: str, in_place: bool) -> dict[str, object]:
    """Measure a file that waits, and keep it."""
    return take_in(Path(place), path, in_place=in_place)


def _settle(intake: Intake, author: str, ended: Sequence[tuple[IntakeFile, Outcome]]) -> None:
    """Put the files that could be read into the project, and list the others with the reason."""
    project = intake.project
    taken = {file.path: outcome.result for file, outcome in ended if not outcome.refused}
    what, key = f"Textures imported from {intake.folder.name if intake.folder else 'your files'}", f"intake {intake.pk}"
    left_out = project.left_out.filter(path__in=[file.path for file, outcome in ended if outcome.refused])
    with recording(project, what, author, left_out, key=key):
        for state, files in _by_state(ended).items():
            if IntakeFile.objects.filter(pk__in=[file.pk for file in files]).update(state=state) < len(files):
                raise Cancelled  # the folder was removed from the project meanwhile
        for file, outcome in ended:
            if outcome.refused:
                leave_out(project, file.path, outcome.refused)
        add_textures(project, stored_images(taken), what, author, key)
    for file, _ in ended:
        if not intake.folder_id:
            Path(file.place).unlink(missing_ok=True)


def _by_state(ended: Sequence[tuple[IntakeFile, Outcome]]) -> dict[str, list[IntakeFile]]:
    states: dict[str, list[IntakeFile]] = {}
    for file, outcome in ended:
        states.setdefault(REFUSED if outcome.refused else IN, []).append(file)
    return states


def _summary(intake: Intake) -> str:
    taken, refused = (intake.files.filter(state=state).count() for state in (IN, REFUSED))
    said = f"{taken:,} {'file is' if taken == 1 else 'files are'} in"
    return f"{said}, {refused:,} left out: see the findings." if refused else f"{said}."


def close(intake: Intake) -> None:
    """Throw away what is left of an intake."""
    shutil.rmtree(intake.waiting_room, ignore_errors=True)
    intake.delete()
