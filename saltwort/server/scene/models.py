"""Renders of a project. Its swatches, lights and rig stand in the setup of its revisions."""

from django.db import models
from django.utils import timezone

from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import FileInHand
from saltwort.server.versions import Versioned


class Render(Versioned):
    """A picture that a renderer wrote, or a sequence of them: then `image` is that of `frame`, the one looked at, and
    `place` the folder that its frames are read in, empty where they were sent. `layer` is the one looked at, empty for
    the first, and `facts` what was measured in it; `space` is set by hand, and empty, the file tells. `rig` is what the
    bench renderer was told, null for a picture that was brought."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="renders")
    name = models.CharField(max_length=200)
    image = models.ForeignKey(StoredImage, models.PROTECT)
    layer = models.CharField(max_length=255, blank=True)
    facts = models.JSONField(null=True)
    space = models.CharField(max_length=200, blank=True)
    rig = models.JSONField(null=True)
    frame = models.PositiveIntegerField(null=True)
    place = models.CharField(max_length=4096, blank=True, default="")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("pk",)


IN, REFUSED = "in", "refused"


class Frame(FileInHand):
    """A frame of a sequence, at `place` until it is read. One that cannot be read has no image, and the reason."""

    render = models.ForeignKey(Render, models.CASCADE, related_name="frames")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=255)
    place = models.CharField(max_length=4096)
    image = models.ForeignKey(StoredImage, models.PROTECT, null=True)
    reason = models.CharField(max_length=1000, blank=True)

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("render", "number"), name="frame_number"),)
