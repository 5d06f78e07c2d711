"""Colours outside a display's primaries, brought in without changing places.

Each channel's distance from the strongest, as a part of that, is pressed together from THRESHOLD on, so that LIMIT
comes to 1, the edge of the gamut. It is the curve of the ACES reference gamut compression (S-2020-001), in the
primaries of the display; OCIO holds it as a function of its own. Cut off at 0 instead, neighbouring hues would fall
onto one.
"""

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.views.log_range import Array

LIMIT, THRESHOLD, POWER = 1.4, 0.85, 1.2


def fitted(light: Array) -> Array:
    """Linear RGB of a display, shape (…, 3), with distances up to LIMIT inside its gamut."""
    strongest = light.max(axis=-1, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        distance = np.where(strongest == 0, 0.0, (strongest - light) / np.abs(strongest))
    scale = (LIMIT - THRESHOLD) / (((1 - THRESHOLD) / (LIMIT - THRESHOLD)) ** -POWER - 1) ** (1 / POWER)
    over = np.maximum(distance - THRESHOLD, 0) / scale
    pressed = np.where(distance < THRESHOLD, distance, THRESHOLD + scale * over / (1 + over**POWER) ** (1 / POWER))
    return np.asarray(strongest - pressed * np.abs(strongest))


def fit_transform() -> ocio.FixedFunctionTransform:
    """The same as an operation of the engine."""
    return ocio.FixedFunctionTransform(ocio.FIXED_FUNCTION_ACES_GAMUT_COMP_13, [LIMIT] * 3 + [THRESHOLD] * 3 + [POWER])
