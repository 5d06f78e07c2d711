"""Views that the project adds to its base config."""

from saltwort.core.project.part import Draft, Fields, Journey, Part, part
from saltwort.core.project.setup import Setup
from saltwort.core.views import add_views


@part
class AddedViews(Part):
    fields = ("added_views",)
    order = 70

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        displays = journey.config.getDisplaysAll()
        return {"added_views": tuple(view for view in setup.added_views if view.display in displays)}

    def compose(self, setup: Setup, draft: Draft) -> None:
        draft.files |= add_views(draft.config, setup.added_views)
