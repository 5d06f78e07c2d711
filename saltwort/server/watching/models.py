"""Folders that are watched, and what was seen of the frames that landed in them."""

from typing import ClassVar

from django.db import models

from saltwort.core.explain.frames import Figures, Note
from saltwort.server.versions import Versioned


class WatchedFolder(Versioned):
    """A folder of this machine in which frames land: they should hold light in the working space, or a view of a
    display, both empty for the project's. `is_on` while Saltwort looks at it by itself."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="watched")
    place = models.CharField(max_length=4096)
    expects_light = models.BooleanField(default=True)
    display = models.CharField(max_length=200, blank=True, default="")
    view = models.CharField(max_length=200, blank=True, default="")
    station = models.ForeignKey("handoffs.Station", models.SET_NULL, null=True, related_name="+")
    render = models.ForeignKey("scene.Render", models.SET_NULL, null=True, related_name="+")
    is_on = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=("project", "place"), name="watched_once"),)


class LastLook(models.Model):
    """When a folder was last looked at, by Saltwort or by the command, and why it could not be."""

    is_computed: ClassVar[bool] = True

    folder = models.OneToOneField(WatchedFolder, models.CASCADE, related_name="last_look")
    looked = models.DateTimeField()
    error = models.CharField(max_length=500, blank=True, default="")


class WatchedFrame(models.Model):
    """A frame as it was when it was looked at: `stem` is its name without the number, `size` and `modified` (in
    nanoseconds) tell whether it has changed since; `notes` are pairs of a code and a sentence."""

    is_computed: ClassVar[bool] = True

    folder = models.ForeignKey(WatchedFolder, models.CASCADE, related_name="frames")
    name = models.CharField(max_length=255)
    stem = models.CharField(max_length=255)
    number = models.PositiveIntegerField(null=True)
    size = models.PositiveBigIntegerField()
    modified = models.PositiveBigIntegerField()
    revision = models.PositiveIntegerField()
    notes = models.JSONField(default=list)
    peak = models.FloatField(null=True)
    mean = models.FloatField(null=True)
    high = models.FloatField(null=True)
    clipped = models.FloatField(null=True)
    looked = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("stem", "number", "name")
        constraints = (models.UniqueConstraint(fields=("folder", "name"), name="frame_watched_once"),)

    @property
    def figures(self) -> Figures | None:
        """None of a frame that could not be read."""
        if self.peak is None:
            return None
        return Figures(self.peak, self.mean or 0.0, self.high or 0.0, self.clipped or 0.0)

    def noted(self) -> list[Note]:
        return [Note(code, why) for code, why in self.notes]
