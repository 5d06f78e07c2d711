"""The CIE 1931 2° standard observer (CIE 015), and the lights that are named by a temperature."""

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.spaces.gamuts import Chromaticity

Array = NDArray[np.float64]

COLDEST, HOTTEST = 1000.0, 40000.0
"""Kelvin, of the black bodies that are told apart."""
DAYLIGHT = (4000.0, 25000.0)
"""Kelvin, between which CIE 015 defines daylight."""
SECOND_RADIATION_CONSTANT = 1.4388e-2
"""m·K, rounded as CIE 015 has it for illuminants."""
D65_KELVIN = 6500 * 1.4388 / 1.4380
"""The temperature of D65, named with the constant of 1931."""
LARGEST_TINT = 0.05
"""Duv; light farther from the locus is no white of any temperature."""


@lru_cache(maxsize=1)
def _table() -> Array:
    file = Path(__file__).with_name("cie_1931_5nm.csv")
    return np.loadtxt(file, delimiter=",", comments="#", skiprows=2)


def wavelengths() -> Array:
    """Nanometres, 380 to 780 in steps of 5, shape (81,)."""
    return _table()[:, 0]


def matching_functions() -> Array:
    """The colour-matching functions x̄, ȳ, z̄ at `wavelengths`, shape (81, 3)."""
    return _table()[:, 1:4]


def black_body(kelvin: float) -> Array:
    """Planck's spectral radiance at `wavelengths`, relative, its mean 1; shape (81,)."""
    metres = wavelengths() * 1e-9
    # Subtracting the smallest exponent keeps cold bodies from dividing by infinity.
    exponent = SECOND_RADIATION_CONSTANT / (metres * kelvin)
    radiance = metres**-5 * np.exp(exponent.min() - exponent) / -np.expm1(-exponent)
    return np.asarray(radiance / radiance.mean(), np.float64)


def daylight(kelvin: float) -> Array:
    """Spectrum of CIE daylight at `wavelengths` from its components (CIE 015), 100 at 560 nm; shape (81,)."""
    x, y = daylight_xy(kelvin)
    scale = 0.0241 + 0.2562 * x - 0.7341 * y
    first = (-1.3515 - 1.7703 * x + 5.9114 * y) / scale
    second = (0.0300 - 31.4424 * x + 30.0717 * y) / scale
    components = _table()[:, 4:7]
    return np.asarray(components @ np.array([1.0, first, second]), np.float64)


def daylight_xy(kelvin: float) -> Chromaticity:
    """Chromaticity of CIE daylight (CIE 015). Raises BadInput outside DAYLIGHT."""
    low, high = DAYLIGHT
    if not low <= kelvin <= high:
        raise BadInput(f"Daylight goes from {low:,.0f} to {high:,.0f} K; choose a black body for other temperatures.")
    steps = (0.244063, 99.11, 2967800.0, -4607000000.0)
    if kelvin > 7000:
        steps = (0.237040, 247.48, 1901800.0, -2006400000.0)
    x = sum(step / kelvin**power for power, step in enumerate(steps))
    return x, -3.000 * x * x + 2.870 * x - 0.275


def black_body_xy(kelvin: float, tint: float = 0.0) -> Chromaticity:
    """Chromaticity of a black body, or `tint` (Duv, ANSI C78.377: positive towards green) off the locus in CIE 1960 uv.

    Raises BadInput outside COLDEST to HOTTEST, or for more tint than LARGEST_TINT.
    """
    if not COLDEST <= kelvin <= HOTTEST:
        raise BadInput(f"A temperature lies from {COLDEST:,.0f} to {HOTTEST:,.0f} K.")
    if not abs(tint) <= LARGEST_TINT:
        raise BadInput(f"A tint lies from −{LARGEST_TINT} to {LARGEST_TINT} Duv; positive is towards green.")
    xy = xy_of(black_body(kelvin))
    if not tint:
        return xy
    here, beside = _xy_to_uv1960(xy), _xy_to_uv1960(xy_of(black_body(kelvin * 1.001)))
    along = (beside[0] - here[0], beside[1] - here[1])
    length = float(np.hypot(*along))
    # Hotter lies towards smaller u; a quarter turn from there towards larger v is green.
    u, v = here[0] + tint * along[1] / length, here[1] - tint * along[0] / length
    scale = 2 * u - 8 * v + 4
    return 3 * u / scale, 2 * v / scale


def xy_of(spectrum: Array) -> Chromaticity:
    """Chromaticity of a spectrum at `wavelengths`, shape (81,)."""
    xyz = spectrum @ matching_functions()
    return float(xyz[0] / xyz.sum()), float(xyz[1] / xyz.sum())


def _xy_to_uv1960(xy: Chromaticity) -> Chromaticity:
    x, y = xy
    scale = -2 * x + 12 * y + 3
    return 4 * x / scale, 6 * y / scale


def spectral_locus() -> Array:
    """Chromaticities of single wavelengths, shape (81, 2), at `wavelengths`."""
    functions = matching_functions()
    return np.asarray(functions[:, :2] / functions.sum(axis=1, keepdims=True), np.float64)
