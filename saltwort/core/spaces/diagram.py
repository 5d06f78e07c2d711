"""Chromaticity diagrams: Pointer's gamut of real surface colours, and CIE 1976 coordinates."""

from saltwort.core.spaces.gamuts import Chromaticity

# CIE 1931 xy of the boundary of real surface colours under illuminant C. Source: M. R. Pointer, The Gamut of Real
# Surface Colours (1980).
POINTER_GAMUT: tuple[Chromaticity, ...] = (
    (0.659, 0.316),
    (0.634, 0.351),
    (0.594, 0.391),
    (0.557, 0.427),
    (0.523, 0.462),
    (0.482, 0.491),
    (0.444, 0.515),
    (0.409, 0.546),
    (0.371, 0.558),
    (0.332, 0.573),
    (0.288, 0.584),
    (0.242, 0.576),
    (0.202, 0.530),
    (0.177, 0.454),
    (0.151, 0.389),
    (0.151, 0.330),
    (0.162, 0.295),
    (0.157, 0.266),
    (0.159, 0.245),
    (0.142, 0.214),
    (0.141, 0.195),
    (0.129, 0.168),
    (0.138, 0.141),
    (0.145, 0.129),
    (0.145, 0.106),
    (0.161, 0.094),
    (0.188, 0.084),
    (0.252, 0.104),
    (0.324, 0.127),
    (0.393, 0.165),
    (0.451, 0.199),
    (0.508, 0.226),
)


def xy_to_uv(xy: Chromaticity) -> Chromaticity:
    """CIE 1976 u′v′ of a CIE 1931 chromaticity (CIE 015)."""
    x, y = xy
    scale = -2 * x + 12 * y + 3
    return 4 * x / scale, 9 * y / scale
