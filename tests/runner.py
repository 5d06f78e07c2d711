"""Django's test runner, closing with a line that counts."""

import logging
import os
import sys
import tempfile
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestResult

from django.conf import settings
from django.db import connection
from django.db.models.signals import post_migrate
from django.test.runner import DiscoverRunner

from tests.timing import collect_times, time_tests

SLOWEST = 20


def _into_one_file(**named: Any) -> None:
    """Have the database stand in its file alone, of which each process that runs tests gets a copy."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def _only_what_tests_say() -> None:
    """Keep what libraries in C say of files that are broken on purpose in a log, and leave out what the server says of
    browsers that go."""
    said = os.fdopen(os.dup(sys.stderr.fileno()), "w", buffering=1)
    log = settings.VAR_DIR / "libraries.log"
    os.dup2(os.open(log, os.O_WRONLY | os.O_CREAT | os.O_TRUNC), 2)
    sys.stderr = said
    logging.getLogger("django.server").addFilter(lambda record: "Broken pipe" not in record.getMessage())


class CountingRunner(DiscoverRunner):
    """Prints `N passed, N failed` last, on standard output."""

    def setup_databases(self, **named: Any) -> Any:
        # What a run that was killed left: its log of writes would be played into the new database.
        for left in settings.VAR_DIR.glob("test*.sqlite3*"):
            left.unlink()
        post_migrate.connect(_into_one_file)
        return super().setup_databases(**named)

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        _only_what_tests_say()
        times = settings.VAR_DIR / "test-times.csv"
        time_tests(times)
        # In one folder, which goes with the run: processes that run tests end without a word.
        with TemporaryDirectory(prefix="saltwort-tests-", ignore_cleanup_errors=True) as folder:
            tempfile.tempdir = folder
            failures = super().run_tests(*args, **kwargs)
            tempfile.tempdir = None
        print(f"The {SLOWEST} slowest tests, in seconds; {times.name} lists all:")
        for timed in collect_times(times)[:SLOWEST]:
            print(f"{timed.total:6.1f}  {timed.test.removeprefix('tests.')}")
        print(self._line, flush=True)
        return failures

    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
        told = [test for test, _ in (*result.failures, *result.errors)] + list(result.unexpectedSuccesses)
        # Of a test with parts, each part that fails is told; it is one test all the same.
        failed = len({getattr(test, "test_case", test).id() for test in told})
        skipped = len(result.skipped)
        self._line = f"{max(0, result.testsRun - failed - skipped)} passed, {failed} failed"
        if skipped:
            self._line += f", {skipped} skipped"
        return super().suite_result(suite, result, **kwargs)
