"""Delete what nothing needs any more: rows and files that are left of ended work, and caches beyond their size."""

import logging
import shutil
import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.db.models import Model
from django.utils import timezone

from saltwort.core.files import forget_unfinished, shrink
from saltwort.server.conversions.models import Conversion
from saltwort.server.history import operations as history
from saltwort.server.images.models import StoredImage, image_store
from saltwort.server.jobs.operations import forget_old
from saltwort.server.migrating.models import OldScene
from saltwort.server.outputs.models import Output
from saltwort.server.projects.setups import forget_unused
from saltwort.server.whole_projects.operations import forget_deleted

log = logging.getLogger(__name__)

HOUR, DAY = 3_600.0, 86_400.0
CONFIG_BYTES = 500_000_000
"""Of configs that are kept as files for conversions, and can be made again."""


def tidy() -> None:
    """All of it. What is younger than a day stays: it may belong to work in hand."""
    forget_old()
    forget_deleted(timezone.now() - timedelta(seconds=DAY))
    forget_unfinished(Path(settings.MEDIA_ROOT), older_than=HOUR)
    history.forget_old()
    _forget_images()
    _forget_files_of(Output, "outputs")
    _forget_files_of(Conversion, "converted")
    _forget_files_of(OldScene, "scenes")
    forget_unused(brought_before=timezone.now() - timedelta(seconds=DAY))
    shrink(Path(settings.MEDIA_ROOT) / "configs", CONFIG_BYTES)


def _forget_images() -> None:
    """Forget pictures that no texture, render or proof has any more, or could have again by undo, with their files."""
    unused = StoredImage.objects.filter(texture=None, render=None, frame=None, proof=None, explanation=None)
    for sha256 in set(unused.values_list("pk", flat=True)) - history.held("image_id"):
        files = list(image_store().glob(f"{sha256[:2]}/{sha256}.*"))
        if any(_is_young(file) for file in files):
            continue
        with transaction.atomic():  # no reader can take it up between the look and the deletion
            gone, _ = unused.filter(pk=sha256).delete()
            for file in files if gone else ():
                file.unlink(missing_ok=True)


def _forget_files_of(model: type[Model], folder: str) -> None:
    """Delete what was written for rows that are gone, and that undo cannot make again."""
    needed = {*model._base_manager.values_list("pk", flat=True), *history.held_keys(model)}
    for place in (Path(settings.MEDIA_ROOT) / folder).glob("*"):
        if place.name.isdecimal() and int(place.name) not in needed and not _is_young(place):
            shutil.rmtree(place, ignore_errors=True)


def _is_young(file: Path) -> bool:
    return time.time() - file.stat().st_mtime < DAY
