"""Recognise the primaries of a config's linear space by its numbers, not by its name."""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import AP0, KNOWN_GAMUTS, Gamut, rgb_to_rgb

TOLERANCE = 2e-4
"""Between matrices to AP0. Published matrices are rounded to four to six places; the known gamuts differ by 0.01."""


def gamut_of(config: ocio.Config, space: str) -> Gamut | None:
    """The known gamut whose matrix to AP0 is that of `space`, or None when there is none, when the space is not
    linear, or when the config has no interchange role to tell by."""
    try:
        processor = space_processor(config, space, "aces_interchange")
    except BadInput:
        return None
    columns = [apply_to_colour(processor, unit) for unit in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))]
    matrix = np.array(columns).T
    if not np.allclose(apply_to_colour(processor, (0.25, 0.5, 4.0)), matrix @ (0.25, 0.5, 4.0), atol=1e-3):
        return None
    for known in KNOWN_GAMUTS:
        if np.allclose(matrix, rgb_to_rgb(known, AP0), atol=TOLERANCE):
            return known
    return None
