"""HDR judged on a screen that shows none: how bright each pixel is, which bands of brightness there are, and what a
screen with less of it would show."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.engine.displays import SDR_WHITE
from saltwort.core.engine.measured import display_to_xyz, space_of_view
from saltwort.core.errors import BadInput
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.spaces.difference import colour_science
from saltwort.core.spaces.gamuts import REC709, REC2020, rgb_to_xyz
from saltwort.core.views.tone import display_xyz

Array = NDArray[np.float64]
BRIGHT = 1e5
"""Light far above what any view still tells apart."""
COUNTED = (100.0, 203.0, 1_000.0, 4_000.0)
"""cd/m² above which the share of a picture is told: SDR white, HDR reference white (ITU-R BT.2408), and the peaks that
masters are made for."""


@dataclass(frozen=True)
class Band:
    """Pixels whose brightest channel lies at `above` cd/m² or more, up to the next band; `colour` is #rrggbb, empty for
    the grey of what SDR holds."""

    above: float
    colour: str
    label: str


BANDS = (
    Band(0.0, "", "up to 100, as SDR holds"),
    Band(100.0, "#2f7f8f", "100 to 203, up to reference white"),
    Band(203.0, "#5aa05a", "203 to 400"),
    Band(400.0, "#d2b13c", "400 to 1,000"),
    Band(1_000.0, "#cf6f3a", "1,000 to 4,000"),
    Band(4_000.0, "#b03a78", "4,000 and more"),
)


def own_primaries(config: ocio.Config, choice: ViewChoice) -> Array:
    """3×3 matrix from light in the channels of a view's display to CIE XYZ; of Rec.2020, which HDR is delivered in,
    where the display's own primaries cannot be told."""
    space = space_of_view(config, choice)
    try:
        return display_to_xyz(config, space) if space else rgb_to_xyz(REC2020)
    except BadInput:
        return rgb_to_xyz(REC2020)


def display_light(config: ocio.Config, choice: ViewChoice, codes: Array) -> Array:
    """Light of a display in its own channels (`own_primaries`), cd/m², of code values of a view, (n, 3); NaN is black.
    Raises BadInput for a view whose numbers are no light of a display."""
    xyz = display_xyz(config, choice, np.nan_to_num(codes, nan=0.0, posinf=1.0, neginf=0.0))
    return np.maximum(xyz @ np.linalg.inv(own_primaries(config, choice)).T, 0.0) * SDR_WHITE


def peak_of_view(config: ocio.Config, choice: ViewChoice) -> float:
    """cd/m² of the brightest white that a view gives. Raises BadInput as `display_light` does."""
    white = apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, choice), np.full((1, 1, 3), BRIGHT, np.float32))
    xyz = display_xyz(config, choice, np.clip(np.nan_to_num(white[0]), 0, 1).astype(np.float64))
    return float(xyz[0, 1]) * SDR_WHITE


@dataclass(frozen=True)
class Levels:
    """How bright a picture is, in cd/m² of the brightest channel of each pixel (CTA-861.3): the largest, the mean, and
    the shares of pixels above COUNTED."""

    largest: float
    mean: float
    above: tuple[tuple[float, float], ...]


def levels_of(light: Array) -> Levels:
    """Of light as `display_light` gives it, (n, 3)."""
    brightest = light.max(axis=-1)
    shares = tuple((nits, float(np.mean(brightest > nits * (1 + 1e-3)))) for nits in COUNTED)
    return Levels(float(brightest.max()), float(brightest.mean()), shares)


def false_colours(light: Array) -> NDArray[np.float32]:
    """BANDS as a picture: sRGB code values, (n, 3), for light as above. Below 100 cd/m² greys stand for PQ, so that
    shadows are told apart."""
    brightest = light.max(axis=-1)
    grey = pq_encoded(np.minimum(brightest, COUNTED[0])) / pq_encoded(np.array(COUNTED[0]))
    shown = np.repeat(grey[..., None] * 0.62, 3, axis=-1)
    for band in BANDS[1:]:
        colour = [int(band.colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        shown[brightest >= band.above] = colour
    return shown.astype(np.float32)


def on_screen_of(light: Array, made_on: float, peak: float) -> Array:
    """Light as a screen of another peak shows it that maps tones by ITU-R BT.2390-11, section 5.4.1: the reference
    EETF, for each channel, black left where it is. `made_on` is the peak it was made on; both in cd/m²."""
    if peak >= made_on:
        return light
    top = pq_encoded(np.array(made_on))
    value, most = pq_encoded(np.minimum(light, made_on)) / top, float(pq_encoded(np.array(peak)) / top)
    knee = 1.5 * most - 0.5
    t = np.clip((value - knee) / (1 - knee), 0, 1)
    bent = (2 * t**3 - 3 * t**2 + 1) * knee + (t**3 - 2 * t**2 + t) * (1 - knee) + (-2 * t**3 + 3 * t**2) * most
    return pq_decoded(np.where(value < knee, value, bent) * top)


def on_this_screen(light: Array, primaries: Array, white: float) -> NDArray[np.float32]:
    """Light in channels of the given primaries (3×3, to XYZ) as sRGB code values for an SDR screen whose white stands
    for `white` cd/m²: what is brighter is clipped."""
    rec709 = light @ (np.linalg.inv(rgb_to_xyz(REC709)) @ primaries).T
    return srgb_encoded(np.clip(rec709 / white, 0, 1)).astype(np.float32)


def pq_encoded(nits: Array) -> Array:
    """PQ code values (SMPTE ST 2084) of cd/m², any shape."""
    return np.asarray(colour_science().models.eotf_inverse_ST2084(nits), np.float64)


def pq_decoded(codes: Array) -> Array:
    """cd/m² of PQ code values, any shape."""
    return np.asarray(colour_science().models.eotf_ST2084(codes), np.float64)
