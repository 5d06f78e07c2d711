"""Stations of a project's chain, what they hand on, and test cards that came back from them."""

from django.db import models

from saltwort.core.stations import Station as CoreStation
from saltwort.server.images.models import StoredImage
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


class HandOff(models.Model):
    """An arrow of the chain: what `giver` writes, `taker` reads."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="hand_offs")
    giver = models.ForeignKey(Station, models.CASCADE, related_name="hands_on_to")
    taker = models.ForeignKey(Station, models.CASCADE, related_name="fed_by")

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=("giver", "taker"), name="one_arrow"),)


class Explanation(models.Model):
    """A picture that came back from an application, or from nobody knows where, with what was done to it: of which
    render at which revision, and what it was expected to be."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="explanations")
    station = models.ForeignKey(Station, models.SET_NULL, null=True, related_name="explanations")
    render = models.ForeignKey("scene.Render", models.CASCADE, related_name="explanations")
    image = models.ForeignKey(StoredImage, models.PROTECT)
    name = models.CharField(max_length=200)
    expects_light = models.BooleanField(default=False)
    revision = models.PositiveIntegerField()
    told = models.JSONField()
    author = models.CharField(max_length=80, blank=True, default="")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-pk",)


class Proof(models.Model):
    """A test card that came back: the file, the revision its card was made of, what was found, and what that depends
    on. `came` says whether the file is what the application shows, or what it writes."""

    station = models.ForeignKey(Station, models.CASCADE, related_name="proofs")
    image = models.ForeignKey(StoredImage, models.PROTECT)
    name = models.CharField(max_length=200)
    revision = models.PositiveIntegerField()
    came = models.CharField(max_length=10)
    verdict = models.CharField(max_length=20)
    told = models.JSONField()
    depends = models.JSONField()
    author = models.CharField(max_length=80, blank=True, default="")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-pk",)
