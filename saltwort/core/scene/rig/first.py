"""The rig as a new project finds it: a picture for those who have no render yet."""

from functools import lru_cache
from threading import Lock

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply, newest_cg_config, space_processor
from saltwort.core.engine.measured import SCENE_INTERCHANGE
from saltwort.core.images.reading import Pixels
from saltwort.core.numbers import MIDDLE_GREY as GREY
from saltwort.core.scene.decisions import FIRST_LIGHTS
from saltwort.core.scene.rig.bands import RgbBands
from saltwort.core.scene.rig.mixing import mixed
from saltwort.core.scene.rig.stage import MIDDLE_GREY, Input, Rig, build_stage, light_colours
from saltwort.core.scene.rig.tracing import trace

SIZE = (320, 180)
SAMPLES = 16
_rendering = Lock()


def first_picture(config: ocio.Config) -> Pixels:
    """The rig with its first lights, a grey swatch and no textures, as light in the working space of a config that has
    the interchange role: (180, 320, 3) float32. The first call takes seconds."""
    with _rendering:  # who asks meanwhile waits for the one picture
        light = _light()
    return apply(space_processor(config, SCENE_INTERCHANGE, ocio.ROLE_SCENE_LINEAR), light.copy())


@lru_cache(maxsize=1)
def _light() -> Pixels:
    """The picture in ACES2065-1, rendered in ACEScg as new projects do."""
    config = ocio.Config.CreateFromBuiltinConfig(newest_cg_config())
    grey = Input("grey", ocio.ROLE_SCENE_LINEAR, np.full((1, 1, 3), GREY, np.float32))
    rig = Rig(MIDDLE_GREY, {"ball": grey}, FIRST_LIGHTS)
    bands = RgbBands(config, ocio.ROLE_SCENE_LINEAR)
    traced = trace(build_stage(bands, rig), *SIZE, SAMPLES)
    light = mixed(traced.layers, light_colours(bands, rig))
    return apply(space_processor(config, ocio.ROLE_SCENE_LINEAR, SCENE_INTERCHANGE), np.ascontiguousarray(light))
