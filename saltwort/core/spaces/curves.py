"""Transfer functions: from code values to light, each by its standard."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

LINEAR, SRGB, POWER, REC709, PQ, HLG = "linear", "srgb", "power", "rec709", "pq", "hlg"
SDR_WHITE = 100.0
"""cd/m² that light of 1 stands for in PQ and HLG, as OCIO's displays have it."""
HLG_PEAK = 1000.0
"""cd/m² of the display whose light HLG is decoded to (ITU-R BT.2100-2, table 5: system gamma 1.2)."""


@dataclass(frozen=True)
class Curve:
    """One of the kinds above; `power` counts for POWER alone."""

    kind: str
    power: float = 1.0

    @property
    def label(self) -> str:
        """As it is called on screen."""
        if self.kind == POWER:
            return f"power {self.power:.4g}"
        return _LABELS[self.kind]

    @property
    def is_linear(self) -> bool:
        return self.kind == LINEAR

    def decode(self, codes: NDArray[np.float64]) -> NDArray[np.float64]:
        """Light of code values, any shape, where 1 is white, or for PQ and HLG 100 cd/m². HLG is decoded channel by
        channel, as a grey of it is shown; negative values keep their sign."""
        size = np.abs(codes)
        return np.asarray(np.sign(codes) * _DECODERS[self.kind](size, self.power), np.float64)


def srgb_encoded(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light as sRGB code values (IEC 61966-2-1), any shape, for light in 0–1."""
    curved = 1.055 * np.power(np.maximum(light, 0.0031308), 1 / 2.4) - 0.055
    return np.asarray(np.where(light <= 0.0031308, 12.92 * light, curved), np.float64)


_LABELS = {LINEAR: "linear", SRGB: "sRGB", REC709: "BT.709 camera curve", PQ: "PQ", HLG: "HLG"}


def _srgb(codes: NDArray[np.float64], power: float) -> NDArray[np.float64]:
    """IEC 61966-2-1."""
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4)


def _rec709(codes: NDArray[np.float64], power: float) -> NDArray[np.float64]:
    """ITU-R BT.709-6, 1.2, undone."""
    return np.where(codes < 0.081, codes / 4.5, ((codes + 0.099) / 1.099) ** (1 / 0.45))


def _pq(codes: NDArray[np.float64], power: float) -> NDArray[np.float64]:
    """SMPTE ST 2084, 5.1. Codes above 1 are 10,000 cd/m² too, the most that it holds."""
    codes = np.minimum(codes, 1)
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    raised = codes ** (1 / m2)
    return np.asarray(10_000 / SDR_WHITE * (np.maximum(raised - c1, 0) / (c2 - c3 * raised)) ** (1 / m1))


def _hlg(codes: NDArray[np.float64], power: float) -> NDArray[np.float64]:
    """ITU-R BT.2100-2, table 5: inverse OETF, then the OOTF of a grey on a display of HLG_PEAK."""
    a, b, c = 0.17883277, 0.28466892, 0.55991073
    scene = np.where(codes <= 0.5, codes**2 / 3, (np.exp((codes - c) / a) + b) / 12)
    return np.asarray(HLG_PEAK / SDR_WHITE * scene**1.2)


_DECODERS = {
    LINEAR: lambda codes, power: codes,
    SRGB: _srgb,
    POWER: lambda codes, power: codes**power,
    REC709: _rec709,
    PQ: _pq,
    HLG: _hlg,
}
