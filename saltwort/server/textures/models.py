"""Texture files of a project, and how they come in."""

from pathlib import Path

from django.conf import settings
from django.db import models

from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import FileInHand
from saltwort.server.versions import Versioned


class Texture(Versioned):
    """A texture under the path it has in the project. The space it is read in is computed, unless it is pinned."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="textures")
    path = models.CharField(max_length=1024)
    image = models.ForeignKey(StoredImage, models.PROTECT)
    pin_space = models.CharField(max_length=200, blank=True)
    pin_note = models.CharField(max_length=500, blank=True)
    pin_author = models.CharField(max_length=80, blank=True)

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=("project", "path"), name="texture_path"),)


class TextureFolder(models.Model):
    """A folder of this machine whose textures are read where they lie; `name` is its folder in the project."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="texture_folders")
    place = models.CharField(max_length=4096)
    name = models.CharField(max_length=255)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("project", "name"), name="texture_folder_name"),)


class LeftOut(models.Model):
    """A file that was brought and could not be read, with the reason. It goes when a readable one comes under its
    path."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="left_out")
    path = models.CharField(max_length=1024)
    reason = models.CharField(max_length=1000)

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=("project", "path"), name="left_out_path"),)


class Intake(models.Model):
    """Files on their way in: sent by a browser and waiting in the media folder, or lying in a folder of the machine."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="intakes")
    folder = models.ForeignKey(TextureFolder, models.CASCADE, null=True)
    created = models.DateTimeField(auto_now_add=True)
    started = models.BooleanField(default=False)

    @property
    def waiting_room(self) -> Path:
        """Where the files that a browser sent wait until they are read."""
        return Path(settings.MEDIA_ROOT) / "incoming" / str(self.pk)


IN, REFUSED = "in", "refused"


class IntakeFile(FileInHand):
    """One of them."""

    intake = models.ForeignKey(Intake, models.CASCADE, related_name="files")
    path = models.CharField(max_length=1024)
    place = models.CharField(max_length=4096)

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=("intake", "path"), name="intake_path"),)
