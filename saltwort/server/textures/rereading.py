"""Which readings a change of the setup makes others, without asking about every file."""

import json
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from hashlib import sha256
from typing import Any

from django.db import connection
from django.db.models import QuerySet

from saltwort.core.engine.colours import colours_of
from saltwort.core.project import read_field
from saltwort.core.project.parts.rules import Rules
from saltwort.core.textures.kinds import kind_finder
from saltwort.core.textures.rules import Rule, RuleBook
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup, rule_book_of
from saltwort.server.queries import among
from saltwort.server.textures.models import Reading, ReadingState
from saltwort.server.textures.operations import kind_set

FORMAT = 4
"""Raised when checks find other things than before."""


def kept_state(project: Project) -> ReadingState:
    """What the readings of a project were computed from; an empty state where there are none."""
    return ReadingState.objects.filter(project=project).first() or ReadingState(project=project)


@dataclass(frozen=True)
class Basis:
    """Hashes of what assignments depend on, and of what findings depend on besides the assignment; and what the setup
    says of assignments."""

    assigned_by: str
    checked_by: str
    said: dict[str, Any] = field(compare=False)  # told apart by the hashes: in memory it may hold tuples for lists

    @classmethod
    def of_state(cls, state: ReadingState) -> "Basis":
        """What the readings of a project were computed from; empty hashes where there are none."""
        return cls(state.assigned_by, state.checked_by, state.said)

    @classmethod
    def of(cls, project: Project) -> "Basis":
        setup = project.current.setup
        colours = colours_of(config_of(project.current))
        dismissed = [[one["code"], one["subject"]] for one in setup.get("dismissed", ())]
        said = {"colours": colours, "dismissed": dismissed, **{name: setup[name] for name in Rules.fields}}
        trimmed = [setup["base"], setup["trim"]] if setup.get("trim") else []
        return cls(_hash([FORMAT, said]), _hash([FORMAT, colours, trimmed]), said)


def _hash(value: object) -> str:
    return sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()


def same_colours(project: Project, other: Project) -> bool:
    """Whether two states of a project have the same findings for a texture that both read in the same space."""
    return Basis.of(project).checked_by == Basis.of(other).checked_by


@dataclass(frozen=True)
class Reread:
    """What a texture's reading becomes, and the space it had; `is_checked_anew` when findings may be others."""

    texture: int
    path: str
    before: str
    kind: str
    word: str
    space: str
    reason: str
    reason_name: str
    is_checked_anew: bool


_FIELDS = ("texture_id", "path", "kind", "word", "space", "reason", "reason_name", "texture__kind_by_hand")


def assigned_otherwise(project: Project) -> Iterator[Reread]:
    """The readings that the project as it stands, or as it is drafted, gives otherwise than those that are kept."""
    assign = rule_book_of(project.current).assign
    kind_of = kind_finder(current_setup(project).kind_words)
    config = config_of(project.current)
    for pk, path, kind, word, space, reason, reason_name, by_hand in _that_may_differ(project).values_list(*_FIELDS):
        match = kind_set(by_hand) or kind_of(path)
        told, by = (match.kind.key, match.word) if match else ("", "")
        if reason == "pin":
            pinned = config.getColorSpace(space)
            now = (pinned.getName() if pinned else space, reason, reason_name)
        else:
            found = assign(path)
            now = (found.space, found.reason.kind, found.reason.name)
        if (told, by, *now) != (kind, word, space, reason, reason_name):
            is_checked_anew = (told, by, now[0]) != (kind, word, space)
            yield Reread(pk, path, space, told, by, *now, is_checked_anew)


def _that_may_differ(project: Project) -> QuerySet[Reading]:
    """The readings that may have another assignment than the one that is kept. Where nothing but rules and words of
    map kinds has changed, those are the files that a rule takes which came, went or moved, or in whose name such a word
    stands."""
    readings = Reading.objects.filter(project=project)
    before, now = Basis.of_state(kept_state(project)).said, Basis.of(project).said
    if any(before.get(name) != now[name] for name in ("colours", "default_space")):
        return readings
    concerns = _concerned(project, before, now)
    if concerns is None:
        return readings
    with connection.cursor() as cursor:  # past the ORM: this asks about every file of a show
        cursor.execute(f"SELECT texture_id, path FROM {Reading._meta.db_table} WHERE project_id = %s", [project.pk])
        concerned = [pk for pk, path in cursor if concerns(path)]
    return readings.filter(among("pk", concerned))


def _concerned(project: Project, before: dict[str, Any], now: dict[str, Any]) -> Callable[[str], object] | None:
    """Tells whether a path may be assigned otherwise by these rules and words than by those before; None for all."""
    asks: list[Callable[[str], object]] = []
    words_before, words = (read_field("kind_words", said["kind_words"]) for said in (before, now))
    changed_words = tuple(sorted(set(words_before) ^ set(words)))
    if not changed_words and words_before != words:
        return None
    for rules, known in (_only_in(before, now), words_before), (_only_in(now, before), words):
        if any(rule.kind == "space_in_path" for rule in rules):
            return None
        if rules:
            asks.append(RuleBook(config_of(project.current), rules, "", known).takes)
    if changed_words:
        asks.append(kind_finder(changed_words))
    return asks[0] if len(asks) == 1 else lambda path: any(ask(path) for ask in asks)


def _only_in(said: dict[str, Any], other: dict[str, Any]) -> tuple[Rule, ...]:
    """The rules that stand here and not there, or at another place among the others."""
    rules, others = ([json.dumps(rule, sort_keys=True) for rule in each["rules"]] for each in (said, other))
    kept = SequenceMatcher(None, rules, others, autojunk=False).get_matching_blocks()
    stay = {block.a + offset for block in kept for offset in range(block.size)}
    gone: tuple[Rule, ...] = read_field("rules", [rule for at, rule in enumerate(said["rules"]) if at not in stay])
    return gone


def mark_dismissed_otherwise(project: Project, before: dict[str, Any], now: dict[str, Any]) -> None:
    """Have textures be checked again of which other findings are dismissed than before."""
    known, wanted = ({tuple(one) for one in said.get("dismissed", ())} for said in (before, now))
    changed = {(code, subject) for code, subject in known ^ wanted if code.startswith("texture.")}
    readings = Reading.objects.filter(project=project)
    if any(not subject for _, subject in changed):
        readings.update(texture_version=0)
    elif changed:
        readings.filter(path__in=[subject for _, subject in changed]).update(texture_version=0)


def write_assignments(changes: Sequence[Reread]) -> None:
    """Write what has changed, past the ORM's rows, since a rule may change every file of a show."""
    with connection.cursor() as cursor:
        cursor.executemany(
            f"UPDATE {Reading._meta.db_table} SET kind = %s, word = %s, space = %s, reason = %s, reason_name = %s, "
            "texture_version = CASE WHEN %s THEN 0 ELSE texture_version END WHERE texture_id = %s",
            [
                (
                    change.kind,
                    change.word,
                    change.space,
                    change.reason,
                    change.reason_name,
                    change.is_checked_anew,
                    change.texture,
                )
                for change in changes
            ],
        )
