"""RGB primaries with their white point, and the matrices between them.

Sources of the chromaticities: SMPTE ST 2065-1 (AP0), S-2014-004 (AP1), ITU-R BT.709, ITU-R BT.2020,
SMPTE RP 431-2 with D65 (P3-D65), IEC 61966-2-5 (opRGB).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]
Chromaticity = tuple[float, float]
"""CIE 1931 x and y."""

# Lam (1985), the cone responses that ACES and ICC use for adaptation.
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
# CIE 159:2004, with which the spaces of many cameras are brought to ACES.
CAT02 = np.array([[0.7328, 0.4296, -0.1624], [-0.7036, 1.6975, 0.0061], [0.0030, 0.0136, 0.9834]])


@dataclass(frozen=True)
class Gamut:
    """RGB primaries and white as CIE 1931 xy; `name` is the trade's."""

    name: str
    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]

    @property
    def chromaticities(self) -> tuple[float, ...]:
        """Eight numbers in the order of the OpenEXR attribute: red, green, blue and white xy."""
        return (*self.red, *self.green, *self.blue, *self.white)


ACES_WHITE = (0.32168, 0.33767)
D65 = (0.3127, 0.3290)

AP0 = Gamut("AP0", (0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.0770), ACES_WHITE)
AP1 = Gamut("AP1", (0.713, 0.293), (0.165, 0.830), (0.128, 0.044), ACES_WHITE)
REC709 = Gamut("Rec.709", (0.640, 0.330), (0.300, 0.600), (0.150, 0.060), D65)
REC2020 = Gamut("Rec.2020", (0.708, 0.292), (0.170, 0.797), (0.131, 0.046), D65)
P3_D65 = Gamut("P3-D65", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), D65)
OP_RGB = Gamut("opRGB", (0.64, 0.33), (0.21, 0.71), (0.15, 0.06), D65)

KNOWN_GAMUTS = (AP0, AP1, REC709, REC2020, P3_D65, OP_RGB)
NAMED_GAMUTS = (
    *KNOWN_GAMUTS,
    Gamut("ROMM RGB", (0.7347, 0.2653), (0.1596, 0.8404), (0.0366, 0.0001), (0.3457, 0.3585)),
    Gamut("P3-DCI", P3_D65.red, P3_D65.green, P3_D65.blue, (0.314, 0.351)),
    Gamut("P3-D60", P3_D65.red, P3_D65.green, P3_D65.blue, ACES_WHITE),
    Gamut("CIE XYZ", (1.0, 0.0), (0.0, 1.0), (0.0, 0.0), (1 / 3, 1 / 3)),
)
"""Also those that files declare and configs rarely have, by which a user knows them (ISO 22028-2, SMPTE RP 431-2)."""


GAMUT_TOLERANCE = 1e-4
"""Share of the strongest channel by which another may be negative: configs write their matrices with six places."""


def is_inside(light: Sequence[float]) -> bool:
    """Whether linear RGB is a colour within its primaries, however bright or dark it is."""
    return min(light) >= -GAMUT_TOLERANCE * max(*light, 0.0)


def xy_to_xyz(xy: tuple[float, float]) -> NDArray[np.float64]:
    """CIE XYZ, shape (3,), of a chromaticity at Y = 1. `y` must not be 0."""
    x, y = xy
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


def rgb_to_xyz(gamut: Gamut) -> Matrix:
    """3×3 matrix from linear RGB of `gamut` to CIE XYZ with its own white at Y = 1 (SMPTE RP 177)."""
    primaries = np.array([[x, y, 1.0 - x - y] for x, y in (gamut.red, gamut.green, gamut.blue)]).T
    scale = np.linalg.solve(primaries, xy_to_xyz(gamut.white))
    return np.asarray(primaries * scale, np.float64)


def adaptation(
    source_white: tuple[float, float], target_white: tuple[float, float], cones: Matrix = BRADFORD
) -> Matrix:
    """3×3 matrix that takes CIE XYZ under one white to the other (von Kries model), in the responses of `cones`."""
    gains = (cones @ xy_to_xyz(target_white)) / (cones @ xy_to_xyz(source_white))
    return solve(cones, np.diag(gains) @ cones)


def primaries_of(matrix: Matrix, name: str, white: Chromaticity) -> Gamut:
    """The gamut whose RGB a 3×3 matrix takes to CIE XYZ under `white`: each primary is a column. Raises ValueError
    where a column adds up to nothing, which is no colour."""
    sums = matrix.sum(axis=0)
    if not np.isfinite(matrix).all() or np.abs(sums).min() < 1e-6:
        raise ValueError("A primary of no light has no chromaticity.")
    red, green, blue = (
        (float(column[0] / total), float(column[1] / total)) for column, total in zip(matrix.T, sums, strict=True)
    )
    return Gamut(name, red, green, blue, white)


def rgb_to_rgb(source: Gamut, target: Gamut) -> Matrix:
    """3×3 matrix between linear RGB spaces, Bradford-adapted, both with white at (1, 1, 1)."""
    return solve(rgb_to_xyz(target), adaptation(source.white, target.white) @ rgb_to_xyz(source))


def solve(left: Matrix, right: Matrix) -> Matrix:
    """The matrix X with left · X = right: what comes before `left` to make `right`."""
    return np.asarray(np.linalg.solve(left, right), np.float64)
