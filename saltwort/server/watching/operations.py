"""Changes to the folders that a project watches."""

from pathlib import Path

from django.conf import settings
from django.db import transaction

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.textures.folders import allowed_folder
from saltwort.server.handoffs.explaining import Wanted
from saltwort.server.handoffs.models import Station
from saltwort.server.history.operations import recording, remove
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import Render
from saltwort.server.watching.models import WatchedFolder

MOST_WATCHED = 40


def add_watched(
    project: Project,
    typed: str,
    *,
    expects_light: bool,
    choice: ViewChoice | None,
    station: Station | None,
    render: Render | None,
    author: str = "",
) -> WatchedFolder:
    """Have Saltwort watch a folder of this machine. Raises BadInput for one that is not there, not below the allowed
    folders, or watched already, and for a view that the config does not have."""
    folder = allowed_folder(typed, settings.READABLE_FOLDERS)
    if choice is not None:
        check_view(config_of(project.current), choice)
    if project.watched.filter(place=str(folder)).exists():
        raise BadInput(f"{folder.name} is watched already.", field="folder")
    if project.watched.count() >= MOST_WATCHED:
        raise BadInput(f"A project watches up to {MOST_WATCHED} folders. Remove one first.")
    with recording(project, f"Folder {folder.name} watched", author, project.watched.all()):
        return WatchedFolder.objects.create(
            project=project,
            place=str(folder),
            expects_light=expects_light,
            display=choice.display if choice else "",
            view=choice.view if choice else "",
            station=station,
            render=render,
            is_on=True,
        )


def switch(folder: WatchedFolder, based_on: int, *, is_on: bool, author: str = "") -> WatchedFolder:
    """Have Saltwort go on looking at a folder, or pause. Raises Stale when it was changed meanwhile."""
    said = f"Watching {Path(folder.place).name} {'goes on' if is_on else 'is paused'}"
    with recording(folder.project, said, author, WatchedFolder.objects.filter(pk=folder.pk)):
        return folder.change(based_on, is_on=is_on)


def remove_watched(folder: WatchedFolder, author: str = "") -> None:
    """Forget a folder and what was seen in it; its files stay."""
    said = f"Folder {Path(folder.place).name} no longer watched"
    remove(folder.project, said, author, WatchedFolder.objects.filter(pk=folder.pk))


@transaction.atomic
def watched_for(
    project: Project, folder: Path, wanted: Wanted, station: Station | None, render: Render | None
) -> WatchedFolder:
    """The watched folder that a command speaks of, made where there is none. One that was expected to hold something
    else is looked at from the beginning. Raises BadInput for a folder that is not there."""
    if not folder.is_dir():
        raise BadInput(f"There is no folder at {folder}.")
    place = str(folder.resolve())
    meant = {
        "expects_light": wanted.is_light,
        "display": "" if wanted.is_light else wanted.choice.display,
        "view": "" if wanted.is_light else wanted.choice.view,
        "station": station,
        "render": render,
    }
    known = project.watched.select_for_update().filter(place=place).first()
    if known is None:
        return WatchedFolder.objects.create(project=project, place=place, **meant)
    if any(getattr(known, name) != value for name, value in meant.items()):
        known.frames.all().delete()
        known.change(known.version, **meant)
    return known
