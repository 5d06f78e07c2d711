"""Texture files of a project."""

from django.db import models

from saltwort.server.images.models import StoredImage
from saltwort.server.versions import Versioned


class Texture(Versioned):
    """A texture under the path it has in the project. The space it is read in is computed, unless it is pinned."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="textures")
    path = models.CharField(max_length=1024)
    image = models.ForeignKey(StoredImage, models.PROTECT)
    pin_space = models.CharField(max_length=200, blank=True)
    pin_note = models.CharField(max_length=500, blank=True)

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=("project", "path"), name="texture_path"),)
