"""Stations of a project's chain."""

from django.db import models

from saltwort.core.stations import Station as CoreStation
from saltwort.server.versions import Versioned


class Station(Versioned):
    """One application of the chain; `position` is its place in it, `kind` the one that it was made by, empty where it
    was described by hand."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="stations")
    position = models.PositiveIntegerField()
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=40, blank=True, default="")
    reads = models.CharField(max_length=20)
    abilities = models.JSONField(default=dict)

    class Meta:
        ordering = ("position",)

    def described(self) -> CoreStation:
        return CoreStation(self.name, self.reads, self.abilities)
