"""What was done in a project, step by step, with the rows as they were before and after."""

from django.db import models


class Action(models.Model):
    """Something that was done, in words, such as “Rule Plates added”. One that is `undone` can be done again until
    something else is done. Actions of the same `key`, one right after the other, are one."""

    project = models.ForeignKey("projects.Project", models.CASCADE, related_name="actions")
    what = models.CharField(max_length=200)
    author = models.CharField(max_length=80, blank=True)
    key = models.CharField(max_length=80, blank=True)
    done = models.DateTimeField(auto_now_add=True)
    undone = models.BooleanField(default=False)

    class Meta:
        ordering = ("-pk",)
        indexes = (models.Index(fields=("project", "undone", "-id"), name="action_last"),)


class ChangedRows(models.Model):
    """Rows of one model that an action changed. Each of `rows` is a key, the fields as they were, and as they became:
    None for a row that was not there, or is not any more."""

    action = models.ForeignKey(Action, models.CASCADE, related_name="changed")
    model = models.CharField(max_length=80)
    rows = models.JSONField()

    class Meta:
        ordering = ("pk",)
