"""The Academy's output renderings, as the OCIO library has them."""

import PyOpenColorIO as ocio

from saltwort.core.engine.measured import reference_to_ap0
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.errors import BadInput
from saltwort.core.views.family import AddedView, ViewFamily, WrittenView, family

PREFIX = "ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - "


@family
class Aces(ViewFamily):
    key, label = "aces", "ACES"
    use = "The Academy's renderings, SDR and HDR, as the OCIO library has them."

    def renderings(self) -> dict[str, str]:
        return {
            style.removeprefix(PREFIX): description
            for style, description in ocio.BuiltinTransformRegistry().getBuiltins()
            if style.startswith(PREFIX)
        }

    def write(self, config: ocio.Config, view: AddedView, space: str) -> WrittenView:
        if view.rendering not in self.renderings():
            raise BadInput(f"View “{view.name}”: the engine has no ACES rendering “{view.rendering}”.")
        rendering = ocio.BuiltinTransform(style=PREFIX + view.rendering)
        return WrittenView(f"ACES {view.rendering}", [matrix_transform(reference_to_ap0(config)), rendering], {})
