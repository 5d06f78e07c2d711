"""From layers to a picture: lights set in stops and colour, and the tone mappings of renderers' own settings."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from saltwort.core.images.reading import Pixels
from saltwort.core.scene.rig.bodies import Array

DISPLAY_GAMMA = 2.2


def mixed(layers: Array, gains: Array) -> Pixels:
    """The sum of layers, (layers, bands, height, width), each multiplied by its gains, (layers, bands): the picture,
    (height, width, bands)."""
    picture = np.zeros(layers.shape[1:], np.float32)
    for layer, gain in zip(layers, gains.astype(np.float32), strict=True):
        if gain.any():
            picture += layer * gain[:, None, None]
    return np.ascontiguousarray(np.moveaxis(picture, 0, 2))


@dataclass(frozen=True)
class ToneMapping:
    """What a renderer may do to a picture by a setting of its own, in the working space, channel by channel: light to
    numbers for a display of gamma 2.2, 0–1. `breaks` says what it does to a linear hand-off."""

    name: str
    label: str
    breaks: str
    curve: Callable[[Pixels, float], Pixels]


def _clamped(light: Pixels, white: float) -> Pixels:
    return np.clip(light, 0, 1)


def _gamma(light: Pixels, white: float) -> Pixels:
    return _encoded(np.clip(light, 0, 1))


def _exponential(light: Pixels, white: float) -> Pixels:
    return _encoded(1 - np.exp(-np.maximum(light, 0)))


def _reinhard(light: Pixels, white: float) -> Pixels:
    light = np.maximum(light, 0)
    return _encoded(np.clip(light * (1 + light / np.float32(white * white)) / (1 + light), 0, 1))


def _encoded(light: Pixels) -> Pixels:
    return np.asarray(light ** np.float32(1 / DISPLAY_GAMMA), np.float32)


TONE_MAPPINGS = {
    mapping.name: mapping
    for mapping in (
        ToneMapping(
            "linear",
            "Linear, clamped",
            "Light above 1 is gone for good; the numbers stay linear, so shadows look dark.",
            _clamped,
        ),
        ToneMapping(
            "gamma",
            "Gamma 2.2",
            "Light above 1 is gone, and the numbers are encoded: a compositor that adds or blurs "
            "them takes them for light.",
            _gamma,
        ),
        ToneMapping(
            "exponential",
            "Exponential",
            "Everything is pressed below 1 by 1 − exp(−light). It can be undone only "
            "where steps are fine enough, and colours turn as channels saturate one after the other.",
            _exponential,
        ),
        ToneMapping(
            "reinhard",
            "Reinhard with white point",
            "Light is pressed by L (1 + L/W²) / (1 + L), after Reinhard et "
            "al. (2002), and cut at the white point W. Undone with another W, every value is wrong.",
            _reinhard,
        ),
    )
}
