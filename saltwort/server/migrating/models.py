"""Scenes that were read, what is planned for them, and what became of it."""

from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone

from saltwort.server.jobs.models import Job


class OldScene(models.Model):
    """One or more scene documents that were read together: `paths` on this machine, below one of the folders `allowed`.
    `found` is what was found in them, `plan` the steps that were chosen, `preview` the report of a dry run, and
    `report` that of the migration; None until there is one. `undone` tells when it was taken back. `render` shows the
    scene as it was lit, where somebody said which one does."""

    is_computed: ClassVar[bool] = True

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="old_scenes")
    revision = models.PositiveIntegerField()
    name = models.CharField(max_length=200)
    paths = models.JSONField()
    allowed = models.JSONField()
    found = models.JSONField(null=True)
    plan = models.JSONField(default=list)
    preview = models.JSONField(null=True)
    report = models.JSONField(null=True)
    undone = models.DateTimeField(null=True)
    render = models.ForeignKey("scene.Render", models.SET_NULL, null=True, related_name="+")
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="old_scene")
    created = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ("-pk",)

    @property
    def folder(self) -> Path:
        """Where its pictures, what was sent here, and outcomes without another place are kept."""
        return Path(settings.MEDIA_ROOT) / "scenes" / str(self.pk)

    @property
    def is_here(self) -> bool:
        """Whether it was sent here, so that its outcome is saved from here."""
        return any(Path(path).is_relative_to(self.folder) for path in self.paths)
