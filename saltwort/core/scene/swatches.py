"""A typed colour with what it becomes."""

from dataclasses import dataclass

import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.spaces.typed import Triple, TypedColour


@dataclass(frozen=True)
class ConvertedColour:
    """`working`: scene-linear light in the working space. `shown`: display code values through the view, 0–1."""

    working: Triple
    shown: Triple


def convert(config: ocio.Config, typed: TypedColour, choice: ViewChoice) -> ConvertedColour:
    """A typed colour in the working space and as seen through a view. Raises BadInput for unknown names."""
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    light = apply_to_colour(space_processor(config, typed.space, working), typed.values)
    return ConvertedColour(light, apply_to_colour(view_processor(config, working, choice), light))
