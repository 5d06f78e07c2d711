"""Texture files of a project, and how they come in."""

from pathlib import Path
from typing import Any, Self

from django.conf import settings
from django.db import models, transaction
from django.db.models import Q

from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import FileInHand
from saltwort.server.versions import Versioned


class Texture(Versioned):
    """A texture under the path it has in the project. The space it is read in is computed, unless it is pinned, and
    its map kind told by its name, unless it is set by hand. `converted_from` is the path of the file that it had before
    a conversion took its place, empty for most."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="textures")
    path = models.CharField(max_length=1024)
    image = models.ForeignKey(StoredImage, models.PROTECT)
    pin_space = models.CharField(max_length=200, blank=True)
    pin_note = models.CharField(max_length=500, blank=True)
    pin_author = models.CharField(max_length=80, blank=True)
    kind_by_hand = models.CharField(max_length=40, blank=True)
    converted_from = models.CharField(max_length=1024, blank=True)

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=("project", "path"), name="texture_path"),)
        indexes = (models.Index(fields=("project", "version"), name="texture_version"),)

    def change(self, based_on: int, **fields: Any) -> Self:
        """As of every versioned row; its reading is then behind."""
        with transaction.atomic():
            changed = super().change(based_on, **fields)
            mark_behind(Q(pk=self.pk))
        return changed


class Reading(models.Model):
    """How a texture is read as its project stands, computed once and kept within SQL's reach: thousands are narrowed,
    counted and paged by it. `assigned_version` is the texture's when its space was told, `texture_version` when it was
    checked; 0 says that it is behind. `rank` is that of its worst finding, 0 for none.
    """

    is_computed = True
    texture = models.OneToOneField(Texture, models.CASCADE, primary_key=True, related_name="reading")
    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="readings")
    path = models.CharField(max_length=1024)
    assigned_version = models.PositiveIntegerField(default=0)
    texture_version = models.PositiveIntegerField(default=0)
    kind = models.CharField(max_length=40, blank=True)
    word = models.CharField(max_length=130, blank=True)
    set_key = models.CharField(max_length=1024)
    set_name = models.CharField(max_length=1024)
    tile = models.CharField(max_length=20, blank=True)
    resolution = models.CharField(max_length=20, blank=True)
    frame = models.CharField(max_length=20, blank=True)
    space = models.CharField(max_length=200)
    reason = models.CharField(max_length=10)
    reason_name = models.CharField(max_length=500, blank=True)
    verdict_space = models.CharField(max_length=200, blank=True)
    confidence = models.FloatField(default=0.0)
    rank = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ("set_key", "path")
        indexes = (
            models.Index(fields=("project", "set_key", "path"), name="reading_order"),
            models.Index(fields=("project", "path"), name="reading_path"),
            models.Index(fields=("project", "kind", "set_key", "path"), name="reading_kind"),
            models.Index(fields=("project", "space", "set_key", "path"), name="reading_space"),
            models.Index(fields=("project", "reason", "reason_name", "set_key", "path"), name="reading_reason"),
            models.Index(fields=("project", "rank", "set_key", "path"), name="reading_rank"),
            models.Index(fields=("project", "texture_version"), name="reading_stale"),
            models.Index(fields=("project", "assigned_version"), name="reading_behind"),
        )


class ReadingState(models.Model):
    """What the readings of a project were computed from: `said`, the setup's word on which space a texture is read in;
    hashes of all that assignments depend on, and of what findings depend on besides. `written` counts how often
    assignments were written."""

    is_computed = True
    project = models.OneToOneField("projects.Project", models.CASCADE, primary_key=True, related_name="reading_state")
    assigned_by = models.CharField(max_length=64, blank=True)
    checked_by = models.CharField(max_length=64, blank=True)
    said = models.JSONField(default=dict)
    written = models.PositiveBigIntegerField(default=0)


def mark_behind(textures: Q) -> None:
    """Have the readings of textures, by their `pk`, be told and checked again: due whenever a version grows."""
    Reading.objects.filter(textures).update(assigned_version=0, texture_version=0)


class TextureFinding(models.Model):
    """A finding of a texture, without its fixes, which are computed when it is looked at. `rank` is its level's."""

    is_computed = True
    reading = models.ForeignKey(Reading, models.CASCADE, related_name="findings")
    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="texture_findings")
    path = models.CharField(max_length=1024)
    rank = models.PositiveSmallIntegerField()
    code = models.CharField(max_length=60)
    title = models.CharField(max_length=200)

    class Meta:
        ordering = ("-rank", "code", "path")
        indexes = (
            models.Index(fields=("project", "-rank", "code", "path"), name="texture_finding_order"),
            models.Index(fields=("project", "code", "path"), name="texture_finding_code"),
        )


class TextureFolder(models.Model):
    """A folder of this machine whose textures are read where they lie; `name` is its folder in the project."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="texture_folders")
    place = models.CharField(max_length=4096)
    name = models.CharField(max_length=255)

    class Meta:
        ordering = ("name",)
        constraints = (models.UniqueConstraint(fields=("project", "name"), name="texture_folder_name"),)


class LeftOut(models.Model):
    """A file that was brought and could not be read, with the reason. It goes when a readable one comes under its
    path."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="left_out")
    path = models.CharField(max_length=1024)
    reason = models.CharField(max_length=1000)

    class Meta:
        ordering = ("path",)
        constraints = (models.UniqueConstraint(fields=("project", "path"), name="left_out_path"),)


class Intake(models.Model):
    """Files on their way in: sent by a browser and waiting in the media folder, or lying in a folder of the machine."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="intakes")
    folder = models.ForeignKey(TextureFolder, models.CASCADE, null=True)
    created = models.DateTimeField(auto_now_add=True)
    started = models.BooleanField(default=False)

    @property
    def waiting_room(self) -> Path:
        """Where the files that a browser sent wait until they are read."""
        return Path(settings.MEDIA_ROOT) / "incoming" / str(self.pk)


IN, REFUSED = "in", "refused"


class IntakeFile(FileInHand):
    """One of them."""

    intake = models.ForeignKey(Intake, models.CASCADE, related_name="files")
    path = models.CharField(max_length=1024)
    place = models.CharField(max_length=4096)

    class Meta:
        ordering = ("pk",)
        constraints = (models.UniqueConstraint(fields=("intake", "path"), name="intake_path"),)
