"""Find, count and page the textures of a project, all in the database."""

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from django.db.models import Count, Max, Min, Q, QuerySet

from saltwort.core.textures.kinds import MAP_KINDS
from saltwort.server.projects.models import Project
from saltwort.server.textures.models import Reading, TextureFinding

NO_KIND = "none"
"""Stands for files in whose name no word tells a map kind."""
ANY_FINDING = "any"
MOST_CHOICES = 300


@dataclass(frozen=True)
class Wanted:
    """What a list is narrowed to; an empty word narrows nothing. `sought` are words that stand in path, space or map
    kind; `reason` is as `reason_word` gives it."""

    sought: str = ""
    kind: str = ""
    space: str = ""
    reason: str = ""
    finding: str = ""
    set: str = ""


def narrowed(project: Project, wanted: Wanted) -> QuerySet[Reading]:
    """The readings that are wanted, by set and path."""
    found = Reading.objects.filter(project=project)
    for word in wanted.sought.lower().split():
        kinds = [key for key, kind in MAP_KINDS.items() if word in kind.label]
        found = found.filter(Q(path__icontains=word) | Q(space__icontains=word) | Q(kind__in=kinds))
    if wanted.kind:
        found = found.filter(kind="" if wanted.kind == NO_KIND else wanted.kind)
    if wanted.space:
        found = found.filter(space=wanted.space)
    if wanted.reason:
        found = found.filter(**_reason_fields(wanted.reason))
    if wanted.set:
        found = found.filter(set_key=wanted.set)
    if wanted.finding == ANY_FINDING:
        found = found.filter(rank__gt=0)
    elif wanted.finding:
        having = TextureFinding.objects.filter(project=project, code=wanted.finding).values("reading_id")
        found = found.filter(pk__in=having)
    return found


def reason_word(reason: str, name: str) -> str:
    """A reason in one word that tells it apart: a pin, the default, or a rule's name."""
    return f"rule:{name}" if reason == "rule" else reason


def _reason_fields(word: str) -> dict[str, str]:
    kind, _, name = word.partition(":")
    return {"reason": kind, "reason_name": name} if kind == "rule" else {"reason": kind}


def choices(readings: QuerySet[Reading]) -> dict[str, list[dict[str, Any]]]:
    """For each way of narrowing, the values that occur among some readings, with how often; of sets and findings the
    most frequent."""
    found = readings.order_by()
    return {
        "kinds": [
            {"value": row["kind"] or NO_KIND, "label": _kind_label(row["kind"]), "count": row["count"]}
            for row in found.values("kind").annotate(count=Count("pk"))
        ],
        "spaces": [
            {"value": row["space"], "label": row["space"], "count": row["count"]}
            for row in found.values("space").annotate(count=Count("pk"))
        ],
        "reasons": _reasons(found),
        "findings": [
            {"value": row["findings__code"], "label": row["title"], "count": row["count"]}
            for row in found.filter(rank__gt=0)
            .values("findings__code")
            .annotate(count=Count("pk"), title=Min("findings__title"))
            .order_by("-count")[:MOST_CHOICES]
        ],
        "sets": [
            {"value": row["set_key"], "label": row["name"], "count": row["count"]}
            for row in found.values("set_key")
            .annotate(count=Count("pk"), name=Min("set_name"))
            .filter(count__gt=1)
            .order_by("-count", "set_key")[:MOST_CHOICES]
        ],
    }


def _kind_label(key: str) -> str:
    return MAP_KINDS[key].label if key in MAP_KINDS else "not detected"


def _reasons(found: QuerySet[Reading]) -> list[dict[str, Any]]:
    counts: dict[str, dict[str, Any]] = {}
    rules = found.filter(reason="rule").values("reason", "reason_name").annotate(count=Count("pk"))
    for row in [*rules, *found.exclude(reason="rule").values("reason").annotate(count=Count("pk"))]:
        name = row.get("reason_name", "")
        counts[reason_word(row["reason"], name)] = {"label": name or row["reason"], "count": row["count"]}
    return [{"value": value, **row} for value, row in counts.items()]


def sets_among(project: Project, keys: Collection[str]) -> dict[str, dict[str, Any]]:
    """The sets of some keys, as far as they have several files: how many, of how many map kinds, and the first and last
    tile and frame."""
    rows = (
        Reading.objects.filter(project=project, set_key__in=keys)
        .order_by()
        .values("set_key")
        .annotate(
            name=Min("set_name"),
            files=Count("pk"),
            kinds=Count("kind", distinct=True),
            first_tile=Min("tile", filter=~Q(tile="")),
            last_tile=Max("tile"),
            first_frame=Min("frame", filter=~Q(frame="")),
            last_frame=Max("frame"),
            first_resolution=Min("resolution", filter=~Q(resolution="")),
            last_resolution=Max("resolution"),
        )
        .filter(files__gt=1)
    )
    return {row["set_key"]: {name: "" if value is None else value for name, value in row.items()} for row in rows}
