"""The comparison of a project: made when first looked at, and changed."""

from dataclasses import asdict

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import check_view
from saltwort.server.compare.models import Comparison
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render

MOST_PANES = 9


def comparison_of(project: Project) -> Comparison:
    """The project's comparison. A new one sets the chosen view beside the next view of its display."""
    chosen = current_setup(project).view
    views = config_of(project.current).getViews(chosen.display)
    other = next((view for view in views if view != chosen.view), chosen.view)
    panes = [asdict(chosen), asdict(ViewChoice(chosen.display, other))]
    comparison, _ = Comparison.objects.get_or_create(project=project, defaults={"panes": panes})
    return comparison


def change_comparison(
    comparison: Comparison, based_on: int, panes: list[ViewChoice], exposure: float, render: Render | None
) -> Comparison:
    """Set what the panes show. Raises BadInput for a view that the config lacks, Stale when changed meanwhile."""
    config = config_of(comparison.project.current)
    for choice in panes:
        check_view(config, choice)
    return comparison.change(based_on, panes=[asdict(choice) for choice in panes], exposure=exposure, render=render)


def panes_of(comparison: Comparison) -> list[ViewChoice]:
    """What the panes show; a view that the current config no longer has gives way to the project's own."""
    config = config_of(comparison.project.current)
    fallback = current_setup(comparison.project).view
    choices = []
    for stored in comparison.panes:
        choice = ViewChoice(**stored)
        held = choice.display in config.getDisplays() and choice.view in config.getViews(choice.display)
        look_held = not choice.look or config.getLook(choice.look) is not None
        choices.append(choice if held and look_held else fallback)
    return choices
