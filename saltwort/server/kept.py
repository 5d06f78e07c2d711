"""Answers, and what goes into them, that are kept as long as nothing they depend on has changed.

A stamp in the database counts every change of a row, by triggers, whoever makes it and in whatever way. Progress of
jobs is left out: it would make all answers new several times a second, and answers that tell of jobs are not kept. So
are rows that are computed from others, of models that say `is_computed`: who asks for them brings them in step first,
and a job that goes on computing them says so by `count_change`.
"""

from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from functools import wraps
from hashlib import sha256
from secrets import token_hex
from threading import Lock
from typing import TypeVar, cast

from cachetools import LRUCache
from django.apps import AppConfig, apps
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase

STAMP_TABLE = "saltwort_stamp"
NOT_COUNTED = ("jobs",)
"""Apps whose rows change without a change of what is kept."""
MOST_BYTES = 64_000_000
MOST_VALUES = 32

View = Callable[..., HttpResponseBase]
Value = TypeVar("Value")
_kept: LRUCache[str, bytes] = LRUCache(MOST_BYTES, getsizeof=len)
_values: LRUCache[Hashable, object] = LRUCache(MOST_VALUES)
_lock = Lock()
_since = token_hex(8)
"""Part of each tag: a database put back from an older copy counts on from there, to numbers that browsers hold."""


def kept(view: View) -> View:
    """Keep what a view answers to GET, which must be JSON and depend on nothing but the database."""

    @wraps(view)
    def answer(request: HttpRequest, *args: object, **kwargs: object) -> HttpResponseBase:
        if request.method != "GET":
            return view(request, *args, **kwargs)
        tag = _tag(request)
        if request.headers.get("If-None-Match") == tag:
            return _with_tag(HttpResponse(status=304), tag)
        with _made_once(tag):
            content = _found(tag)
            if content is None:
                made = view(request, *args, **kwargs)
                if made.status_code != 200:
                    return made
                content = made.render().content
                # Never under a stamp that was read after the view: what came between is not in the answer.
                _keep(tag, content)
        return _with_tag(HttpResponse(content, content_type="application/json"), tag)

    return answer


def kept_value(make: Callable[[], Value], *key: Hashable) -> Value:
    """What `make` gives, kept under a key as long as no row changes. It must depend on the key and the database alone.
    Not for use within a transaction: what is taken back would be kept."""
    stamped = (stamp(), connection.settings_dict["NAME"], *key)
    with _made_once(stamped):
        with _lock:
            if stamped in _values:
                return cast(Value, _values[stamped])
        value = make()
        with _lock:
            _values[stamped] = value
        return value


@contextmanager
def _made_once(tag: Hashable) -> Iterator[None]:
    """Let one make an answer while others who ask for the same wait for it."""
    with _lock:
        making, waiting = _making.get(tag, (Lock(), 0))
        _making[tag] = making, waiting + 1
    try:
        with making:
            yield
    finally:
        with _lock:
            making, waiting = _making[tag]
            if waiting > 1:
                _making[tag] = making, waiting - 1
            else:
                del _making[tag]


_making: dict[Hashable, tuple[Lock, int]] = {}


def _found(tag: str) -> bytes | None:
    with _lock:
        return _kept.get(tag)


def _keep(tag: str, content: bytes) -> None:
    if len(content) <= MOST_BYTES // 8:
        with _lock:
            _kept[tag] = content


def _tag(request: HttpRequest) -> str:
    asked = f"{_since}\0{stamp()}\0{request.get_full_path()}\0{connection.settings_dict['NAME']}"
    return f'"{sha256(asked.encode()).hexdigest()[:32]}"'


def _with_tag(response: HttpResponse, tag: str) -> HttpResponse:
    response["ETag"] = tag
    response["Cache-Control"] = "private, no-cache"
    return response


def forget() -> None:
    """Keep nothing any more, nor have browsers keep it, as where another database is in place."""
    global _since
    with _lock:
        _since = token_hex(8)
        _kept.clear()
        _values.clear()


def stamp() -> int:
    """A number that grows with every change of a row."""
    with connection.cursor() as cursor:
        cursor.execute(f"SELECT number FROM {STAMP_TABLE}")
        return int(cursor.fetchone()[0])


def count_changes(sender: AppConfig, **kwargs: object) -> None:
    """Have the database count changes; called after each migration, which may have made tables anew."""
    with connection.cursor() as cursor:
        cursor.execute(f"CREATE TABLE IF NOT EXISTS {STAMP_TABLE} (number INTEGER NOT NULL)")
        cursor.execute(f"INSERT INTO {STAMP_TABLE} SELECT 0 WHERE NOT EXISTS (SELECT * FROM {STAMP_TABLE})")
        for change in ("INSERT", "UPDATE", "DELETE"):
            for table in _tables(computed=True):  # an older database counts them
                cursor.execute(f"DROP TRIGGER IF EXISTS {table}_{change.lower()}")
            for table in _tables(computed=False):
                cursor.execute(
                    f"CREATE TRIGGER IF NOT EXISTS {table}_{change.lower()} AFTER {change} ON {table} "
                    f"BEGIN UPDATE {STAMP_TABLE} SET number = number + 1; END"
                )


def _tables(*, computed: bool) -> list[str]:
    there = set(connection.introspection.table_names())
    models = (
        model
        for app in apps.get_app_configs()
        if app.name.startswith("saltwort.") and app.label not in NOT_COUNTED
        for model in app.get_models()
    )
    wanted = (model for model in models if getattr(model, "is_computed", False) == computed)
    return [model._meta.db_table for model in wanted if model._meta.db_table in there]


def count_change() -> None:
    """Make all that is kept new, as after a change of rows that are computed."""
    with connection.cursor() as cursor:
        cursor.execute(f"UPDATE {STAMP_TABLE} SET number = number + 1")
