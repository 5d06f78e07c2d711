"""Recognise the primaries of a config's linear space by its numbers, not by its name."""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine.measured import linear_to_ap0
from saltwort.core.spaces.gamuts import AP0, KNOWN_GAMUTS, Gamut, rgb_to_rgb

TOLERANCE = 2e-4
"""Between matrices to AP0. Published matrices are rounded to four to six places; the known gamuts differ by 0.01."""


def gamut_of(config: ocio.Config, space: str) -> Gamut | None:
    """The known gamut whose matrix to AP0 is that of `space`, or None when there is none, when the space is not
    linear, or when the config has no interchange role to tell by."""
    matrix = linear_to_ap0(config, space)
    if matrix is None:
        return None
    return next((known for known in KNOWN_GAMUTS if np.allclose(matrix, rgb_to_rgb(known, AP0), atol=TOLERANCE)), None)
