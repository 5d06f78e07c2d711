"""The registry of checks.

A check is a function under `@check`, in any module of `saltwort.core.findings.checks`; modules there are found by
themselves. It is given everything that can be wrong, and yields findings under the code it registered.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from heapq import nlargest

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.changes import Change
from saltwort.core.configs.target import Replacement
from saltwort.core.engine import ViewChoice
from saltwort.core.findings.guide import guide_place
from saltwort.core.images import Facts
from saltwort.core.modules import import_all
from saltwort.core.project import Setup
from saltwort.core.project.parts.dismissed import Dismissed
from saltwort.core.stations import Station
from saltwort.core.textures.evidence import Evidence, Verdict, verdict_of
from saltwort.core.textures.kinds import KindMatch
from saltwort.core.textures.rules import Assignment, Rule

BLOCKER, CAUTION, NOTE = "blocker", "caution", "note"
LEVELS = (BLOCKER, CAUTION, NOTE)


@dataclass(frozen=True)
class Fix:
    """A named operation that mends a finding. `arguments` are the operation's own; `changes` its preview, which leaves
    out `others` of them where they are many."""

    operation: str
    label: str
    arguments: dict[str, str]
    changes: tuple[Change, ...]
    others: int = 0


@dataclass(frozen=True)
class Finding:
    """One thing that is wrong (blocker), probably wrong (caution) or worth knowing (note). `also` are other
    ways to mend it than `fix`, the nearest."""

    code: str
    level: str
    subject: str
    title: str
    why: str
    fix: Fix | None = None
    also: tuple[Fix, ...] = ()


@dataclass(frozen=True)
class CheckedTexture:
    path: str
    kind: KindMatch | None
    assignment: Assignment
    facts: Facts
    evidence: tuple[Evidence, ...] = ()

    @cached_property
    def verdict(self) -> Verdict:
        return verdict_of(self.evidence)


@dataclass(frozen=True)
class Like:
    """A texture, as far as must be known of it to say whether a rule for many suits it."""

    path: str
    space: str
    is_pinned: bool
    verdict_space: str | None


@dataclass(frozen=True)
class Census:
    """A project's textures all together: how many there are, the names of the rules that take any, the longest of
    their paths, and how many have a space that was set manually."""

    count: int
    taking: frozenset[str]
    longest: tuple[str, ...]
    pinned: int = 0


LONGEST_PATHS = 20
"""Paths of a project that are tried on what may hang: the longer a path, the longer that takes."""


@dataclass(frozen=True)
class CheckedRender:
    """`sample` gives some pixels of it, (n, 3), in the numbers as stored; None where there are none. Of a sequence,
    `missing` are the frames that are not there, and `unreadable` those that cannot be read, with the reason."""

    name: str
    space: str
    facts: Facts
    sample: Callable[[], NDArray[np.float32] | None] = lambda: None
    missing: tuple[int, ...] = ()
    unreadable: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True)
class DrawnOff:
    """A view that a browser draws otherwise than the engine, by at most a share of white."""

    choice: ViewChoice
    largest: float


@dataclass(frozen=True)
class CheckedProof:
    """How far a station has been tried by a test card: one of `stations.proof.STATES`, and in a sentence what is wrong
    or has changed."""

    station: str
    state: str
    why: str = ""


@dataclass(frozen=True)
class NotedFrame:
    """A frame that landed in a watched folder, with one thing that is wrong with it: a code, and a sentence."""

    name: str
    number: int | None
    code: str
    why: str


@dataclass(frozen=True)
class CheckedFolder:
    """A watched folder, with its frames that are not good."""

    name: str
    frames: tuple[NotedFrame, ...]


@dataclass(frozen=True)
class UnreadableFile:
    """A file that was brought and left out, with the reason in a sentence."""

    path: str
    reason: str


@dataclass(frozen=True)
class Subjects:
    """All that checks look at: the composed config with its setup, what was replaced in it for its target version, and
    the project's own things. `base_text` is the text of the config that it starts from, `exposures` the stops that the
    Compare step shows renders with, for all panes and for those that have their own, by what they are called.

    `textures` may be a part of the project's: then `counted` and `find_likes`, which gives the textures that a rule may
    take, speak for all. Without `offers_fixes` findings come without, which is faster.
    """

    config: ocio.Config
    setup: Setup
    base_text: str = ""
    replacements: Sequence[Replacement] = ()
    textures: Sequence[CheckedTexture] = ()
    renders: Sequence[CheckedRender] = ()
    stations: Sequence[Station] = ()
    hand_offs: Sequence[tuple[Station, Station]] = ()
    proofs: Sequence[CheckedProof] = ()
    unreadable: Sequence[UnreadableFile] = ()
    watched: Sequence[CheckedFolder] = ()
    exposures: Sequence[tuple[str, float]] = ()
    drawn_off: Sequence[DrawnOff] = ()
    counted: Census | None = None
    find_likes: Callable[[Rule], Iterable[Like]] | None = None
    offers_fixes: bool = True

    @cached_property
    def census(self) -> Census:
        return self.counted or Census(
            len(self.textures),
            frozenset(
                texture.assignment.reason.name for texture in self.textures if texture.assignment.reason.kind == "rule"
            ),
            tuple(nlargest(LONGEST_PATHS, sorted(texture.path for texture in self.textures), key=len)),
            sum(texture.assignment.reason.kind == "pin" for texture in self.textures),
        )

    def likes(self, rule: Rule) -> Iterable[Like]:
        """Textures of the project, among which are all that a rule would take."""
        if self.find_likes:
            return self.find_likes(rule)
        return (
            Like(
                texture.path,
                texture.assignment.space,
                texture.assignment.reason.kind == "pin",
                texture.verdict.space,
            )
            for texture in self.textures
        )

    @cached_property
    def rules_tried(self) -> dict[Rule, tuple[Change, ...]]:
        """What a new first rule would change, for the rules that some check has thought of."""
        return {}


@dataclass(frozen=True)
class Problem:
    """What a check yields; the registry adds its code and level."""

    subject: str
    title: str
    why: str
    fix: Fix | None = None
    also: tuple[Fix, ...] = ()


Check = Callable[[Subjects], Iterator[Problem]]


@dataclass(frozen=True)
class Code:
    """A registered check: its stable code, its level, in one sentence what it finds, and where the guide says more."""

    code: str
    level: str
    meaning: str
    guide: str
    check: Check


_codes: dict[str, Code] = {}


def check(code: str, level: str) -> Callable[[Check], Check]:
    """Register a check under a stable code. The function's docstring is the sentence on the page of findings."""

    def register(function: Check) -> Check:
        if code in _codes or level not in LEVELS or not function.__doc__:
            raise ValueError(f"{code}: taken already, of no known level, or without a docstring.")
        _codes[code] = Code(code, level, " ".join(function.__doc__.split()), guide_place(code), function)
        return function

    return register


