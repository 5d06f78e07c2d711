"""Which space of a config a scene means by a name: told by colour, never by spelling alone."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.builtins import builtin_configs
from saltwort.core.configs.matching import spaces_with
from saltwort.core.engine import apply, load_config, space_processor
from saltwort.core.engine.loading import builtin_text
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE
from saltwort.core.engine.processors import scene_spaces
from saltwort.core.errors import BadInput
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.spaces.encodings import BY_INTEROP_ID
from saltwort.core.textures.evidence import data_space
from saltwort.core.textures.materialx import documented_space

Xyz = NDArray[np.float64]
SAME = 0.1
"""Mean ΔE 2000 up to which two spaces are the same: names of one space in two configs differ by rounding alone."""
_DATA_NAMES = frozenset({"raw", "data", "none", "noncolor", "non-color", "non_color", "utility - raw", "identity"})
_AUTO = frozenset({"", "auto", "automatic", "unknown"})
_ENCODED_NAMES = {"srgb": "srgb_rec709_scene", "linear": "lin_rec709_scene", "rec709": "ocio:itu709_rec709_scene"}
"""Words that several programs write for a space without saying which."""


@dataclass(frozen=True)
class Meant:
    """What a name means in a config: its space, None where the config has none near; `difference` the mean ΔE 2000 to
    what was meant, 0 for the space itself, None where nobody can tell what was meant; `how` it was told."""

    said: str
    space: str | None
    difference: float | None
    how: str

    @property
    def is_same(self) -> bool:
        return self.space is not None and self.difference is not None and self.difference <= SAME


def says_nothing(said: str) -> bool:
    """Whether a document leaves the space to whoever reads it."""
    return said.strip().lower() in _AUTO


def meant_by(config: ocio.Config, said: str, old: ocio.Config | None = None) -> Meant:
    """What a name in a document means: in `old`, the config that the scene was made with, where that has it; else in
    this config, by the standards, or in one of the engine's own configs."""
    name = said.strip()
    if name.lower() in _DATA_NAMES:
        return Meant(said, data_space(config), 0.0, "plain numbers")
    if old is not None and (found := old.getColorSpace(name)) is not None:
        if found.isData():
            return Meant(said, data_space(config), 0.0, "plain numbers in the old config")
        return _nearest(config, said, old, str(found.getName()), "by colour, from the old config")
    if (own := config.getColorSpace(name)) is not None:
        return Meant(said, str(own.getName()), 0.0, "the config's own name")
    if space := documented_space(name, config):
        return Meant(said, space, 0.0, "the name of the MaterialX specification")
    interop_id = name if name in BY_INTEROP_ID else _ENCODED_NAMES.get(name.lower())
    if interop_id:
        encoding = BY_INTEROP_ID[interop_id]
        space_found = next(iter(spaces_with(config, encoding.gamut, encoding.curve)), None)
        if space_found:
            return Meant(said, space_found, 0.0, "by its colours")
    for other in _builtin():
        if (found := other.getColorSpace(name)) is not None:
            if found.isData():
                return Meant(said, data_space(config), 0.0, "plain numbers")
            return _nearest(config, said, other, str(found.getName()), "by colour, from a config of the standard")
    return Meant(said, None, None, "no config known here has this name")


def _nearest(config: ocio.Config, said: str, other: ocio.Config, name: str, how: str) -> Meant:
    try:
        wanted = _light(other, name)
    except BadInput:
        return Meant(said, None, None, "the config does not tell its colours")
    best: tuple[float, str] | None = None
    for space in _with_own_first(config, name):
        try:
            there = _light(config, space)
        except BadInput:
            continue
        # Compared with diffuse white where the brightest probe is, so that logarithms do not swamp the formula.
        scale = max(float(np.abs(wanted).max()), 1.0)
        off = float(np.nanmean(delta_e_2000(wanted / scale, there / scale)))
        if np.isfinite(off) and (best is None or off < best[0] - 1e-9):
            best = (off, space)
    if best is None:
        return Meant(said, None, None, how)
    return Meant(said, best[1], round(best[0], 3), how)


def _with_own_first(config: ocio.Config, name: str) -> Iterable[str]:
    own = config.getColorSpace(name)
    names = [str(space.getName()) for space in scene_spaces(config) if not space.isData()]
    return dict.fromkeys([str(own.getName()), *names] if own is not None and not own.isData() else names)


_LEVELS = (0.02, 0.1, 0.25, 0.5, 0.75, 1.0)
_PROBES = np.array(
    [[level] * 3 for level in _LEVELS]
    + [
        [high if at == channel else low for at in range(3)]
        for channel in range(3)
        for low, high in ((0, 0.5), (0.2, 0.9))
    ],
    np.float32,
)


def _light(config: ocio.Config, space: str) -> Xyz:
    """CIE XYZ under D65 of the probes in a space, (probes, 3)."""
    processor = space_processor(config, space, SCENE_INTERCHANGE)
    return np.asarray(apply(processor, _PROBES[np.newaxis])[0].astype(np.float64) @ AP0_TO_XYZ_D65.T)


@lru_cache(maxsize=1)
def _builtin() -> tuple[ocio.Config, ...]:
    return tuple(load_config(builtin_text(config.name)) for config in builtin_configs())
