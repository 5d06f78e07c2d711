"""Apply the fixes of findings, one or all of a kind, and dismiss findings with a reason."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import chain
from typing import Any

from saltwort.core.changes import Change
from saltwort.core.configs.additions import AddedSpace
from saltwort.core.configs.edits import SpaceEdit
from saltwort.core.errors import BadInput
from saltwort.core.findings import Finding, Fix, codes
from saltwort.core.project import Dismissal, Setup
from saltwort.core.project.parts.dismissed import Dismissed
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Appearance, with_swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.rules import Rule
from saltwort.server.findings.operations import findings_a_few_at_a_time, findings_of_project, own_findings
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.textures.models import TextureFinding
from saltwort.server.textures.operations import Pinning, set_kinds, set_pins
from saltwort.server.textures.readings import refresh, subjects_for
from saltwort.server.versions import Stale

MOST_AT_ONCE = 2_000
"""Textures of which the fixes are computed to apply them together."""
NO_FINDING = "No finding asks for this any more. Look at the findings as they stand now."
PIN, KIND, FORGET = "pin-texture", "set-kind", "forget-file"


def apply_fix(project: Project, based_on: int, operation: str, arguments: dict[str, str], author: str = "") -> None:
    """Do what a finding's fix names, if some finding still offers it. Raises BadInput when none does, Stale when the
    project was changed since."""
    _check_stands_at(project, based_on)
    offering = chain(findings_of_project(project), _findings_that_may_offer(project, operation, arguments))
    fixes = (fix for found in offering for fix in (found.fix, *found.also) if fix)
    fix = next((fix for fix in fixes if (fix.operation, fix.arguments) == (operation, arguments)), None)
    if fix is None:
        raise BadInput(NO_FINDING)
    _apply(project, based_on, [fix], _in_words(fix), author)


def _in_words(fix: Fix) -> str:
    return _WORDS[fix.operation].format(**fix.arguments)


def _findings_that_may_offer(project: Project, operation: str, arguments: dict[str, str]) -> Iterator[Finding]:
    """Findings of textures, among which are those that offer a fix: of the texture that it names, of those that its
    rule would take, or of all."""
    refresh(project)
    of_textures = TextureFinding.objects.filter(project=project).order_by("path")
    if "path" in arguments:
        of_textures = of_textures.filter(path=arguments["path"])
    paths = list(of_textures.values_list("path", flat=True).distinct())
    if operation == "add-rule":
        likes = {like.path for like in subjects_for(project, (), offers_fixes=False).likes(_rule_from(arguments))}
        paths = [path for path in paths if path in likes]
    yield from findings_a_few_at_a_time(project, paths)


@dataclass(frozen=True)
class Together:
    """What fixing all findings of a code would do: of how many, by which fixes, and what would change, each thing
    once. `left` are findings beyond those that are fixed at once, or that no fix mends."""

    title: str
    fixes: list[Fix]
    changes: list[Change]
    left: int


def fixes_together(project: Project, code: str) -> Together:
    """The first fix of every finding of a code, each fix once. Raises BadInput where there is none."""
    refresh(project)
    own = [finding for finding in own_findings(project) if finding.code == code]
    listed = TextureFinding.objects.filter(project=project, code=code).order_by("path")
    paths = list(listed.values_list("path", flat=True).distinct()[:MOST_AT_ONCE])
    found = own + [finding for finding in findings_a_few_at_a_time(project, paths) if finding.code == code]
    fixes = {(fix.operation, *sorted(fix.arguments.items())): fix for fix in (one.fix for one in found) if fix}
    if not fixes:
        raise BadInput(NO_FINDING)
    changes = {change.what: change for fix in fixes.values() for change in fix.changes}
    mended = sum(finding.fix is not None for finding in found)
    return Together(found[0].title, list(fixes.values()), list(changes.values()), len(own) + listed.count() - mended)


def fix_all(project: Project, based_on: int, code: str, author: str = "") -> None:
    """Apply the first fix of every finding of a code, all or none. Raises as `apply_fix` does."""
    _check_stands_at(project, based_on)
    together = fixes_together(project, code)
    count = len(together.fixes)
    what = f"{together.title}: {count:,} fixed together" if count > 1 else _in_words(together.fixes[0])
    _apply(project, based_on, together.fixes, what, author)


def dismiss(project: Project, based_on: int, dismissal: Dismissal) -> None:
    """Set a finding aside, with the reason why. Raises BadInput without a reason, or for a code there is not."""
    if dismissal.code not in {code.code for code in codes()}:
        raise BadInput(f"There is no finding “{dismissal.code}”. Take the code of one that stands.")
    what = f"Dismissed: {dismissal.title}" + (f", {dismissal.subject}" if dismissal.subject else ", all of them")

    def dismissed(setup: Setup) -> Setup:
        others = [one for one in Dismissed.of(setup) if (one.code, one.subject) != (dismissal.code, dismissal.subject)]
        return Dismissed.with_value(setup, (*others, dismissal))

    change_setup(project, based_on, what, dismissed, dismissal.author)


def restore(project: Project, based_on: int, code: str, subject: str, author: str = "") -> None:
    """Have a dismissed finding stand again."""

    def restored(setup: Setup) -> Setup:
        return Dismissed.with_value(
            setup, tuple(one for one in Dismissed.of(setup) if (one.code, one.subject) != (code, subject))
        )

    change_setup(project, based_on, f"No longer dismissed: {subject or code}", restored, author)


def _check_stands_at(project: Project, based_on: int) -> None:
    if project.current.number != based_on:
        raise Stale(project.current.number)


def _apply(project: Project, based_on: int, fixes: Sequence[Fix], what: str, author: str) -> None:
    """Apply fixes in one transaction that is one action."""
    asked = {fix.operation: [one.arguments for one in fixes if one.operation == fix.operation] for fix in fixes}
    spaces = {arguments["path"]: arguments["space"] for arguments in asked.pop(PIN, [])}
    textures = project.textures.filter(path__in=spaces)
    pinnings = [
        Pinning(pk, version, spaces[path], "fix of a finding")
        for pk, version, path in textures.values_list("pk", "version", "path")
    ]
    kinds = {arguments["path"]: arguments["kind"] for arguments in asked.pop(KIND, [])}
    textures |= project.textures.filter(path__in=kinds)
    unreadable = project.left_out.filter(path__in=[arguments["path"] for arguments in asked.pop(FORGET, [])])

    def changed(setup: Setup) -> Setup:
        for operation, each in asked.items():
            for arguments in each:
                setup = _SETUP_FIXES[operation](setup, arguments)
        return setup

    def alongside() -> None:
        unreadable.delete()
        set_pins(project, pinnings, author)
        set_kinds(project, kinds, author)

    change_setup(project, based_on, what, changed, author, alongside, (textures, unreadable))


def _add_rule(setup: Setup, arguments: dict[str, str]) -> Setup:
    return replace(setup, rules=(_rule_from(arguments), *setup.rules))


def _rule_from(arguments: dict[str, str]) -> Rule:
    """The rule that a fix names. Raises BadInput for arguments that make none."""
    try:
        values: dict[str, Any] = {**arguments, "map_kinds": tuple(filter(None, arguments["map_kinds"].split(",")))}
        return Rule(**values)
    except (KeyError, TypeError):
        raise BadInput(NO_FINDING) from None


def _move_rule(setup: Setup, arguments: dict[str, str]) -> Setup:
    rules = [rule for rule in setup.rules if rule.name != arguments["rule"]]
    moved = next(rule for rule in setup.rules if rule.name == arguments["rule"])
    before = next(index for index, rule in enumerate(rules) if rule.name == arguments["before"])
    return replace(setup, rules=(*rules[:before], moved, *rules[before:]))


def _set_role(setup: Setup, arguments: dict[str, str]) -> Setup:
    kept = tuple((role, space) for role, space in setup.roles if role != arguments["role"])
    return replace(setup, roles=(*kept, (arguments["role"], arguments["space"])))


def _mark_as_data(setup: Setup, arguments: dict[str, str]) -> Setup:
    name = arguments["space"]
    edits = {edit.name or edit.space: edit for edit in setup.space_edits}
    edits[name] = replace(edits.get(name, SpaceEdit(name)), is_data=True)
    return replace(setup, space_edits=tuple(edits.values()))


def _add_space(setup: Setup, arguments: dict[str, str]) -> Setup:
    numbers = tuple(map(float, arguments["chromaticities"].split()))
    space = AddedSpace(arguments["name"], numbers, arguments["curve"], float(arguments["power"]))
    return replace(setup, added_spaces=(*setup.added_spaces, space))


def _set_working_space(setup: Setup, arguments: dict[str, str]) -> Setup:
    return replace(setup, working_space=arguments["space"])


def _fit_swatch(setup: Setup, arguments: dict[str, str]) -> Setup:
    """Ask a colour of another view, in the code values that the fix names."""
    scene = ScenePart.of(setup)
    swatch = scene.swatch(arguments["swatch"])
    if swatch is None or swatch.appears is None:
        raise BadInput(NO_FINDING)
    appears = Appearance(arguments["display"], arguments["view"], arguments["look"], swatch.appears.stops)
    fitted = replace(swatch, colour=TypedColour("", arguments["unit"], arguments["text"]), appears=appears)
    return ScenePart.with_value(setup, with_swatch(scene, swatch.name, fitted))


_SETUP_FIXES: dict[str, Callable[[Setup, dict[str, str]], Setup]] = {
    "add-rule": _add_rule,
    "add-space": _add_space,
    "move-rule": _move_rule,
    "set-role": _set_role,
    "mark-as-data": _mark_as_data,
    "set-working-space": _set_working_space,
    "fit-swatch": _fit_swatch,
}
_WORDS = {
    PIN: "{path}: set by hand to {space}",
    KIND: "{path}: map kind {kind}",
    FORGET: "{path} taken off the list of unreadable files",
    "add-rule": "Rule {name} added",
    "add-space": "Space {name} added",
    "move-rule": "Rule {rule} moved before {before}",
    "set-role": "Role {role} given to {space}",
    "mark-as-data": "{space} marked as data",
    "set-working-space": "Work in {space}",
    "fit-swatch": "{swatch} fitted to {view}",
}
