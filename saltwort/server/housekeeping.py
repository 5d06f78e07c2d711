"""Delete what nothing needs any more: rows and files that are left of ended work, and caches beyond their size."""

import logging
import time
from pathlib import Path

from django.conf import settings
from django.db import transaction

from saltwort.core.files import forget_unfinished
from saltwort.server.images.models import StoredImage, image_store
from saltwort.server.jobs.operations import forget_old

log = logging.getLogger(__name__)

HOUR, DAY = 3_600.0, 86_400.0
CACHES = {"rig": 2_000_000_000, "configs": 500_000_000}
"""Folders of the media folder that hold what can be made again, and the bytes that each may have."""


def tidy() -> None:
    """All of it. What is younger than a day stays: it may belong to work in hand."""
    forget_old()
    forget_unfinished(Path(settings.MEDIA_ROOT), older_than=HOUR)
    _forget_images()
    for name, most in CACHES.items():
        shrink(Path(settings.MEDIA_ROOT) / name, most)


def _forget_images() -> None:
    """Forget pictures that no texture and no render has any more, with their files."""
    unused = StoredImage.objects.filter(texture=None, render=None)
    for sha256 in list(unused.values_list("pk", flat=True)):
        files = list(image_store().glob(f"{sha256[:2]}/{sha256}.*"))
        if any(_is_young(file) for file in files):
            continue
        with transaction.atomic():  # no reader can take it up between the look and the deletion
            gone, _ = unused.filter(pk=sha256).delete()
            for file in files if gone else ():
                file.unlink(missing_ok=True)


def _is_young(file: Path) -> bool:
    return time.time() - file.stat().st_mtime < DAY


def shrink(folder: Path, most: int) -> None:
    """Delete the files of a folder that were used longest ago, until they have no more than `most` bytes."""
    found = [(file.stat(), file) for file in folder.glob("*") if file.is_file()]
    found.sort(key=lambda item: item[0].st_mtime, reverse=True)
    size = 0
    for status, file in found:
        size += status.st_size
        if size > most:
            file.unlink(missing_ok=True)
