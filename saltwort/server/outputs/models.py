"""Files that left the project."""

from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from saltwort.server.jobs.models import Job
from saltwort.server.projects.models import Revision
from saltwort.server.scene.models import Render


class Output(models.Model):
    """A file made from a render, by one revision. `kind` is that of a deliverable and `settings` say how it is made,
    with the `source` space and `layer` of the render; `facts` is what was read back, once done."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="outputs")
    kind = models.CharField(max_length=40)
    name = models.CharField(max_length=200)
    render = models.ForeignKey(Render, models.SET_NULL, null=True)
    revision = models.ForeignKey(Revision, models.PROTECT)
    settings = models.JSONField()
    facts = models.JSONField(null=True)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="output")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-pk",)

    @property
    def file(self) -> Path:
        return Path(settings.MEDIA_ROOT) / "outputs" / str(self.pk) / self.name
