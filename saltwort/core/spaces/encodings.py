"""How the numbers of a picture mean colour: primaries with a curve, and what standards call them.

The one table that is used to write tags and to read them: interop IDs, the code points of ITU-T H.273, and through
`icc.py` profiles. Chromaticities are those of H.273, table 2.
"""

from dataclasses import dataclass

from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.gamuts import AP0, AP1, OP_RGB, P3_D65, REC709, REC2020, Gamut

FULL_RANGE = 1
RGB_MATRIX = 0
CodePoints = tuple[int, int]
"""Colour primaries and transfer characteristics of H.273."""


@dataclass(frozen=True)
class Encoding:
    """Primaries and curve under an interop ID. `code_points` are those that say exactly this, None where H.273 has
    none; `is_extended` tells that values above 1 are light too."""

    interop_id: str
    gamut: Gamut
    curve: Curve
    code_points: CodePoints | None = None
    is_extended: bool = False


_SRGB, _LINEAR = Curve(curves.SRGB), Curve(curves.LINEAR)


def _power(power: float) -> Curve:
    return Curve(curves.POWER, power)


DISPLAY_ENCODINGS = (
    Encoding("srgb_rec709_display", REC709, _SRGB, (1, 13)),
    Encoding("g22_rec709_display", REC709, _power(2.2), (1, 4)),
    Encoding("g24_rec709_display", REC709, _power(2.4), (1, 1)),
    Encoding("srgb_p3d65_display", P3_D65, _SRGB, (12, 13)),
    Encoding("srgbe_p3d65_display", P3_D65, _SRGB, is_extended=True),
    Encoding("g26_p3d65_display", P3_D65, _power(2.6)),
    Encoding("pq_rec2020_display", REC2020, Curve(curves.PQ), (9, 16)),
    Encoding("hlg_rec2020_display", REC2020, Curve(curves.HLG), (9, 18)),
    Encoding("pq_p3d65_display", P3_D65, Curve(curves.PQ), (12, 16)),
)
SCENE_ENCODINGS = (
    Encoding("lin_ap0_scene", AP0, _LINEAR),
    Encoding("lin_ap1_scene", AP1, _LINEAR),
    Encoding("lin_rec709_scene", REC709, _LINEAR, (1, 8)),
    Encoding("lin_p3d65_scene", P3_D65, _LINEAR, (12, 8)),
    Encoding("lin_rec2020_scene", REC2020, _LINEAR, (9, 8)),
    Encoding("lin_adobergb_scene", OP_RGB, _LINEAR),
    Encoding("srgb_rec709_scene", REC709, _SRGB, (1, 13)),
    Encoding("g18_rec709_scene", REC709, _power(1.8)),
    Encoding("g22_rec709_scene", REC709, _power(2.2), (1, 4)),
    Encoding("ocio:g24_rec709_scene", REC709, _power(2.4)),
    Encoding("ocio:itu709_rec709_scene", REC709, Curve(curves.REC709)),
    Encoding("srgb_p3d65_scene", P3_D65, _SRGB, (12, 13)),
    Encoding("g22_adobergb_scene", OP_RGB, _power(563 / 256)),
    Encoding("srgb_ap1_scene", AP1, _SRGB),
    Encoding("g22_ap1_scene", AP1, _power(2.2)),
)
BY_INTEROP_ID = {encoding.interop_id: encoding for encoding in (*DISPLAY_ENCODINGS, *SCENE_ENCODINGS)}

_C, _E = (0.310, 0.316), (1 / 3, 1 / 3)
# H.273, table 2.
_PRIMARIES = {
    1: REC709,
    4: Gamut("BT.470 M", (0.67, 0.33), (0.21, 0.71), (0.14, 0.08), _C),
    5: Gamut("BT.601 625", (0.64, 0.33), (0.29, 0.60), (0.15, 0.06), REC709.white),
    6: Gamut("BT.601 525", (0.630, 0.340), (0.310, 0.595), (0.155, 0.070), REC709.white),
    7: Gamut("SMPTE ST 240", (0.630, 0.340), (0.310, 0.595), (0.155, 0.070), REC709.white),
    8: Gamut("film", (0.681, 0.319), (0.243, 0.692), (0.145, 0.049), _C),
    9: REC2020,
    10: Gamut("CIE XYZ", (1.0, 0.0), (0.0, 1.0), (0.0, 0.0), _E),
    11: Gamut("P3-DCI", (0.680, 0.320), (0.265, 0.690), (0.150, 0.060), (0.314, 0.351)),
    12: P3_D65,
    22: Gamut("EBU Tech 3213", (0.630, 0.340), (0.295, 0.605), (0.155, 0.077), REC709.white),
}
# H.273, table 3. A picture that was encoded by a camera's curve is made for a display of BT.1886, so that comes first;
# ST 428-1 has the curve of a cinema's display, a power of 2.6.
_CAMERA = (_power(2.4), Curve(curves.REC709))
_CURVES: dict[int, tuple[Curve, ...]] = {
    1: _CAMERA,
    4: (_power(2.2),),
    5: (_power(2.8),),
    6: _CAMERA,
    8: (_LINEAR,),
    13: (_SRGB,),
    14: _CAMERA,
    15: _CAMERA,
    16: (Curve(curves.PQ),),
    17: (_power(2.6),),
    18: (Curve(curves.HLG),),
}


def by_code_points(primaries: int, transfer: int) -> tuple[tuple[Gamut, Curve], ...]:
    """What code points of H.273 may mean, the likeliest first; nothing for reserved and unspecified ones."""
    gamut = _PRIMARIES.get(primaries)
    return tuple((gamut, curve) for curve in _CURVES.get(transfer, ())) if gamut else ()
