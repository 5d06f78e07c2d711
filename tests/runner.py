"""Django's test runner, closing with a line that counts."""

from multiprocessing import process
from typing import Any
from unittest import TestResult

from django.db import connection
from django.db.models.signals import post_migrate
from django.test.runner import DiscoverRunner, ParallelTestSuite, _init_worker


def _init_with_children(*arguments: Any, **named: Any) -> None:
    """Let a process that runs tests start others: what strangers bring is tried in processes of its own."""
    process.current_process()._config["daemon"] = False  # type: ignore[attr-defined]
    _init_worker(*arguments, **named)


def _into_one_file(**named: Any) -> None:
    """Have the database stand in its file alone, of which each process that runs tests gets a copy."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")


class Together(ParallelTestSuite):
    init_worker = _init_with_children


class CountingRunner(DiscoverRunner):
    """Prints `N passed, N failed` last, on standard output."""

    parallel_test_suite = Together

    def setup_databases(self, **named: Any) -> Any:
        post_migrate.connect(_into_one_file)
        return super().setup_databases(**named)

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        failures = super().run_tests(*args, **kwargs)
        print(self._line, flush=True)
        return failures

    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        self._line = f"{result.testsRun - failed - skipped} passed, {failed} failed"
        if skipped:
            self._line += f", {skipped} skipped"
        return super().suite_result(suite, result, **kwargs)
