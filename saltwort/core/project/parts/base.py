"""The config that a project starts from."""

from saltwort.core.project.part import Fields, Journey, Part, part
from saltwort.core.project.setup import Setup


@part
class Base(Part):
    fields = ("base",)

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        return {"base": journey.fresh.base}
