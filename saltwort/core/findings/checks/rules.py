"""File rules that do nothing."""

from collections.abc import Iterator
from functools import lru_cache

from saltwort.core.changes import Change
from saltwort.core.engine import load_config
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import CAUTION, NOTE, Fix, Problem, Subjects, check
from saltwort.core.textures.expressions import hangs_applications
from saltwort.core.textures.rules import WITH_EXPRESSIONS, Rule, expression_of, unusable_rules


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
    census = subjects.census
    for index, rule in enumerate(subjects.setup.rules if census.count else ()):
        if rule.name not in census.taking:
            yield Problem(
                rule.name,
                "Rule takes no file",
                f"None of the {census.count:,} textures reaches rule {index + 1} and matches it. It may be for "
                "files to come; if not, delete it.",
            )


@check("rule.hangs", CAUTION)
def hangs(subjects: Subjects) -> Iterator[Problem]:
    """An application takes for ever to match a file rule with a name of the project."""
    paths = subjects.census.longest
    for rule in subjects.setup.rules:
        if rule.kind in WITH_EXPRESSIONS and hangs_applications(expression_of(rule), paths):
            yield Problem(
                rule.name,
                "This rule can hang applications",
                "The OCIO library tries every way in which its expression may fit a name, and for a name of this "
                "project it was still trying after a second. Write it without repetition inside repetition: (a+)+ is "
                "a+.",
            )


@check("rule.not-imported", NOTE)
def not_imported(subjects: Subjects) -> Iterator[Problem]:
    """A file rule of the config that the project starts from could not be used here."""
    for name, reason in _unusable(subjects.base_text) if subjects.base_text else ():
        if all(rule.name != name for rule in subjects.setup.rules):
            yield Problem(name, "Rule was not imported", f"{reason} Write it anew under the same name.")


@lru_cache(maxsize=4)
def _unusable(text: str) -> tuple[tuple[str, str], ...]:
    try:
        return tuple(unusable_rules(load_config(text, to_mend=True)))
    except BadInput:
        return ()  # other findings tell of that
