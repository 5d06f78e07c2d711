"""Swatches and renders of a project."""

from django.db import models

from saltwort.core.spaces.typed import TypedColour
from saltwort.server.images.models import StoredImage
from saltwort.server.versions import Versioned


class Swatch(Versioned):
    """A colour as it was typed."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="swatches")
    name = models.CharField(max_length=80)
    space = models.CharField(max_length=200)
    unit = models.CharField(max_length=10)
    text = models.CharField(max_length=100)

    class Meta:
        ordering = ("pk",)

    @property
    def typed(self) -> TypedColour:
        return TypedColour(self.space, self.unit, self.text)


class Render(Versioned):
    """A scene-linear picture. `space` is set by hand; empty, the file tells."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="renders")
    name = models.CharField(max_length=200)
    image = models.ForeignKey(StoredImage, models.PROTECT)
    space = models.CharField(max_length=200, blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("pk",)
