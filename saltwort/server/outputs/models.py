"""Files that left the project."""

from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from saltwort.server.jobs.models import FileInHand, Job
from saltwort.server.projects.models import Revision
from saltwort.server.scene.models import Render


class Output(models.Model):
    """A file made by one revision, of a render where its kind takes one. `kind` is that of a deliverable and `settings`
    say how it is made, with `source_space`, `source_layer` and `source_frames` of the render; `facts` is what was read
    back, once done; `recipe` names the one that it was made by, if any; `seconds` is how long it took to make
    so many `pixels`. Where it is a file for each frame of a
    sequence, `name` has `#` for their digits."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="outputs")
    kind = models.CharField(max_length=40)
    name = models.CharField(max_length=200)
    render = models.ForeignKey(Render, models.SET_NULL, null=True)
    revision = models.ForeignKey(Revision, models.PROTECT)
    settings = models.JSONField()
    recipe = models.CharField(max_length=100, blank=True, default="")
    facts = models.JSONField(null=True)
    seconds = models.FloatField(null=True)
    pixels = models.PositiveBigIntegerField(default=0)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="output")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-pk",)

    @property
    def folder(self) -> Path:
        return Path(settings.MEDIA_ROOT) / "outputs" / str(self.pk)

    @property
    def file(self) -> Path:
        return self.folder / self.name


MADE, REFUSED = "made", "refused"


class OutputFrame(FileInHand):
    """One of the files of an output that is a sequence. `facts` is what was read back and `sha256` the hash of its
    content; `reason` is why there is none."""

    output = models.ForeignKey(Output, models.CASCADE, related_name="frames")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=220)
    facts = models.JSONField(null=True)
    sha256 = models.CharField(max_length=64, blank=True)
    reason = models.CharField(max_length=1000, blank=True)

    class Meta:
        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("output", "number"), name="output_frame_number"),)
