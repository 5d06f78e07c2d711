"""How far two colours lie apart, as an eye sees it. Both measures are those of `colour-science`."""

import warnings
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.spaces.gamuts import D65, REC2020, rgb_to_xyz

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
    return np.asarray(colour_science().delta_E(ictcp(first), ictcp(second), method="ITP"), np.float64)


# ITU-R BT.2100: linear Rec.2020 to LMS, PQ-coded LMS to ICtCp, and the constants of PQ (SMPTE ST 2084).
_RGB_TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_LMS_TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
_PQ_PEAK = 10_000.0


def ictcp(xyz: Colours) -> Colours:
    """ICtCp (ITU-R BT.2100, PQ) of CIE XYZ under D65, Y = 1 at REFERENCE_WHITE; shape (…, 3).

    It is here, beside what the package has, because checks need it at once: the package takes two seconds to import.
    """
    lms = np.maximum(xyz, 0) * REFERENCE_WHITE @ (_RGB_TO_LMS @ np.linalg.inv(rgb_to_xyz(REC2020))).T
    power = (np.maximum(lms, 0) / _PQ_PEAK) ** _M1
    coded = ((_C1 + _C2 * power) / (1 + _C3 * power)) ** _M2
    return np.asarray(coded @ _LMS_TO_ICTCP.T, np.float64)


def colour_science() -> Any:
    """The package, imported when first needed: it takes two seconds, and most work needs none of it."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # it remarks that plotting is not installed
        import colour
    return colour
