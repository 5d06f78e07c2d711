"""Textures written again in another space."""

from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from saltwort.server.jobs.models import FileInHand, Job
from saltwort.server.projects.models import Revision
from saltwort.server.textures.models import Texture


class Conversion(models.Model):
    """One order: textures into a space, by the config of a revision. The files go to `place`, a folder of the machine,
    or where that is empty to the media folder."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="conversions")
    revision = models.ForeignKey(Revision, models.PROTECT)
    space = models.CharField(max_length=200)
    format = models.CharField(max_length=20)
    pattern = models.CharField(max_length=200)
    place = models.CharField(max_length=4096, blank=True)
    data_layers = models.CharField(max_length=2000, blank=True)
    colour_layers = models.CharField(max_length=2000, blank=True)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="conversion")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-pk",)

    @property
    def folder(self) -> Path:
        return Path(self.place) if self.place else Path(settings.MEDIA_ROOT) / "converted" / str(self.pk)


CONVERTED, REFUSED = "converted", "refused"


class ConvertedFile(FileInHand):
    """One file of an order: from `source_space` to `space`, which for data is the same; under `target`, its path
    below the folder. `flips_green` is of a normal map, `inverts` of a
    gloss or roughness map. `figures` are what was measured once it was read back,
    `reason` why there is none."""

    conversion = models.ForeignKey(Conversion, models.CASCADE, related_name="files")
    texture = models.ForeignKey(Texture, models.SET_NULL, null=True, related_name="converted")
    path = models.CharField(max_length=1024)
    source_space = models.CharField(max_length=200)
    space = models.CharField(max_length=200)
    flips_green = models.BooleanField(default=False)
    inverts = models.BooleanField(default=False)
    target = models.CharField(max_length=1300)
    figures = models.JSONField(null=True)
    reason = models.CharField(max_length=1000, blank=True)

    class Meta:
        ordering = ("pk",)
