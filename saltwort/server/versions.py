"""Writes carry the version they were made from; a stale one is refused, never merged in silence."""

from typing import Any, Self

from django.db import models


class Stale(Exception):
    """Somebody else's write came first. `version` is the one that stands now."""

    def __init__(self, version: int) -> None:
        super().__init__("This was changed meanwhile, in another window. Look at the newer state, then try again.")
        self.version = version


class Versioned(models.Model):
    """A row that counts its changes."""

    version = models.PositiveIntegerField(default=1)

    class Meta:
        abstract = True

    def change(self, based_on: int, **fields: Any) -> Self:
        """Set fields if the row still stands at `based_on`, in one statement; raise Stale if it does not."""
        rows = type(self)._default_manager.filter(pk=self.pk, version=based_on)
        changed = rows.update(**fields, version=based_on + 1)
        self.refresh_from_db()
        if not changed:
            raise Stale(self.version)
        return self
