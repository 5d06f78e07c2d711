"""Run the checks on a project, and apply their fixes."""

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.configs import Replacement, Setup
from saltwort.core.configs.additions import AddedSpace
from saltwort.core.configs.edits import SpaceEdit
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.findings import (
    CheckedRender,
    CheckedTexture,
    DrawnOff,
    Finding,
    Subjects,
    UnreadableFile,
    run_checks,
)
from saltwort.core.images.channels import colour_channels
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.rules import Rule
from saltwort.server.compare.models import Comparison
from saltwort.server.images.operations import preview_of
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import base_text, config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import facts_of, space_of
from saltwort.server.textures.intake import forget_left_out
from saltwort.server.textures.operations import assigned_textures, pin_texture
from saltwort.server.versions import Stale


def findings_of(project: Project, unpinned: Collection[int] = ()) -> list[Finding]:
    """All findings of a project as it stands, or would, were some textures `unpinned`."""
    return run_checks(subjects_of(project, unpinned))


def subjects_of(project: Project, unpinned: Collection[int] = ()) -> Subjects:
    """A project's things in the form that checks take."""
    textures, config = assigned_textures(project, unpinned), config_of(project.current)
    setup = current_setup(project)
    return Subjects(
        config=config,
        setup=setup,
        base_text=base_text(setup.base),
        replacements=[Replacement(**stored) for stored in project.current.replacements],
        textures=[
            CheckedTexture(
                row.texture.path,
                row.kind,
                row.assignment,
                facts := row.texture.image.measured(),
                tuple(evidence_for(config, row.texture.path, row.kind, facts)),
            )
            for row in textures
        ],
        renders=[
            CheckedRender(render.name, space_of(render).space, facts_of(render), partial(_sample, render))
            for render in project.renders.select_related("image")
        ],
        unreadable=[UnreadableFile(file.path, file.reason) for file in project.left_out.all()],
        stations=[station.described() for station in project.stations.all()],
        **_compared(project),
    )


def _sample(render: Render) -> NDArray[np.float32] | None:
    """Pixels of a render as it was brought; none of another of its layers, or once its file is gone."""
    if render.layer:
        return None
    try:
        sample = preview_of(render.image).sample
    except BadInput:
        return None
    return sample[:, colour_channels(render.image.measured().header.channel_names)]


def _compared(project: Project) -> dict[str, Any]:
    """What the Compare step adds to the subjects of checks."""
    comparison = Comparison.objects.filter(project=project).first()
    if comparison is None:
        return {}
    own = [(f"pane {number}", pane.get("exposure")) for number, pane in enumerate(comparison.panes, start=1)]
    current = [seen for seen in comparison.drawn_off if seen["revision"] == project.current.number]
    return {
        "exposures": [("all panes", comparison.exposure), *((name, stops) for name, stops in own if stops)],
        "drawn_off": [
            DrawnOff(ViewChoice(seen["display"], seen["view"], seen["look"]), seen["largest"]) for seen in current
        ],
    }


@dataclass(frozen=True)
class FixOrder:
    """A fix to apply to a project as it stood at a revision."""

    project: Project
    based_on: int
    arguments: dict[str, str]
    author: str


def apply_fix(project: Project, based_on: int, operation: str, arguments: dict[str, str], author: str = "") -> None:
    """Do what a finding's fix names, if some finding still offers it. Raises BadInput when none does, Stale when the
    project was changed since."""
    if project.current.number != based_on:
        raise Stale(project.current.number)
    findings = findings_of(project)
    fixes = [fix for finding in findings for fix in (finding.fix, *finding.also) if fix]
    if not any((fix.operation, fix.arguments) == (operation, arguments) for fix in fixes):
        raise BadInput("No finding asks for this any more. Look at the findings as they stand now.")
    _FIXES[operation](FixOrder(project, based_on, arguments, author))


def _pin_texture(order: FixOrder) -> None:
    texture = order.project.textures.get(path=order.arguments["path"])
    pin_texture(texture, texture.version, order.arguments["space"], "fix of a finding", order.author)


def _forget_file(order: FixOrder) -> None:
    forget_left_out(order.project, order.arguments["path"])


def _setup_fix(message: str, change: Callable[[Setup, dict[str, str]], Setup]) -> Callable[[FixOrder], None]:
    """A fix that makes the next revision; `message` may name its arguments."""

    def fix(order: FixOrder) -> None:
        change_setup(
            order.project,
            order.based_on,
            message.format(**order.arguments),
            lambda setup: change(setup, order.arguments),
            order.author,
        )

    return fix


def _add_rule(setup: Setup, arguments: dict[str, str]) -> Setup:
    kinds = tuple(filter(None, arguments["map_kinds"].split(",")))
    return replace(setup, rules=(Rule(**{**arguments, "map_kinds": kinds}), *setup.rules))


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


_FIXES = {
    "pin-texture": _pin_texture,
    "forget-file": _forget_file,
    "add-rule": _setup_fix("Rule {name} added", _add_rule),
    "add-space": _setup_fix("Space {name} added", _add_space),
    "move-rule": _setup_fix("Rule {rule} moved before {before}", _move_rule),
    "set-role": _setup_fix("Role {role} given to {space}", _set_role),
    "mark-as-data": _setup_fix("{space} marked as data", _mark_as_data),
    "set-working-space": _setup_fix(
        "Work in {space}", lambda setup, arguments: replace(setup, working_space=arguments["space"])
    ),
}
