"""Pictures to judge a view by: light that is known, made for the working space of a config."""

from collections.abc import Callable

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE
from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.gamuts import REC709, rgb_to_xyz, solve
from saltwort.core.views.tone import saturated_hues

Picture = NDArray[np.float32]

WIDTH, HEIGHT = 480, 270
RAMP = (-8.0, 8.0)
LIT = (-4.0, 5.0)
"""Stops from the left edge to the right, of the ramp and of surfaces."""

# Linear Rec.709 reflectances made up for this: luminances of 0.05 to 0.5 along the hues of skin and of leaves.
SKIN_LIKE = np.array(
    [[0.09, 0.042, 0.026], [0.18, 0.09, 0.055], [0.33, 0.19, 0.125], [0.5, 0.33, 0.24], [0.65, 0.47, 0.38]]
)
FOLIAGE_LIKE = np.array(
    [[0.028, 0.055, 0.014], [0.06, 0.11, 0.028], [0.12, 0.19, 0.045], [0.22, 0.28, 0.07], [0.3, 0.2, 0.05]]
)


def sample_picture(config: ocio.Config, name: str) -> Picture:
    """One of SAMPLE_PICTURES as light in the working space, (HEIGHT, WIDTH, 3). Raises BadInput for another name, or a
    config that does not tell what its numbers mean."""
    if name not in SAMPLE_PICTURES:
        raise BadInput(f"There is no test picture “{name}”. Choose one of {', '.join(SAMPLE_PICTURES)}.")
    if not config.hasRole(SCENE_INTERCHANGE):
        raise BadInput(f"The config has no role {SCENE_INTERCHANGE}, so nobody can tell what its colours are.")
    light = SAMPLE_PICTURES[name]() @ solve(AP0_TO_XYZ_D65, rgb_to_xyz(REC709)).T
    return apply(space_processor(config, SCENE_INTERCHANGE, ocio.ROLE_SCENE_LINEAR), light.astype(np.float32))


def _stops(ends: tuple[float, float]) -> NDArray[np.float64]:
    return np.asarray(2.0 ** np.linspace(*ends, WIDTH)[np.newaxis, :, np.newaxis])


def _ramp() -> NDArray[np.float64]:
    """A grey ramp above, the same in steps of a stop below."""
    smooth = np.linspace(*RAMP, WIDTH)
    rows = np.stack([smooth] * (HEIGHT // 2) + [np.floor(smooth)] * (HEIGHT - HEIGHT // 2))
    return np.repeat(MIDDLE_GREY * 2.0 ** rows[:, :, np.newaxis], 3, axis=2)


def _lights() -> NDArray[np.float64]:
    """Saturated lights, each brightening from the left to the right."""
    hues = saturated_hues()
    bands = hues[np.arange(HEIGHT) * len(hues) // HEIGHT]
    return np.asarray(MIDDLE_GREY * _stops(RAMP) * bands[:, np.newaxis, :])


def _lit(surfaces: NDArray[np.float64]) -> Callable[[], NDArray[np.float64]]:
    """Surfaces one under the other, each lit more and more from the left to the right."""

    def make() -> NDArray[np.float64]:
        bands = surfaces[np.arange(HEIGHT) * len(surfaces) // HEIGHT]
        return np.asarray(_stops(LIT) * bands[:, np.newaxis, :])

    return make


SAMPLE_PICTURES = {
    "ramp": _ramp,
    "lights": _lights,
    "skin": _lit(SKIN_LIKE),
    "foliage": _lit(FOLIAGE_LIKE),
}
