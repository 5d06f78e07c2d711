"""Patterns of strangers, matched in bounded time, with the answers that the engine gives.

The engine's own matching (ECMAScript, on bytes) tries every way in which an expression may fit, which a hostile one,
or one written carelessly, makes last for ever. Expressions are matched here by RE2, whose time grows with the length
of the path alone; those it has no means for, with look-ahead or back references, by a library that can be stopped.
"""

import re
from collections.abc import Sequence
from functools import lru_cache

import PyOpenColorIO as ocio
import re2
import regex

from saltwort.core.errors import BadInput
from saltwort.core.sandbox import Limits, run_sandboxed

MAX_REPEATS = 1_000
"""The product of all counted repetitions: `{4}` in three places is 64. The engine writes each of them out."""
ENGINE_LIMITS = Limits(seconds=1, memory=1_000_000_000)
LONGEST_TRY = 0.25
"""Seconds for one path. Others take microseconds."""

_OPTIONS = re2.Options()
_OPTIONS.encoding = re2.Options.Encoding.LATIN1  # a byte is a character, as to the engine
_OPTIONS.log_errors = False
_OPTIONS.max_mem = 64 << 20

_FOREIGN = re.compile(r"\\(?:[^\x00-\x7f]|[A-Za-z](?<![dDwWsSbB]))|\[\[[=.]|\[\^?\]|[*+?}][+]|\(\?(?![:=!])")
"""What applications read in different ways, or not at all: escapes of letters, collating elements, empty brackets,
possessive repetition, groups of other kinds."""
_REPEAT = re.compile(r"\{(\d*)(?:,(\d*))?\}")


def check_expression(pattern: str) -> None:
    """Raise BadInput for an expression that cannot be matched in bounded time, or not as every application does."""
    if found := _FOREIGN.search(pattern):
        raise BadInput(f"“{found[0]}” is not read alike by all applications. Write it with plain letters and classes")
    repeats = 1
    for fewest, most in _REPEAT.findall(pattern):
        repeats *= max(1, int(most or fewest or 0))
    if repeats > MAX_REPEATS:
        raise BadInput(f"its counts multiply to {repeats:,}, and {MAX_REPEATS:,} is the most. Use * or + instead")
    _compiled(pattern.encode())


def _compiled(pattern: bytes) -> "re2._Regexp | regex.Pattern[bytes]":
    try:
        return re2.compile(pattern, _OPTIONS)
    except re2.error:
        pass
    try:
        return regex.compile(pattern)
    except regex.error:
        raise BadInput("invalid regular expression. Check its brackets and repetitions") from None


class Expressions:
    """Expressions in an order, which are asked for many paths."""

    def __init__(self, patterns: Sequence[bytes]) -> None:
        """`patterns` have been checked."""
        self._slow: set[int] = set()
        self._others: dict[int, regex.Pattern[bytes]] = {}
        self._numbers: list[int] = []
        self._together = re2.Set.FullMatchSet(_OPTIONS)
        for number, pattern in enumerate(patterns):
            compiled = _compiled(pattern)
            if isinstance(compiled, regex.Pattern):
                self._others[number] = compiled
            else:
                self._together.Add(pattern)
                self._numbers.append(number)
        self._together.Compile()

    def matching(self, path: str) -> set[int]:
        """Which of them match a whole path."""
        text = path.encode()
        indices = self._together.Match(text) if self._numbers else None
        found = {self._numbers[index] for index in indices or ()}
        return found | {number for number in self._others if self._try(number, text)}

    def match_any(self, path: str) -> bool:
        """Whether any of them matches a whole path."""
        return bool(self._numbers and self._together.Match(path.encode())) or bool(self._others and self.matching(path))

    def is_slow(self, number: int) -> bool:
        """Whether an expression took too long for some path. It is not tried again, and matches nothing."""
        return number in self._slow

    def _try(self, number: int, text: bytes) -> bool:
        if number in self._slow:
            return False
        try:
            return self._others[number].fullmatch(text, timeout=LONGEST_TRY, concurrent=True) is not None
        except TimeoutError:
            self._slow.add(number)
            return False


@lru_cache(maxsize=256)
def hangs_applications(pattern: str, paths: tuple[str, ...]) -> bool:
    """Whether the engine, as applications use it, takes longer than ENGINE_LIMITS for some of these paths."""
    try:
        return run_sandboxed(_asked_of_engine, pattern, paths, limits=ENGINE_LIMITS, called="", advice="") is None
    except BadInput:
        return True


def _asked_of_engine(pattern: str, paths: tuple[str, ...]) -> int:
    """How many of the paths the engine takes by an expression."""
    rules = ocio.FileRules()
    rules.insertRule(0, "asked", "raw", pattern)
    rules.setDefaultRuleColorSpace("raw")
    config = ocio.Config.CreateRaw()
    config.setFileRules(rules)
    return sum(config.getColorSpaceFromFilepath(path)[1] == 0 for path in paths)
