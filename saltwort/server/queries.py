"""Conditions that Django's ORM has no word for."""

import json
from collections.abc import Collection

from django.db.models import Q
from django.db.models.expressions import RawSQL


def among(field: str, values: Collection[int]) -> Q:
    """A condition for a field of whole numbers, however many values there are: the database takes them as one text."""
    listed = RawSQL("SELECT value FROM json_each(%s)", [json.dumps(list(values))])
    return Q(**{f"{field}__in": listed})
