"""What the Compare step shows."""

from django.db import models

from saltwort.server.scene.models import Render
from saltwort.server.versions import Versioned


class Comparison(Versioned):
    """The panes of a project. `panes` is a list of display, view and look; the exposure is common to all."""

    project = models.OneToOneField("projects.Project", models.CASCADE, related_name="comparison")
    render = models.ForeignKey(Render, models.SET_NULL, null=True)
    exposure = models.FloatField(default=0.0)
    panes = models.JSONField()