@lru_cache(maxsize=1)
def codes() -> tuple[Code, ...]:
    """Every registered check, by code."""
    import_all("saltwort.core.findings.checks")
    return tuple(_codes[code] for code in sorted(_codes))


def run_checks(subjects: Subjects, beginning: str = "", *, without: str = "") -> list[Finding]:
    """The findings of all checks, or of those whose codes have a `beginning`, or not the one in `without`, worst first,
    then by code and subject."""
    findings = [
        Finding(code.code, code.level, problem.subject, problem.title, problem.why, problem.fix, problem.also)
        for code in codes()
        if code.code.startswith(beginning) and not (without and code.code.startswith(without))
        for problem in code.check(subjects)
    ]
    return worst_first(findings)


def standing(findings: Iterable[Finding], setup: Setup) -> list[Finding]:
    """The findings that a setup does not dismiss, by their subject or with all of their code."""
    dismissed = {(one.code, one.subject) for one in Dismissed.of(setup)}
    return [
        finding
        for finding in findings
        if (finding.code, "") not in dismissed and (finding.code, finding.subject) not in dismissed
    ]


def worst_first(findings: Iterable[Finding]) -> list[Finding]:
    """Findings by their level, then by code and subject."""
    return sorted(findings, key=lambda finding: (LEVELS.index(finding.level), finding.code, finding.subject))
