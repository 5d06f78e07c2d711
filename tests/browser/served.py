"""What the tests of one process share: the application on one address, and projects that are built once and put back
for each test."""

import os
import shutil
import sqlite3
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from itertools import count
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

from django.db import connection
from waitress import create_server

from saltwort.server import kept
from saltwort.server.projects.models import Project

ROWS_OF_A_TEST = 1_000
"""By so much the numbers of new rows go up from test to test, so that no address, and nothing that is kept under the
number of a row, means another thing than in the test before."""
_tests = count(1)


class _Counted:
    """An application that says when it answers nothing any more: a page that was left has asked for things that still
    read the database."""

    def __init__(self, application: Any) -> None:
        self._application = application
        self._under_way = 0
        self._changed = threading.Condition()

    def __call__(self, environ: Any, start_response: Any) -> Any:
        self._add(1)
        try:
            return self._application(environ, start_response)
        finally:
            self._add(-1)

    def _add(self, number: int) -> None:
        with self._changed:
            self._under_way += number
            self._changed.notify_all()

    def wait(self) -> None:
        with self._changed:
            assert self._changed.wait_for(lambda: not self._under_way, ANSWERED_WITHIN), "an answer takes too long"


ANSWERED_WITHIN = 120.0


@cache
def _application() -> _Counted:
    from saltwort.server.wsgi import application

    return _Counted(application)


@cache
def address() -> str:
    """Where this process serves the application, from a thread that ends with it."""
    server = create_server(_application(), host="127.0.0.1", port=0, threads=6, clear_untrusted_proxy_headers=True)
    threading.Thread(target=server.run, daemon=True).start()
    return f"http://127.0.0.1:{server.effective_port}"


@dataclass(frozen=True)
class State:
    """Database and files as they once were."""

    database: sqlite3.Connection
    files: Path

    @classmethod
    def of(cls, folder: Path) -> "State":
        """The state now, with the files below a folder."""
        database = sqlite3.connect(":memory:", check_same_thread=False)
        connection.ensure_connection()
        connection.connection.backup(database)
        files = Path(mkdtemp(prefix="saltwort-tests-"))
        _link(folder, files)
        return cls(database, files)

    def put_back(self, folder: Path) -> None:
        """Have the database, and the files below a folder, as they were, once nothing is being answered any more."""
        _application().wait()
        connection.ensure_connection()
        self.database.backup(connection.connection)
        with connection.cursor() as cursor:
            cursor.execute("UPDATE sqlite_sequence SET seq = seq + %s", [next(_tests) * ROWS_OF_A_TEST])
        kept.forget()
        _link(self.files, folder)


def _link(source: Path, target: Path) -> None:
    """All files of a folder in another, as links: what is kept by its content is not written to again."""
    shutil.copytree(source, target, copy_function=_link_file, dirs_exist_ok=True)


def _link_file(source: str, target: str) -> None:
    if not Path(target).exists():
        os.link(source, target)


@cache
def empty() -> State:
    """A database without rows; asked for before the first test makes some."""
    return State.of(Path(mkdtemp(prefix="saltwort-tests-")))


_built: dict[object, tuple[State, int | None]] = {}


def with_project(make: Callable[[], Project], key: object, folder: Path) -> Project:
    """The project that `make` builds below a folder, built the first time that its key is asked for; one without a row
    where it builds none."""
    if key not in _built:
        empty().put_back(folder)
        project = make()
        _built[key] = State.of(folder), project.pk
    state, pk = _built[key]
    state.put_back(folder)
    return Project.objects.select_related("current").get(pk=pk) if pk else Project()
