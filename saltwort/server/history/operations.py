"""Record what is done in a project, undo the last of it, whatever it was, and do it again.

Recorded are rows, before and after: who changes rows names those that may change, and knows nothing of undo.
"""

import json
from collections import defaultdict
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from typing import Any

from django.apps import apps
from django.db import IntegrityError, models, transaction
from django.db.models import F, QuerySet
from django.db.models.functions import Length
from django.dispatch import Signal

from saltwort.core.errors import BadInput
from saltwort.server.history.models import Action, ChangedRows
from saltwort.server.queries import among
from saltwort.server.versions import Stale, Versioned

rows_put_back = Signal()
"""Sent for a model, within the transaction, with the `keys` of rows that undo or redo has changed or made again."""
MOST_ACTIONS = 100
MOST_BYTES = 200_000_000
ROWS_AT_ONCE = 2_000
NOT_COMPARED = ("version",)
"""It grows when a row is put back, too: what somebody has read of it is old."""

Fields = dict[str, Any]
Rows = dict[Any, Fields]
Changed = tuple[Any, Fields | None, Fields | None]
"""A row's key, its fields in one state and in the other; None where it is not there."""


@contextmanager
def recording(project: models.Model, what: str, author: str = "", *watched: QuerySet, key: str = "") -> Iterator[None]:
    """A transaction that is an action. `watched` are the rows that may change in it, or be made or removed; they are
    read once more after it. An action in which nothing changes is none."""
    with transaction.atomic():
        before = [_read(rows) for rows in watched]
        yield
        changed = [(rows.model, _changed(old, _read(rows.all()))) for rows, old in zip(watched, before, strict=True)]
        if any(rows for _, rows in changed):
            action = _action(project, what, author, key)
            for model, rows in changed:
                _keep(action, model, rows)


@transaction.atomic
def remove(project: models.Model, what: str, author: str, rows: QuerySet) -> None:
    """An action that deletes rows, with all rows that go with them or lose their link to them."""
    with recording(project, what, author, rows, *_linked(rows)):
        rows.delete()


def _linked(rows: QuerySet) -> Iterator[QuerySet]:
    keys = list(rows.values_list("pk", flat=True))
    for link in rows.model._meta.related_objects:
        model = link.related_model
        if getattr(model, "is_computed", False):
            continue
        linked = model._base_manager.filter(_of(rows.model, keys, link.field.attname))
        if linked_keys := list(linked.values_list("pk", flat=True)):  # they are found no more once links are empty
            yield model._base_manager.filter(_of(model, linked_keys))


def _action(project: models.Model, what: str, author: str, key: str) -> Action:
    done = Action.objects.filter(project=project)
    done.filter(undone=True).delete()
    last = done.first()
    if key and last and last.key == key:
        return last
    return Action.objects.create(project=project, what=what[:200], author=author[:80], key=key)


def _keep(action: Action, model: type[models.Model], rows: list[Changed]) -> None:
    for start in range(0, len(rows), ROWS_AT_ONCE):
        part = rows[start : start + ROWS_AT_ONCE]
        ChangedRows.objects.create(action=action, model=model._meta.label, rows=part)


def _read(rows: QuerySet) -> Rows:
    """Rows by key, in the form in which JSON holds them."""
    model = rows.model
    key = model._meta.pk.attname
    names = [field.attname for field in model._meta.concrete_fields]
    needs_coding = any(isinstance(field, models.DateTimeField) for field in model._meta.concrete_fields)
    found = list(rows.order_by().values(*names))
    if needs_coding:
        found = json.loads(json.dumps(found, default=datetime.isoformat))
    return {row.pop(key): row for row in found}


def _changed(before: Rows, after: Rows) -> list[Changed]:
    changed: list[Changed] = []
    for key in {**before, **after}:
        old, new = before.get(key), after.get(key)
        if old is not None and new is not None:
            names = [name for name in old if old[name] != new[name] and name not in NOT_COMPARED]
            old, new = ({name: row[name] for name in names} for row in (old, new))
        if old != new:
            changed.append((key, old, new))
    return changed


def last_done(project: models.Model) -> Action | None:
    """What undo would take back."""
    return Action.objects.filter(project=project, undone=False).first()


def last_undone(project: models.Model) -> Action | None:
    """What redo would do again."""
    return Action.objects.filter(project=project, undone=True).last()


def undo(project: models.Model, based_on: int) -> Action:
    """Put all rows of the last action back as they were. Raises BadInput when there is none, or when what it changed
    was changed since by something that is not recorded; Stale when the last action is another than `based_on`."""
    return _moved(last_done(project), based_on, undone=True, nothing="There is nothing to undo.")


