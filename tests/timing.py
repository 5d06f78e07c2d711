"""How long each test takes by the clock: its set-up, its body and its tear-down. Each process that runs tests writes a
file of its own; `collect_times` merges them."""

import csv
import functools
import os
from collections.abc import Callable
from dataclasses import astuple, dataclass, fields
from pathlib import Path
from time import perf_counter
from typing import Any
from unittest import TestCase, TestSuite

from django.test import SimpleTestCase


@dataclass
class TestTime:
    """Seconds of one test, or of what a class does once for all its tests."""

    test: str
    set_up: float = 0.0
    body: float = 0.0
    tear_down: float = 0.0

    @property
    def total(self) -> float:
        return self.set_up + self.body + self.tear_down


_times: dict[str, TestTime] = {}


def time_tests(file: Path) -> None:
    """Time every test of this process, and of the processes forked from it, for `collect_times(file)`."""
    for left in _parts(file):
        left.unlink()
    for case in (TestCase, SimpleTestCase):
        _replace(case, "__call__", _timed_test)
    _replace(TestCase, "_callTestMethod", _timed_body)
    _replace(TestSuite, "_handleClassSetUp", _timed_class_set_up)
    _replace(TestSuite, "_tearDownPreviousClass", _timed_class_tear_down)
    _replace(TestSuite, "run", functools.partial(_written_after, file))


def collect_times(file: Path) -> list[TestTime]:
    """Merge what each process wrote into `file`, slowest first."""
    times = []
    for part in _parts(file):
        with part.open(newline="", encoding="utf-8") as rows:
            times += [TestTime(test, *map(float, seconds)) for test, *seconds in csv.reader(rows)]
        part.unlink()
    times.sort(key=lambda timed: -timed.total)
    with file.open("w", newline="", encoding="utf-8") as out:
        writer = csv.writer(out)
        writer.writerow([field.name for field in fields(TestTime)])
        writer.writerows((timed.test, *(f"{seconds:.4f}" for seconds in astuple(timed)[1:])) for timed in times)
    return times


def _parts(file: Path) -> list[Path]:
    return sorted(file.parent.glob(f"{file.stem}.*.part"))


Method = Callable[..., Any]


def _replace(owner: type, name: str, timed: Callable[[Method], Method]) -> None:
    method = getattr(owner, name)
    setattr(owner, name, functools.wraps(method)(timed(method)))


def _timed_test(method: Method) -> Method:
    def call(test: TestCase, *arguments: Any, **named: Any) -> Any:
        if test.id() in _times:  # Django's call is around that of unittest, and begins first
            return method(test, *arguments, **named)
        timed = _times[test.id()] = TestTime(test.id())
        start = perf_counter()
        try:
            return method(test, *arguments, **named)
        finally:
            # Until its body is done, all of a test is set-up.
            whole = perf_counter() - start
            if timed.body:
                timed.set_up -= start
                timed.tear_down = whole - timed.set_up - timed.body
            else:
                timed.set_up = whole

    return call


def _timed_body(method: Method) -> Method:
    def call(test: TestCase, *arguments: Any) -> Any:
        timed = _times.setdefault(test.id(), TestTime(test.id()))
        timed.set_up = perf_counter()
        try:
            return method(test, *arguments)
        finally:
            timed.body = perf_counter() - timed.set_up

    return call


def _timed_class_set_up(method: Method) -> Method:
    def call(suite: TestSuite, test: TestCase, result: Any) -> Any:
        start = perf_counter()
        try:
            return method(suite, test, result)
        finally:
            _of_class(type(test)).set_up += perf_counter() - start

    return call


def _timed_class_tear_down(method: Method) -> Method:
    def call(suite: TestSuite, test: TestCase, result: Any) -> Any:
        start = perf_counter()
        try:
            return method(suite, test, result)
        finally:
            if case := getattr(result, "_previousTestClass", None):
                _of_class(case).tear_down += perf_counter() - start

    return call


def _of_class(case: type) -> TestTime:
    name = f"{case.__module__}.{case.__qualname__}"
    return _times.setdefault(name, TestTime(name))


def _written_after(file: Path, method: Method) -> Method:
    def call(suite: TestSuite, *arguments: Any, **named: Any) -> Any:
        try:
            return method(suite, *arguments, **named)
        finally:
            with file.with_suffix(f".{os.getpid()}.part").open("a", newline="", encoding="utf-8") as out:
                csv.writer(out).writerows(astuple(timed) for timed in _times.values())
            _times.clear()

    return call
