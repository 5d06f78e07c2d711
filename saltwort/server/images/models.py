"""Image files, kept once by content, with what was measured in them."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models

from saltwort.core.errors import BadInput
from saltwort.core.images import Facts, Header, Stats
from saltwort.core.images.intake import kept_file


def media_file(sha256: str, suffix: str) -> Path:
    """Where the media folder keeps what belongs to a content."""
    return kept_file(image_store(), sha256, suffix)


def image_store() -> Path:
    """The part of the media folder that holds pictures."""
    return Path(settings.MEDIA_ROOT) / "images"


class StoredImage(models.Model):
    """A file in the media folder, named by its content, or one that is read where it lies: then `place` is its path
    and `modified` when it was last changed, in nanoseconds. `facts` are measured once, when it comes in."""

    sha256 = models.CharField(max_length=64, primary_key=True)
    suffix = models.CharField(max_length=8)
    size = models.PositiveBigIntegerField()
    facts = models.JSONField()
    place = models.CharField(max_length=4096, blank=True)
    modified = models.BigIntegerField(default=0)

    @property
    def file(self) -> Path:
        """Where the content lies. Raises BadInput when it is gone, or was read in place and is not what it was."""
        if not self.place:
            kept = media_file(self.sha256, self.suffix)
            if not kept.exists():
                raise BadInput("The file of this picture is gone from Saltwort’s folder. Import it again.")
            return kept
        path = Path(self.place)
        try:
            status = path.stat()
        except OSError:
            raise BadInput(f"{path.name} is no longer where it was read ({path.parent}). Rescan.") from None
        if (status.st_mtime_ns, status.st_size) != (self.modified, self.size):
            raise BadInput(f"{path.name} was changed since it was read. Rescan its folder.")
        return path

    def measured(self) -> Facts:
        return facts_from_json(self.facts)


def facts_from_json(stored: dict[str, Any]) -> Facts:
    """Facts as they were stored."""
    header, stats = stored["header"], stored["stats"]
    tags = {name: _tuple(tag) for name, tag in header["tags"].items()}
    return Facts(
        Header(**{**{name: _tuple(value) for name, value in header.items()}, "tags": tags}),
        Stats(**{name: _tuple(value) for name, value in stats.items()}),
    )


def _tuple(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value
