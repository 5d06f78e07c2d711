"""Files that left the project."""

from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from saltwort.server.jobs.models import Job
from saltwort.server.projects.models import Revision
from saltwort.server.scene.models import Render


class Output(models.Model):
    """A file made by one revision, of a render where its kind takes one. `kind` is that of a deliverable and `settings`
    say how it is made, with `source_space` and `source_layer` of the render; `facts` is what was read back, once done;
    `recipe` names the one that it was made by, if any."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="outputs")
    kind = models.CharField(max_length=40)
    name = models.CharField(max_length=200)
    render = models.ForeignKey(Render, models.SET_NULL, null=True)
    revision = models.ForeignKey(Revision, models.PROTECT)
    settings = models.JSONField()
    recipe = models.CharField(max_length=100, blank=True, default="")
    facts = models.JSONField(null=True)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="output")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-pk",)

    @property
    def file(self) -> Path:
        return Path(settings.MEDIA_ROOT) / "outputs" / str(self.pk) / self.name
