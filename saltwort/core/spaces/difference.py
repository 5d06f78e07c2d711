"""How far two colours lie apart, as an eye sees it. Both measures are those of `colour-science`."""

import warnings
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.spaces.gamuts import D65

Colours = NDArray[np.float64]

REFERENCE_WHITE = 100.0
"""cd/m² of display light at Y = 1, as OCIO configs have it."""


def delta_e_2000(first: Colours, second: Colours) -> Colours:
    """CIE ΔE 2000 (CIE 142, ISO/CIE 11664-6) between CIE XYZ under D65, white at Y = 1; shape (n, 3) to (n,)."""
    colour = colour_science()
    lab = [colour.XYZ_to_Lab(np.maximum(xyz, 0), D65) for xyz in (first, second)]
    return np.asarray(colour.delta_E(*lab, method="CIE 2000"), np.float64)


def delta_e_itp(first: Colours, second: Colours) -> Colours:
    """ΔE ITP (ITU-R BT.2124) between CIE XYZ under D65, Y = 1 at REFERENCE_WHITE; shape (n, 3) to (n,)."""
    colour = colour_science()
    ictcp = [colour.XYZ_to_ICtCp(np.maximum(xyz, 0) * REFERENCE_WHITE) for xyz in (first, second)]
    return np.asarray(colour.delta_E(*ictcp, method="ITP"), np.float64)


def colour_science() -> Any:
    """The package, imported when first needed: it takes two seconds, and most work needs none of it."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # it remarks that plotting is not installed
        import colour
    return colour
