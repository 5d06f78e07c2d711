"""Ways to have a file read in another space: a pin, or a rule that catches it and its likes."""

import re
from pathlib import PurePosixPath

from saltwort.core.changes import Change
from saltwort.core.configs.additions import CURVES
from saltwort.core.findings.registry import CheckedTexture, Fix, Problem, Subjects
from saltwort.core.names import free_name
from saltwort.core.textures.declared import Declaration
from saltwort.core.textures.rules import Rule, RuleBook
from saltwort.core.textures.sets import set_member

WILD = "*?[]!^"
MOST_SHOWN = 50
"""Changes that the preview of a fix tells one by one."""


def mending(subjects: Subjects, texture: CheckedTexture, space: str | None) -> tuple[Fix | None, tuple[Fix, ...]]:
    """The pin that has a texture read in a space, and, where one helps more files than this and harms none, a rule to
    put first. Nothing where the space is unknown or its own already."""
    if not space or space == texture.assignment.space or not subjects.offers_fixes:
        return None, ()
    pin = Fix(
        operation="pin-texture",
        label=f"Set to {space}",
        arguments={"path": texture.path, "space": space},
        changes=(Change(texture.path, texture.assignment.space, space),),
    )
    rule = _rule_for_likes(subjects, texture, space)
    return pin, (rule,) if rule else ()


def declares_another(subjects: Subjects, said: Declaration, name: str, space: str) -> Problem:
    """A file that declares a space which the config lacks, and is read in one that it has."""
    return Problem(
        name,
        "Declares a space that is not here",
        f"{said.says} It is read as {space}, so its colours are shifted. Add the space, or find out what the file was "
        "saved in.",
        _add_space(subjects, said, name),
    )


def _add_space(subjects: Subjects, said: Declaration, name: str) -> Fix | None:
    """The space that a header declares and the config lacks, to be added to it; nothing where nobody knows what it
    means, or it is none that a project can add."""
    if said.meaning is None or said.meaning[1].kind not in CURVES:
        return None
    gamut, curve = said.meaning
    called = f"{'Linear' if curve.is_linear else curve.label} {gamut.name or 'as declared'}"
    taken = set(subjects.config.getColorSpaceNames()) | {space.name for space in subjects.setup.added_spaces}
    space = free_name(re.sub(r"[,:/]", " ", called)[:60], taken)
    return Fix(
        operation="add-space",
        label="Add this space",
        arguments={
            "name": space,
            "chromaticities": " ".join(f"{number:.6g}" for number in gamut.chromaticities),
            "curve": curve.kind,
            "power": f"{curve.power:.6g}",
        },
        changes=(Change("colour spaces", "", f"{space}, as {PurePosixPath(name).name} has it"),),
    )


def _rule_for_likes(subjects: Subjects, texture: CheckedTexture, space: str) -> Fix | None:
    if texture.assignment.reason.kind == "pin":
        return None  # a pin stands before all rules
    for rule in _candidates(subjects, texture, space):
        changes = _changes(subjects, rule)
        if len(changes) > 1:
            return Fix(
                operation="add-rule",
                label=f"Read {len(changes)} such files as {space}",
                arguments={
                    "name": rule.name,
                    "kind": rule.kind,
                    "space": space,
                    "pattern": rule.pattern,
                    "extension": rule.extension,
                    "map_kinds": ",".join(rule.map_kinds),
                },
                changes=(Change("rule 1", "", rule.name), *changes[:MOST_SHOWN]),
                others=max(0, len(changes) - MOST_SHOWN),
            )
    return None


def _candidates(subjects: Subjects, texture: CheckedTexture, space: str) -> list[Rule]:
    """Rules that would catch a texture, the wider first: its map kind, then the files of its set and extension."""
    path = PurePosixPath(texture.path)
    extension, member = path.suffix.removeprefix("."), set_member(texture.path, subjects.setup.kind_words)
    taken = {rule.name for rule in subjects.setup.rules}
    found = []
    if texture.kind and texture.kind.word:
        kind = texture.kind.kind
        found.append(Rule(free_name(f"{kind.label} maps", taken), "map_kind", space, map_kinds=(kind.key,)))
    name = _as_written(path.name, member.name)
    if extension and name and not set(name + extension) & set(WILD):
        pattern = f"*{name}*"
        found.append(Rule(free_name(f"{pattern}.{extension}", taken), "glob", space, pattern, extension))
    return found


def _as_written(file: str, name: str) -> str:
    """The name of a set as the file has it, or nothing where separators were joined in it."""
    return name if name in file else ""


def _changes(subjects: Subjects, rule: Rule) -> tuple[Change, ...]:
    """What a rule in the first place would change; nothing at all where it would change a file that speaks for
    another space than the rule gives."""
    if rule not in subjects.rules_tried:
        subjects.rules_tried[rule] = _tried(subjects, rule)
    return subjects.rules_tried[rule]


def _tried(subjects: Subjects, rule: Rule) -> tuple[Change, ...]:
    book = RuleBook(subjects.config, (rule,), "", subjects.setup.kind_words)
    held = rule.pattern.strip("*")
    changed = [
        texture
        for texture in subjects.likes(rule)
        if not texture.is_pinned
        and texture.space != rule.space
        and held in texture.path
        and book.assign(texture.path).space
    ]
    if any(texture.verdict_space not in (None, rule.space) for texture in changed):
        return ()
    return tuple(Change(texture.path, texture.space, rule.space) for texture in changed)
