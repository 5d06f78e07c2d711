"""Projects and their revisions."""

from typing import Any

from django.db import models
from django.dispatch import Signal
from django.utils import timezone

from saltwort.core.spaces.typed import TypedColour
from saltwort.server.versions import Versioned

project_made = Signal()
"""Sent with a new `project`, in the transaction that makes it: other apps give it what it starts with."""


class ConfigFile(models.Model):
    """A LUT that configs bring along, kept once by content. `brought` is when it last was."""

    sha256 = models.CharField(max_length=64, primary_key=True)
    content = models.BinaryField()
    brought = models.DateTimeField(default=timezone.now)


class StoredConfig(models.Model):
    """A config with its files. `files` maps the path of each in the archive to the hash of its ConfigFile."""

    text = models.TextField()
    files = models.JSONField(default=dict)

    class Meta:
        abstract = True


class BaseConfig(StoredConfig):
    """A config that somebody brought, under the hash of text and files; `brought` is when it last was."""

    sha256 = models.CharField(max_length=64, primary_key=True)
    name = models.CharField(max_length=200)
    brought = models.DateTimeField(default=timezone.now)


class Project(Versioned):
    """A project. `current` is the revision it stands at, and `moved_by` who went back or forward to it, empty where it
    is the one made last; `version` counts changes of the tracer. One that is `deleted` can be restored for a day."""

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=80)
    current = models.ForeignKey("Revision", models.PROTECT, null=True, related_name="+")
    moved_by = models.CharField(max_length=80, blank=True)
    created = models.DateTimeField(auto_now_add=True)
    tracer_space = models.CharField(max_length=200)
    tracer_unit = models.CharField(max_length=10, default="8-bit")
    tracer_text = models.CharField(max_length=100)
    archived = models.BooleanField(default=False)
    deleted = models.DateTimeField(null=True)

    @property
    def tracer(self) -> TypedColour:
        return TypedColour(self.tracer_space, self.tracer_unit, self.tracer_text)


class Revision(StoredConfig):
    """A saved setup with the config composed from it. Never changed once saved. `proof` holds, for a trimmed config,
    that its colours are those of the whole; `replacements` what the target version could not hold; `parts` names the
    parts of the setup that differ from the parent's."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", models.CASCADE, null=True, related_name="children")
    setup = models.JSONField()
    config_hash = models.CharField(max_length=64)
    proof = models.JSONField(null=True)
    replacements = models.JSONField(default=list)
    parts = models.JSONField(default=list)
    author = models.CharField(max_length=80, blank=True)
    message = models.CharField(max_length=200)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-number",)
        constraints = (models.UniqueConstraint(fields=("project", "number"), name="revision_number"),)

    def save(self, *args: Any, **kwargs: Any) -> None:
        if not self._state.adding:
            raise TypeError("A revision is never changed; make the next one.")
        super().save(*args, **kwargs)
