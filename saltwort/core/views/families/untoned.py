"""Light as it is."""

import PyOpenColorIO as ocio

from saltwort.core.engine.measured import AP0_TO_XYZ_D65, reference_to_ap0
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.views.family import AddedView, ViewFamily, WrittenView, family


@family
class Untoned(ViewFamily):
    key, label = "un-tone-mapped", "Un-tone-mapped"
    use = "Light as it is, cut at white: for checking colours."

    def write(self, config: ocio.Config, view: AddedView, space: str) -> WrittenView:
        to_xyz = matrix_transform(AP0_TO_XYZ_D65 @ reference_to_ap0(config))
        return WrittenView("Un-tone-mapped by matrix", [to_xyz], {})
