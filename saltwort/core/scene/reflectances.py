"""What surfaces reflect: limits for base colours and metals, and measured references."""

import csv
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from saltwort.core.spaces import spectra
from saltwort.core.spaces.typed import Triple

DARKEST, BRIGHTEST = 0.02, 0.9
"""Luminous reflectance of a base colour: below charcoal, above fresh snow there is no surface."""
DARKEST_METAL = 0.4
"""Luminous reflectance; bare metals in use, tungsten and titanium among them, lie above."""
SURFACE, METAL, LIGHT = "surface", "metal", "light"
USES = (SURFACE, METAL, LIGHT)


@dataclass(frozen=True)
class Reference:
    """A measured reflectance: CIE XYZ of it under D65, a perfect white at Y = 1, with the range of what was measured
    where there is one, and who measured."""

    name: str
    use: str
    xyz: Triple
    lowest: float
    highest: float
    source: str


@lru_cache(maxsize=1)
def references() -> tuple[Reference, ...]:
    """The measured references, surfaces first, from the darkest."""
    return (*_surfaces(), *_metals())


def _surfaces() -> Iterator[Reference]:
    rows, source = _read("surfaces.csv")
    for row in rows:
        lowest, highest = float(row["lowest"]), float(row["highest"])
        x, y, z = (spectra.to_xyz().sum(axis=1) * (lowest + highest) / 2).tolist()
        yield Reference(row["name"], SURFACE, (x, y, z), lowest, highest, source)


def _metals() -> Iterator[Reference]:
    """Reflectance at normal incidence by Fresnel's equations from n and k."""
    rows, source = _read("optical_constants.csv")
    constants = defaultdict(list)
    for row in rows:
        constants[row["metal"]].append((float(row["wavelength"]), float(row["n"]), float(row["k"])))
    wavelengths = 380 + spectra.STEP * np.arange(spectra.BANDS)
    for metal, measured in constants.items():
        places, n, k = np.array(sorted(measured)).T
        reflected = ((n - 1) ** 2 + k**2) / ((n + 1) ** 2 + k**2)
        x, y, z = (spectra.to_xyz() @ np.interp(wavelengths, places, reflected)).tolist()
        yield Reference(metal, METAL, (x, y, z), y, y, source)


def _read(name: str) -> tuple[list[dict[str, str]], str]:
    """The rows of a data file, and what its first lines say of its source."""
    lines = (Path(__file__).parent / name).read_text("utf-8").splitlines()
    said = [line.removeprefix("#").strip() for line in lines if line.startswith("#")]
    return list(csv.DictReader(line for line in lines if not line.startswith("#"))), " ".join(said)


def remark(use: str, light: Triple, luminance: float) -> str:
    """Why no surface of that use reflects so, in a sentence; empty where one may. `light` is the colour in the working
    space, `luminance` its Y."""
    if use == LIGHT:
        return ""
    if max(light) > 1:
        return f"It reflects {max(light):.2f} of what it receives, and 1 is all there is."
    if use == SURFACE and luminance > BRIGHTEST:
        return f"It reflects {luminance:.2f}, and fresh snow {BRIGHTEST}: light grows with every bounce."
    if use == SURFACE and luminance < DARKEST:
        return f"It reflects {luminance:.3f}, and charcoal 0.03: no light will show its shape."
    if use == METAL and luminance < DARKEST_METAL:
        return (
            f"It reflects {luminance:.2f}; bare metals reflect {DARKEST_METAL} and more. A dark metal is a coated one."
        )
    return ""
