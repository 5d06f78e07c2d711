"""Rename, archive, delete and restore projects."""

import shutil
from datetime import datetime

from django.db import transaction
from django.utils import timezone

from saltwort.core.errors import BadInput
from saltwort.server.jobs.models import QUEUED, RUNNING
from saltwort.server.jobs.operations import cancel
from saltwort.server.projects.models import Project


def rename_project(project: Project, name: str) -> None:
    """Give a project another name. Its address, and the names of its configs, stay. Raises BadInput for none."""
    if not name.strip():
        raise BadInput("A project needs a name. Type one.")
    Project.objects.filter(pk=project.pk).update(name=name.strip())


def archive_project(project: Project, archived: bool) -> None:
    """Take a project out of the list of those in work, or back into it. Nothing else changes."""
    Project.objects.filter(pk=project.pk).update(archived=archived)


def delete_project(project: Project, name: str) -> None:
    """Delete a project, for good after a day. Its jobs are cancelled first. Raises BadInput unless its name is
    typed."""
    if name.strip() != project.name:
        raise BadInput(f"This is not its name. Type “{project.name}” to delete the project.")
    for job in project.jobs.filter(state__in=(QUEUED, RUNNING)):
        cancel(job)
    Project.objects.filter(pk=project.pk).update(deleted=timezone.now())


def restore_project(project: Project) -> None:
    """Take back that a project was deleted."""
    Project.objects.filter(pk=project.pk).update(deleted=None)


def forget_deleted(before: datetime) -> None:
    """Remove projects that were deleted before a time, with the files that are theirs alone. Pictures go once nothing
    has them any more."""
    for project in Project.objects.filter(deleted__lt=before):
        if project.jobs.filter(state=RUNNING).exists():
            continue  # it ends at its next report
        folders = [output.file.parent for output in project.outputs.all()]
        folders += [conversion.folder for conversion in project.conversions.filter(place="")]
        with transaction.atomic():
            for rows in (project.kept_comparisons, project.outputs, project.conversions):
                rows.all().delete()
            Project.objects.filter(pk=project.pk).update(current=None)
            project.revisions.order_by("-number").delete()
            project.delete()
        for folder in folders:
            shutil.rmtree(folder, ignore_errors=True)
