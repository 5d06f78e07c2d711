"""Renders of a project. Its swatches, lights and rig stand in the setup of its revisions."""

from django.db import models
from django.utils import timezone

from saltwort.server.images.models import StoredImage
from saltwort.server.versions import Versioned


class Render(Versioned):
    """A picture that a renderer wrote. `layer` is the one looked at, empty for the first, and
    `facts` what was measured in it; `space` is set by hand, and
    empty, the file tells. `rig` is what the bench renderer was told, null for a picture that was brought."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="renders")
    name = models.CharField(max_length=200)
    image = models.ForeignKey(StoredImage, models.PROTECT)
    layer = models.CharField(max_length=255, blank=True)
    facts = models.JSONField(null=True)
    space = models.CharField(max_length=200, blank=True)
    rig = models.JSONField(null=True)
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("pk",)
