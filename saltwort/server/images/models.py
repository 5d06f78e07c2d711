"""Image files, kept once by content, with what was measured in them."""

from pathlib import Path

from django.conf import settings
from django.db import models

from saltwort.core.images import Facts, Header, Stats


class StoredImage(models.Model):
    """A file in the media folder, named by its content. `facts` are measured once, when it comes in."""

    sha256 = models.CharField(max_length=64, primary_key=True)
    suffix = models.CharField(max_length=8)
    size = models.PositiveBigIntegerField()
    facts = models.JSONField()

    @property
    def file(self) -> Path:
        return Path(settings.MEDIA_ROOT) / "images" / self.sha256[:2] / f"{self.sha256}{self.suffix}"

    def measured(self) -> Facts:
        header, stats = self.facts["header"], self.facts["stats"]
        tags = {name: tuple(tag) if isinstance(tag, list) else tag for name, tag in header["tags"].items()}
        return Facts(
            Header(**{**header, "channel_names": tuple(header["channel_names"]), "tags": tags}),
            Stats(**{name: tuple(value) if isinstance(value, list) else value for name, value in stats.items()}),
        )
