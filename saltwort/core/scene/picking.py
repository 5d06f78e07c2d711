"""What a colour picked from a screen may mean."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces.typed import Triple
from saltwort.core.textures.close_up import read_through_inverse


@dataclass(frozen=True)
class Meaning:
    """Picked numbers read in one way: what is done to them, and the light in the working space that comes of it; None,
    with the reason, where it cannot be."""

    way: str
    light: Triple | None
    reason: str = ""


def meanings(config: ocio.Config, picked: Triple, encoded: str, choice: ViewChoice) -> list[Meaning]:
    """Code values on 0–1 as light in the working space: as `encoded` numbers, as light, and through the inverse
    of a view. The first is what a texture or swatch means, the last what was lit so that the screen shows it."""
    red, green, blue = picked
    found = [
        Meaning(
            f"read as {encoded}", apply_to_colour(space_processor(config, encoded, ocio.ROLE_SCENE_LINEAR), picked)
        ),
        Meaning("read as light", picked),
    ]
    way = f"back through {choice.view} on {choice.display}"
    try:
        light = read_through_inverse(config, np.array([[red, green, blue]], np.float32), choice)[0].tolist()
    except BadInput as error:
        return [*found, Meaning(way, None, str(error))]
    if not np.isfinite(light).all():
        return [*found, Meaning(way, None, "The view shows no light in these numbers.")]
    return [*found, Meaning(way, (light[0], light[1], light[2]))]
