"""What is settled in a project, what is open, and the one thing to do next: derived from setup, findings, applications
and outputs, and stored nowhere."""

from dataclasses import dataclass

from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, NOTE
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.stations.proof import NOT_TRIED
from saltwort.server.findings.operations import Group, groups_of
from saltwort.server.handoffs.proving import checked_proofs
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup

TO_DO, ATTENTION, READY = "to do", "attention", "ready"
MOST_NAMED = 4
STATES = (TO_DO, ATTENTION, READY)
_FAMILIES = {
    "config": ("config", "source", "lut"),
    "textures": ("texture", "rule"),
    "scene": ("swatch", "light", "render"),
    "compare": ("view",),
    "handoffs": ("handoff", "frame"),
    "outputs": (),
}
"""Beginnings of the codes of findings, by the step where they are mended."""
_OPEN_ANYHOW = ("handoff.never-proved",)
"""Findings that say what is to be done, and not what is wrong."""


@dataclass(frozen=True)
class NextThing:
    """One thing to do: in words, and where: a path below the project's own."""

    label: str
    path: str


@dataclass(frozen=True)
class StepState:
    """A step: its state, what is settled and what is open, in sentences, and the one thing to do next; None where it is
    ready."""

    step: str
    state: str
    settled: tuple[str, ...]
    open: tuple[str, ...]
    next: NextThing | None


Told = tuple[list[str], NextThing | None, str]
"""What is settled, the next thing to do, and why."""


def step_states(project: Project) -> list[StepState]:
    """The six steps of a project."""
    groups = groups_of(project)
    return [
        _state(step, told(project), [group for group in groups if group.code.partition(".")[0] in _FAMILIES[step]])
        for step, told in _STEPS.items()
    ]


def next_thing(states: list[StepState]) -> NextThing | None:
    """The one thing to do next in the whole project: what is wrong before what is not begun; None when all is ready."""
    wrong = [each for each in states if each.state == ATTENTION]
    return next((each.next for each in (*wrong, *states) if each.next), None)


def _state(step: str, told: Told, groups: list[Group]) -> StepState:
    settled, todo, todo_says = told
    found = [group for group in groups if group.level != NOTE and group.code not in _OPEN_ANYHOW]
    wrong = tuple(f"{group.title}{f', {group.count} times' if group.count > 1 else ''}" for group in found)
    opened = ((todo_says,) if todo else ()) + wrong
    worst = next((group for group in found if group.level == BLOCKER), next(iter(found), None))
    if worst is not None:
        return StepState(step, ATTENTION, tuple(settled), opened, NextThing(worst.title, step))
    return StepState(step, TO_DO if todo else READY, tuple(settled), opened, todo)


def _config(project: Project) -> Told:
    setup = current_setup(project)
    try:
        config = config_of(project.current)
    except BadInput as error:
        return [], NextThing("Choose another config", "config"), str(error)
    base = setup.base.partition(":")[2][:60]
    shown = list(config.getDisplays())
    displays = f"Displays: {', '.join(shown)}." if len(shown) <= MOST_NAMED else f"{len(shown)} displays."
    return (
        [f"Base config {base}.", displays, f"{len(list(config.getColorSpaceNames()))} spaces."],
        None,
        "",
    )


def _textures(project: Project) -> Told:
    count = project.textures.count()
    if not count:
        return [], NextThing("Add textures", "textures"), "No textures yet."
    by_hand = project.textures.exclude(pin_space="").count()
    return [f"{count:,} files, {by_hand:,} set by hand."], None, ""


def _scene(project: Project) -> Told:
    setup = current_setup(project)
    settled = [f"Working space {setup.working_space}.", f"{len(ScenePart.of(setup).swatches)} swatches."]
    if not project.renders.exists():
        return settled, NextThing("Import a render, or render the rig", "scene?part=renders"), "No render yet."
    return [*settled, f"{project.renders.count()} renders."], None, ""


def _compare(project: Project) -> Told:
    view = current_setup(project).view
    settled = [f"{view.view} on {view.display}."]
    if not project.renders.exists():
        return settled, NextThing("Import a render to judge the view by", "compare"), "Nothing to look at yet."
    return settled, None, ""


def _handoffs(project: Project) -> Told:
    count = project.stations.count()
    if not count:
        return [], NextThing("Add the applications of your chain", "handoffs"), "No applications yet."
    unproved = [proof for proof in checked_proofs(project) if proof.state == NOT_TRIED]
    settled = [f"{count} applications, {count - len(unproved)} of them tried."]
    if unproved:
        names = ", ".join(proof.station for proof in unproved[:MOST_NAMED])
        return settled, NextThing("Prove an application with its test card", "handoffs"), f"Not tried: {names}."
    return settled, None, ""


def _outputs(project: Project) -> Told:
    recipes, made = Recipes.of(current_setup(project)), project.outputs.exclude(facts=None).count()
    settled = [f"{len(recipes)} recipes."] if recipes else []
    if not made:
        return settled, NextThing("Make an output", "outputs"), "Nothing is delivered yet."
    return [*settled, f"{made} files made."], None, ""


_STEPS = {
    "config": _config,
    "textures": _textures,
    "scene": _scene,
    "compare": _compare,
    "handoffs": _handoffs,
    "outputs": _outputs,
}
