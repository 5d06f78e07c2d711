"""What a view's display makes of its code values, and screens that a browser draws for."""

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine.applying import apply
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, space_of_view
from saltwort.core.engine.processors import ViewChoice, space_processor
from saltwort.core.spaces.gamuts import P3_D65, REC709, rgb_to_xyz

NO_LIGHT, SDR, HDR = "none", "sdr", "hdr"
SCREENS = {"srgb": REC709, "display-p3": P3_D65}
"""Screens that a browser draws for, by the names that CSS Color 4 gives them; both have the curve of sRGB."""
DISPLAY_KINDS = (NO_LIGHT, *SCREENS, SDR, HDR)

SAME_LIGHT = 2e-3
"""Of white: two displays that differ by less are one."""
HDR_WHITE = 203.0
"""cd/m² of HDR reference white (ITU-R BT.2408)."""
SDR_WHITE = 100.0
_CODES = np.stack(np.meshgrid(*[np.linspace(0, 1, 5, dtype=np.float32)] * 3), axis=-1).reshape(1, -1, 3)


def display_kind(config: ocio.Config, choice: ViewChoice) -> str:
    """One of DISPLAY_KINDS: NO_LIGHT for numbers that are no light of a display, a key of SCREENS for a display that is
    such a screen, else HDR for one that goes beyond white, or SDR."""
    space = space_of_view(config, choice)
    if space is None:
        return NO_LIGHT
    light = apply(space_processor(config, space, DISPLAY_INTERCHANGE), _CODES)[0].astype(np.float64)
    for name, gamut in SCREENS.items():
        screen = _from_srgb_curve(_CODES[0].astype(np.float64)) @ rgb_to_xyz(gamut).T
        if np.abs(light - screen).max() < SAME_LIGHT:
            return name
    return HDR if light[:, 1].max() > 1 + SAME_LIGHT else SDR


def _from_srgb_curve(codes: NDArray[np.float64]) -> NDArray[np.float64]:
    """IEC 61966-2-1."""
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)
