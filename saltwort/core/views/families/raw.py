"""The numbers themselves."""

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.luts import Files
from saltwort.core.views.family import AddedView, ViewFamily, family


@family
class Raw(ViewFamily):
    key, label = "raw", "Raw"
    use = "The numbers themselves, for data."

    def add(self, config: ocio.Config, view: AddedView) -> Files:
        data = next((space.getName() for space in config.getColorSpaces() if space.isData()), None)
        if data is None:
            raise BadInput(f"View “{view.name}”: the config has no data space to show numbers in.")
        config.addDisplayView(view.display, view.name, data, "")
        return {}
