"""The comparison of a project: made when first looked at, and changed."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from saltwort.core.configs.describe import working_spaces
from saltwort.core.engine import ViewChoice
from saltwort.core.views.grade import NO_GRADE, Grade
from saltwort.server.compare.grades import grade_from_json
from saltwort.server.compare.models import Comparison, KeptComparison
from saltwort.server.compare.panes import Pane, check_pane, pane_from_json, pane_to_json
from saltwort.server.history.operations import recording, remove
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render

MOST_PANES = 9
MOST_PROBES = 12
MOST_DRAWN_OFF = 100


def comparison_of(project: Project) -> Comparison:
    """The project's comparison. A new one sets the chosen view beside the next view of its display."""
    chosen = current_setup(project).view
    views = config_of(project.current).getViews(chosen.display)
    other = next((view for view in views if view != chosen.view), chosen.view)
    panes = [pane_to_json(Pane(choice)) for choice in (chosen, ViewChoice(chosen.display, other))]
    comparison, _ = Comparison.objects.get_or_create(project=project, defaults={"panes": panes})
    return comparison


def change_comparison(
    comparison: Comparison,
    based_on: int,
    panes: Sequence[Pane],
    exposure: float,
    render: Render | None,
    probes: Sequence[Sequence[float]],
    grade: Mapping[str, Any] | None = None,
) -> Comparison:
    """Set what the panes show, and the grade unless it is None. Raises BadInput for a view that the config lacks and
    for a grade that cannot be, Stale when changed meanwhile."""
    for pane in panes:
        check_pane(comparison.project, pane)
    shown = [pane_to_json(pane) for pane in panes]
    if grade is None:
        grade = comparison.grade
    elif grade:
        grade_from_json(grade)
    return comparison.change(based_on, panes=shown, exposure=exposure, render=render, probes=probes, grade=grade)


def project_grade(project: Project) -> Grade:
    """The grade that stands in Compare."""
    stored = Comparison.objects.filter(project=project).values_list("grade", flat=True).first()
    return grade_from_json(stored) if stored else NO_GRADE


def panes_of(comparison: Comparison) -> list[tuple[Pane, str]]:
    """What the panes show, and what of it is gone. A view that the current config no longer has gives way to the
    project's own, a picture or working space that went to that of all panes."""
    project = comparison.project
    config = config_of(project.current)
    fallback = current_setup(project).view
    renders = set(project.renders.values_list("pk", flat=True))
    shown = []
    for stored in comparison.panes:
        pane, gone = pane_from_json(stored), []
        choice = pane.choice
        if choice.display not in config.getDisplays() or choice.view not in config.getViews(choice.display):
            gone.append(f"the view {choice.view} on {choice.display}")
            pane = replace(pane, choice=fallback)
        elif choice.look and config.getLook(choice.look) is None:
            gone.append(f"the look {choice.look}")
            pane = replace(pane, choice=replace(choice, look=""))
        if pane.render is not None and pane.render not in renders:
            gone.append("its picture")
            pane = replace(pane, render=None, layer=None)
        if pane.working and pane.working not in working_spaces(config):
            gone.append(f"the working space {pane.working}")
            pane = replace(pane, working="")
        shown.append((pane, " and ".join(gone)))
    return shown


def keep_comparison(project: Project, name: str, notes: str, state: dict[str, Any], author: str = "") -> KeptComparison:
    """Keep what is seen now, through the current revision."""
    with recording(project, f"Comparison {name.strip()} kept", author, project.kept_comparisons.all()):
        return KeptComparison.objects.create(
            project=project, revision=project.current, name=name.strip(), notes=notes, state=state
        )


def change_kept(kept: KeptComparison, based_on: int, name: str, notes: str, author: str = "") -> KeptComparison:
    """Name a kept comparison, and note what was seen in it."""
    with recording(kept.project, f"Comparison {name} changed", author, KeptComparison.objects.filter(pk=kept.pk)):
        return kept.change(based_on, name=name, notes=notes)


def remove_kept(kept: KeptComparison, author: str = "") -> None:
    """Take a comparison off the list of those kept."""
    remove(kept.project, f"Comparison {kept.name} removed", author, KeptComparison.objects.filter(pk=kept.pk))


def note_difference(project: Project, choice: ViewChoice, largest: float, limit: float) -> None:
    """Remember, or forget, that a browser draws a view of the current revision further than `limit` from the engine."""
    comparison = comparison_of(project)
    view = {"revision": project.current.number, "display": choice.display, "view": choice.view, "look": choice.look}
    kept = [seen for seen in comparison.drawn_off if {**seen, "largest": 0} != {**view, "largest": 0}]
    if largest > limit:
        kept.append({**view, "largest": largest})
    if kept != comparison.drawn_off:
        # Beside the version, since it is no choice of anybody that somebody else's could overwrite.
        Comparison.objects.filter(pk=comparison.pk).update(drawn_off=kept[-MOST_DRAWN_OFF:])
