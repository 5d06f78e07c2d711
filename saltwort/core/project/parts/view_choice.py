"""The display, view and look that a project is seen with, and which displays and views are active, in which order."""

from collections.abc import Collection

import PyOpenColorIO as ocio

from saltwort.core.configs.describe import all_views_of
from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class ChosenView(Part):
    fields = ("view", "displays", "views")
    order = 80

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        view = setup.view if _has_view(journey.config, setup) else journey.fresh.view
        return {"view": view, "displays": (), "views": ()}

    def compose(self, setup: Setup, draft: Draft) -> None:
        """Put active displays and views in the setup's order, the chosen ones first, so that every application opens
        with them."""
        config = draft.config
        if setup.displays:
            for name in setup.displays:
                if name not in config.getDisplaysAll():
                    raise BadInput(f"The config has no display “{name}”. Choose those to be active again.")
            config.setActiveDisplays(_list_of(setup.displays))
        if setup.views:
            known = {view for display in config.getDisplaysAll() for view in all_views_of(config, display)}
            if unknown := next((name for name in setup.views if name not in known), None):
                raise BadInput(f"The config has no view “{unknown}”. Choose those to be active again.")
            config.setActiveViews(_list_of(setup.views))
        check_view(config, setup.view)
        displays = [setup.view.display, *(name for name in config.getDisplays() if name != setup.view.display)]
        config.setActiveDisplays(_list_of(displays))
        if config.getDefaultView(setup.view.display) != setup.view.view:
            config.setActiveViews(_list_of(_views_in_order(config, setup.view)))


def _has_view(config: ocio.Config, setup: Setup) -> bool:
    """Whether another config has the chosen view, or is given it by the project."""
    display, view = setup.view.display, setup.view.view
    if display not in config.getDisplaysAll():
        return False
    offered = config.getViews(display) if display in config.getDisplays() else ()
    return view in offered or any((one.display, one.name) == (display, view) for one in setup.added_views)


def _views_in_order(config: ocio.Config, choice: ViewChoice) -> list[str]:
    """All active views, the chosen one moved up only as far as its display needs: OCIO holds one order for all
    displays, and an HDR display should not open with an SDR view because of a choice made for another."""
    order = list(config.getActiveViews())
    if not order:
        order = list(dict.fromkeys(view for display in config.getDisplays() for view in config.getViews(display)))
    order.remove(choice.view)
    order.insert(order.index(config.getDefaultView(choice.display)), choice.view)
    return order


def _list_of(names: Collection[str]) -> str:
    """The engine's comma-separated list, with names that hold a comma quoted."""
    return ", ".join(f'"{name}"' if "," in name else name for name in names)