def redo(project: models.Model, based_on: int) -> Action:
    """Do the action that was undone last again. Raises as `undo` does."""
    return _moved(last_undone(project), based_on, undone=False, nothing="There is nothing to redo.")


def _moved(action: Action | None, based_on: int, *, undone: bool, nothing: str) -> Action:
    if action is None:
        raise BadInput(nothing)
    if action.pk != based_on:
        raise Stale(action.pk)
    try:
        with transaction.atomic():
            if not Action.objects.filter(pk=action.pk, undone=not undone).update(undone=undone):
                raise Stale(action.pk)
            for put in (_make, _change, _delete):  # what is linked to is there first, and goes last
                for part in action.changed.order_by("pk" if put is _make or not undone else "-pk").iterator():
                    rows = [(key, new, old) if undone else (key, old, new) for key, old, new in part.rows]
                    put(apps.get_model(part.model), rows, action.what)
    except IntegrityError:
        raise BadInput(_CHANGED.format(what=action.what)) from None
    action.undone = undone
    return action


_CHANGED = "“{what}” cannot be taken back or done again: what it changed was changed since. Change it by hand."


def _change(model: type[models.Model], rows: list[Changed], what: str) -> None:
    there = [(key, old, new) for key, old, new in rows if old is not None and new is not None]
    standing = _read(model._base_manager.filter(_of(model, [key for key, *_ in there])))
    alike: dict[str, list[Any]] = defaultdict(list)
    for key, old, new in there:
        if key not in standing or any(standing[key][name] != value for name, value in old.items()):
            raise BadInput(_CHANGED.format(what=what))
        alike[json.dumps(new)].append(key)
    for written, keys in alike.items():
        fields: Fields = _as_stored(model, json.loads(written))
        if issubclass(model, Versioned):
            fields["version"] = F("version") + 1
        model._base_manager.filter(_of(model, keys)).update(**fields)
    rows_put_back.send(model, keys=list(standing))


def _delete(model: type[models.Model], rows: list[Changed], what: str) -> None:
    model._base_manager.filter(_of(model, [key for key, _, new in rows if new is None])).delete()


def _of(model: type[models.Model], keys: Sequence[Any], name: str = "pk") -> models.Q:
    is_number = isinstance(model._meta.pk, models.IntegerField)
    return among(name, keys) if is_number else models.Q(**{f"{name}__in": keys})


def _make(model: type[models.Model], rows: list[Changed], what: str) -> None:
    """Make rows again under their keys. What they may do without and is gone, such as a job, they do without."""
    fields = {key: _as_stored(model, new) for key, old, new in rows if old is None and new is not None}
    if not fields:
        return
    for field in model._meta.concrete_fields:
        if isinstance(field, models.ForeignKey):
            wanted = {row[field.attname] for row in fields.values()} - {None}
            missing = wanted - set(field.related_model._base_manager.filter(pk__in=wanted).values_list("pk", flat=True))
            if missing and not field.null:
                raise BadInput(_CHANGED.format(what=what))
            for row in fields.values():
                if row[field.attname] in missing:
                    row[field.attname] = None
    if issubclass(model, Versioned):
        for row in fields.values():
            row["version"] += 1  # what was read of it before it went is old
    key_name = model._meta.pk.attname
    model._base_manager.bulk_create((model(**{key_name: key}, **row) for key, row in fields.items()), batch_size=500)


def _as_stored(model: type[models.Model], row: Fields) -> Fields:
    return {name: model._meta.get_field(name).to_python(value) for name, value in row.items()}


def held(name: str) -> set[Any]:
    """All values of a field, such as `image_id`, that undo or redo may need."""
    found = set()
    for rows in ChangedRows.objects.values_list("rows", flat=True).iterator():
        for _, *states in rows:
            found |= {state[name] for state in states if state and name in state}
    return found


def held_keys(model: type[models.Model]) -> set[Any]:
    """The keys of rows of a model that undo or redo may make again."""
    of_model = ChangedRows.objects.filter(model=model._meta.label)
    return {key for rows in of_model.values_list("rows", flat=True).iterator() for key, *_ in rows}


def forget_all(project: models.Model) -> None:
    """Leave nothing to undo, as in a project that was made by a program."""
    Action.objects.filter(project=project).delete()


def forget_old() -> None:
    """Forget what was done long ago: all but the newest actions of each project, and of these no more than a
    database should hold."""
    for project in Action.objects.order_by().values_list("project", flat=True).distinct():
        size = 0
        for number, action in enumerate(Action.objects.filter(project=project).iterator()):
            size += sum(action.changed.values_list(Length("rows"), flat=True))
            if number >= MOST_ACTIONS or (number and size > MOST_BYTES):
                Action.objects.filter(project=project, pk__lte=action.pk).delete()
                break
