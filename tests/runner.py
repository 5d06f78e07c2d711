"""Django's test runner, closing with a line that counts."""

from typing import Any
from unittest import TestResult

from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Prints `N passed, N failed` last, on standard output."""

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
