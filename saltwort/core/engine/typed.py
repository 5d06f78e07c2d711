"""Typed colours in a config: as code values, and as light in any of its spaces."""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.applying import apply_to_colour
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE
from saltwort.core.engine.processors import space_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import solve
from saltwort.core.spaces.typed import Triple, TypedColour


def typed_in(config: ocio.Config, typed: TypedColour, space: str) -> Triple:
    """A typed colour in the numbers of a space. Raises BadInput when it does not parse, for unknown spaces, and for a
    colorimetric unit when the config has no interchange role to tell by."""
    if not typed.is_colorimetric:
        return apply_to_colour(space_processor(config, typed.space, space), typed.values)
    if not config.hasRole(SCENE_INTERCHANGE):
        raise BadInput(f"The config has no role {SCENE_INTERCHANGE}, which {typed.unit} colours need. Type RGB.")
    red, green, blue = solve(AP0_TO_XYZ_D65, np.array(typed.values)).tolist()
    return apply_to_colour(space_processor(config, SCENE_INTERCHANGE, space), (red, green, blue))


def code_values(config: ocio.Config, typed: TypedColour) -> Triple:
    """A typed colour in the numbers of its own space, unclamped: what was typed, unless its unit needs no space."""
    return typed_in(config, typed, typed.space) if typed.is_colorimetric else typed.values


def xyz_of(config: ocio.Config, values: Triple, space: str) -> Triple:
    """CIE XYZ under D65, diffuse white at Y = 1, of numbers in a space. Raises BadInput without an interchange role."""
    if not config.hasRole(SCENE_INTERCHANGE):
        raise BadInput(f"The config has no role {SCENE_INTERCHANGE}, so nobody can tell what its numbers mean.")
    x, y, z = (AP0_TO_XYZ_D65 @ apply_to_colour(space_processor(config, space, SCENE_INTERCHANGE), values)).tolist()
    return x, y, z
