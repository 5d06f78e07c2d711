"""File rules that do nothing."""

from collections.abc import Iterator

from saltwort.core.changes import Change
from saltwort.core.findings.registry import CAUTION, NOTE, Fix, Problem, Subjects, check
from saltwort.core.textures.rules import Rule


@check("rule.never-matches", CAUTION)
def never_matches(subjects: Subjects) -> Iterator[Problem]:
    """A file rule stands behind one that takes every file it could take."""
    rules = subjects.setup.rules
    for index, rule in enumerate(rules):
        blocking = next((n for n, earlier in enumerate(rules[:index], start=1) if _takes_all_of(earlier, rule)), None)
        if blocking:
            yield Problem(
                rule.name,
                "Rule can never match",
                f"Rule {index + 1} comes after rule {blocking}, “{rules[blocking - 1].name}”, which takes every file "
                "it could take. Move it up, or delete it.",
                Fix(
                    "move-rule",
                    f"Move it before “{rules[blocking - 1].name}”",
                    {"rule": rule.name, "before": rules[blocking - 1].name},
                    (Change(f"rule {rule.name}", f"place {index + 1}", f"place {blocking}"),),
                ),
            )


def _takes_all_of(earlier: Rule, rule: Rule) -> bool:
    """Whether `earlier` surely takes every file that `rule` could: never guessed, so some cases stay unfound."""
    if earlier.kind == "glob" and (earlier.pattern, earlier.extension) == ("*", "*"):
        return True
    if earlier.kind != rule.kind:
        return False
    if rule.kind == "glob":
        same_pattern = earlier.pattern in ("*", rule.pattern)
        return same_pattern and (earlier.extension == "*" or earlier.extension.lower() == rule.extension.lower())
    return earlier.pattern == rule.pattern and set(earlier.map_kinds) >= set(rule.map_kinds)


@check("rule.takes-nothing", NOTE)
def takes_nothing(subjects: Subjects) -> Iterator[Problem]:
    """A file rule takes none of the project's textures."""
    if not subjects.textures:
        return
    taking = {texture.assignment.reason.index for texture in subjects.textures}
    for index, rule in enumerate(subjects.setup.rules):
        if index not in taking:
            yield Problem(
                rule.name,
                "Rule takes no file",
                f"None of the {len(subjects.textures)} textures reaches rule {index + 1} and matches it. It may be for "
                "files to come; if not, delete it.",
            )
