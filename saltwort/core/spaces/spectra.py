"""Colours as smooth spectra, in BANDS bands from 380 to 730 nm, and spectra as colours.

Spectra are relative to D65: light that is 1 in every band is D65 as bright as diffuse white, and so is what a
reflectance sends back of it. A colour becomes the smooth reflectance of Jakob and Hanika, A Low-Dimensional Function
Space for Efficient Spectral Upsampling (2019): a sigmoid of a parabola over wavelength, so that it never leaves 0–1.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from saltwort.core.spaces import observer
from saltwort.core.spaces.gamuts import D65, xy_to_xyz

Array = NDArray[np.float64]

BANDS = 36
STEP = 10
"""Nanometres."""
_EVERY = 2
"""Rows of the observer's table from band to band."""
ITERATIONS = 30
COLOURS_AT_ONCE = 1 << 13


@lru_cache(maxsize=1)
def to_xyz() -> Array:
    """3×BANDS matrix from a spectrum relative to D65 to CIE XYZ, diffuse white at Y = 1. Sums in bands miss the white
    of D65 by less than 2e-4, by which each row is corrected, so that greys are grey."""
    light = _bands(observer.daylight(observer.D65_KELVIN))
    weights = (observer.matching_functions()[: BANDS * _EVERY : _EVERY] * light[:, None]).T
    return np.asarray(weights / weights.sum(axis=1, keepdims=True) * xy_to_xyz(D65)[:, None], np.float64)


def reflectances(xyz: Array) -> Array:
    """Smooth reflectances, (colours, BANDS) on 0–1, that have these CIE XYZ under D65, (colours, 3).

    Colours that no surface can have come as near as the sigmoid gets; `error_of` tells how near.
    """
    found = np.empty((len(xyz), BANDS))
    for start in range(0, len(xyz), COLOURS_AT_ONCE):
        part = slice(start, start + COLOURS_AT_ONCE)
        found[part] = _fitted(np.asarray(xyz[part], np.float64))
    return found


def lights(xyz: Array) -> Array:
    """Smooth spectra of light with these CIE XYZ, shapes as of `reflectances`, with no upper bound."""
    # Half as bright as the brightest channel of a wide gamut is what a surface can be, whatever the hue.
    size = np.maximum(2 * np.abs(xyz).max(axis=1, keepdims=True), 1e-9)
    return np.asarray(reflectances(xyz / size) * size)


def error_of(xyz: Array, spectra: Array) -> Array:
    """How far spectra are from these CIE XYZ, the largest difference of each, (colours,)."""
    return np.asarray(np.abs(spectra @ to_xyz().T - xyz).max(axis=1), np.float64)


def black_body(kelvin: float) -> Array:
    """A black body relative to D65, at Y = 1; shape (BANDS,)."""
    return _relative(observer.black_body(kelvin))


def daylight(kelvin: float) -> Array:
    """CIE daylight relative to D65, at Y = 1; shape (BANDS,). Raises BadInput outside observer.DAYLIGHT."""
    return _relative(observer.daylight(kelvin))


def _relative(spectrum: Array) -> Array:
    relative = _bands(spectrum) / _bands(observer.daylight(observer.D65_KELVIN))
    return np.asarray(relative / (to_xyz()[1] @ relative), np.float64)


def _bands(spectrum: Array) -> Array:
    return np.asarray(spectrum[: BANDS * _EVERY : _EVERY])


def _fitted(xyz: Array) -> Array:
    """Damped Newton steps on the three coefficients of all colours at once; a step that makes it worse is taken back
    and tried shorter."""
    place = np.linspace(-1, 1, BANDS)
    powers = np.stack([place**2, place, np.ones(BANDS)])
    matrix = to_xyz()
    grey = np.clip(xyz[:, 1], 1e-4, 1 - 1e-4)
    coefficients = np.zeros((len(xyz), 3))
    coefficients[:, 2] = (2 * grey - 1) / (2 * np.sqrt(grey * (1 - grey)))
    damping = np.full(len(xyz), 1e-3)
    spectra = _sigmoid(coefficients @ powers)
    miss = spectra @ matrix.T - xyz
    size = (miss**2).sum(axis=1)
    for _ in range(ITERATIONS):
        bend = (coefficients @ powers) ** 2
        slope = 0.5 * (1 + bend) ** -1.5
        # d XYZ / d coefficients, (colours, 3, 3)
        jacobian = np.einsum("xb,nb,cb->nxc", matrix, slope, powers, optimize=True)
        squared = np.einsum("nxc,nxd->ncd", jacobian, jacobian)
        down = np.einsum("nxc,nx->nc", jacobian, miss)
        damped = (
            squared + (damping * np.trace(squared, axis1=1, axis2=2))[:, None, None] * np.eye(3) + 1e-14 * np.eye(3)
        )
        tried = coefficients - np.linalg.solve(damped, down[..., None])[..., 0]
        spectra_tried = _sigmoid(tried @ powers)
        miss_tried = spectra_tried @ matrix.T - xyz
        size_tried = (miss_tried**2).sum(axis=1)
        better = size_tried < size
        coefficients[better], spectra[better] = tried[better], spectra_tried[better]
        miss[better], size[better] = miss_tried[better], size_tried[better]
        damping = np.where(better, damping * 0.2, damping * 8)
        if size.max() < 1e-14:
            break
    return spectra


def _sigmoid(values: Array) -> Array:
    return np.asarray(0.5 + values / (2 * np.sqrt(1 + values**2)), np.float64)
