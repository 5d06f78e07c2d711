"""What the Compare step shows, and what was kept of it."""

from django.db import models
from django.utils import timezone

from saltwort.server.projects.models import Revision
from saltwort.server.scene.models import Render
from saltwort.server.versions import Versioned


class Comparison(Versioned):
    """The panes of a project, as of `panes.Pane`, with what they have in common. `probes` are the places held, x and y
    as shares of the picture. `drawn_off` holds the views that a browser was seen to draw otherwise than the engine,
    with the largest difference as a share of white. `grade` is as of `grades.GradeSerializer`; empty for none."""

    project = models.OneToOneField("projects.Project", models.CASCADE, related_name="comparison")
    render = models.ForeignKey(Render, models.SET_NULL, null=True)
    exposure = models.FloatField(default=0.0)
    panes = models.JSONField()
    probes = models.JSONField(default=list)
    drawn_off = models.JSONField(default=list)
    grade = models.JSONField(default=dict)


class KeptComparison(Versioned):
    """A comparison as it once stood, with notes. `state` is what the screen needs to show it again, through the config
    of its revision."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="kept_comparisons")
    revision = models.ForeignKey(Revision, models.CASCADE)
    name = models.CharField(max_length=100)
    notes = models.TextField(max_length=10_000, blank=True)
    state = models.JSONField()
    made = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-pk",)
