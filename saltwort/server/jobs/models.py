"""Work that takes longer than a moment."""

from django.db import models

QUEUED, RUNNING, DONE, FAILED, CANCELLED = "queued", "running", "done", "failed", "cancelled"


class Job(models.Model):
    """A piece of background work. `share` is what is done of it, 0–1; `message` says how it ended, or what it does.

    While it runs, the worker named `owner` renews `beat`; a job whose beat is old has no worker any more. `begun`
    counts how often it was begun since it last came on.
    """

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=40)
    title = models.CharField(max_length=200)
    state = models.CharField(max_length=10, default=QUEUED)
    share = models.FloatField(default=0.0)
    message = models.CharField(max_length=500, blank=True)
    arguments = models.JSONField()
    owner = models.CharField(max_length=32, blank=True)
    beat = models.DateTimeField(null=True)
    begun = models.PositiveIntegerField(default=0)
    cancel_requested = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-pk",)


WAITING = "waiting"


class FileInHand(models.Model):
    """One of the many files of a job, of `size` bytes. `tries` counts how often somebody began with it: more than once
    only after a crash."""

    state = models.CharField(max_length=10, default=WAITING)
    tries = models.PositiveIntegerField(default=0)
    size = models.PositiveBigIntegerField()

    class Meta:
        abstract = True
