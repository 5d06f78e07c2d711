"""`frame_watcher`: look at the folders that projects watch, for a running Saltwort. `serve` starts it."""

import logging
import time
from typing import Any

from django.core.management.base import BaseCommand
from django.db import DatabaseError

from saltwort.core.errors import BadInput
from saltwort.server.management.commands.job_worker import server_has_ended
from saltwort.server.watching.models import WatchedFolder
from saltwort.server.watching.watch import Watch, note_look

log = logging.getLogger(__name__)

EVERY = 5.0
"""Seconds between two looks."""


class Command(BaseCommand):
    help = "Look at the folders that are watched, as long as any is, and end with Saltwort."

    def handle(self, *args: Any, **options: Any) -> None:
        if server_has_ended():
            return
        watches: dict[tuple[int, int], Watch] = {}
        while folders := list(watched_now()):
            watches = {(each.pk, each.version): _kept(watches, each) for each in folders}
            for watch in watches.values():
                look_once(watch)
            time.sleep(EVERY)


def watched_now() -> Any:
    """The folders at which Saltwort looks by itself."""
    return WatchedFolder.objects.filter(is_on=True, project__deleted=None).select_related("project", "render")


def look_once(watch: Watch) -> None:
    """Look at what has landed; what keeps it from that is kept for the screen."""
    try:
        for _ in watch.look():
            pass
    except BadInput as error:
        note_look(watch.folder, str(error))
    except DatabaseError as error:  # busy, or the folder was removed meanwhile; the next look tells
        log.error("the look at %s was not kept: %s", watch.folder.place, error)
    except Exception:
        log.exception("the look at %s went wrong", watch.folder.place)
        note_look(watch.folder, "Something went wrong inside Saltwort; its log says what.")


def _kept(watches: dict[tuple[int, int], Watch], folder: WatchedFolder) -> Watch:
    return watches.get((folder.pk, folder.version)) or Watch(folder, quiet=EVERY)
