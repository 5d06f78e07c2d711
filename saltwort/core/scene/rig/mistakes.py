"""Wrong on purpose: the classic mistakes on the rig, each under the code of the finding that names it."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.describe import working_spaces
from saltwort.core.configs.gamut import gamut_of
from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.typed import code_values
from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.scene.rig.mixing import TONE_MAPPINGS
from saltwort.core.scene.rig.stage import Input, Rig
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.evidence import data_space

Change = Callable[[ocio.Config, Rig], Rig]


@dataclass(frozen=True)
class Mistake:
    """One mistake: what is done wrong, how it shows, the code of the finding that it triggers, and what it changes: the
    rig before it is rendered, or the picture after."""

    name: str
    label: str
    shows: str
    finding: str
    rig: Change | None = None
    picture: Callable[[Pixels], Pixels] | None = None
    is_shown: bool = False
    """Whether the picture is then what a display gets, without a view."""


def _input(rig: Rig, slot: str) -> Input:
    given = rig.inputs.get(slot)
    if given is None:
        raise BadInput(f"This mistake needs a texture on the rig: choose one for {slot}.")
    return given


def _with(rig: Rig, slot: str, given: Input) -> Rig:
    return replace(rig, inputs={**rig.inputs, slot: given})


def _data(config: ocio.Config) -> str:
    found = data_space(config)
    if found is None:
        raise BadInput("The config has no space for data.")
    return found


def _ball_as_data(config: ocio.Config, rig: Rig) -> Rig:
    return _with(rig, "ball", replace(_input(rig, "ball"), space=_data(config)))


def _ball_decoded_twice(config: ocio.Config, rig: Rig) -> Rig:
    """The file holds light already, as many a bake does, and is decoded once more."""
    ball = _input(rig, "ball")
    light = apply(space_processor(config, ball.space, ocio.ROLE_SCENE_LINEAR), ball.pixels)
    return _with(rig, "ball", replace(ball, path="rig/swatch_ball_basecolor.exr", pixels=light))


def _roughness_decoded(config: ocio.Config, rig: Rig) -> Rig:
    slot = next((name for name in ("stone-roughness", "brass-roughness") if name in rig.inputs), "stone-roughness")
    roughness, encoded = _input(rig, slot), _encoded_space(rig)
    light = apply(space_processor(config, encoded, ocio.ROLE_SCENE_LINEAR), roughness.pixels)
    return _with(rig, slot, replace(roughness, space=encoded, pixels=light))


def _encoded_space(rig: Rig) -> str:
    return _input(rig, "ball").space


def _environment_clipped(config: ocio.Config, rig: Rig) -> Rig:
    sky = _input(rig, "environment")
    return _with(rig, "environment", replace(sky, pixels=np.clip(sky.pixels, 0, 1)))


def _environment_in_wrong_primaries(config: ocio.Config, rig: Rig) -> Rig:
    sky = _input(rig, "environment")
    right = gamut_of(config, sky.space)
    wrong = next((space for space in working_spaces(config) if gamut_of(config, space) not in (None, right)), None)
    if wrong is None:
        raise BadInput("The config has one linear space only, so there are no wrong primaries.")
    return _with(rig, "environment", replace(sky, space=wrong))


def _swatch_not_decoded(config: ocio.Config, rig: Rig) -> Rig:
    """The numbers of the colour picker, given to the renderer as they stand."""
    steps = " ".join(f"{np.clip(value, 0, 1) * 255:.0f}" for value in code_values(config, rig.swatch))
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    return replace(rig, swatch=TypedColour(working, "8-bit", steps))


def _mapped(name: str) -> Callable[[Pixels], Pixels]:
    return lambda picture: TONE_MAPPINGS[name].curve(picture, 1.0)


MISTAKES = {
    mistake.name: mistake
    for mistake in (
        Mistake(
            "texture-as-data",
            "Texture read as data",
            "The texture ball is pale and too bright beside the swatch ball: encoded numbers are taken for light.",
            "texture.colour-read-as-data",
            rig=_ball_as_data,
        ),
        Mistake(
            "texture-decoded-twice",
            "Texture decoded twice",
            "The texture ball is too dark and too saturated: light is decoded as if it were encoded.",
            "texture.linear-read-as-encoded",
            rig=_ball_decoded_twice,
        ),
        Mistake(
            "roughness-decoded",
            "Roughness decoded as colour",
            "Surfaces are glossier than painted: a roughness of 0.5 becomes 0.21.",
            "texture.data-read-as-colour",
            rig=_roughness_decoded,
        ),
        Mistake(
            "environment-clipped",
            "Environment clipped at 1",
            "The sun casts no shadow and leaves no spark on the mirror ball.",
            "texture.clipped-light",
            rig=_environment_clipped,
        ),
        Mistake(
            "environment-primaries",
            "Environment in wrong primaries",
            "Every colour of the sky is shifted, most the saturated ones.",
            "texture.wrong-primaries",
            rig=_environment_in_wrong_primaries,
        ),
        Mistake(
            "swatch-not-decoded",
            "Gamma baked into the swatch",
            "The swatch ball is pale beside the texture ball: "
            "the numbers of the picker are given to the renderer undecoded.",
            "swatch.steps-in-linear",
            rig=_swatch_not_decoded,
        ),
        Mistake(
            "output-clamped",
            "Output clamped at 1",
            "Flame and sun are flat: pulled down in exposure they turn grey.",
            "render.clipped-at-one",
            picture=_mapped("linear"),
        ),
        Mistake(
            "old-gamma",
            "Gamma 2.2 instead of a view",
            "Highlights break off one channel after the other, and no exposure brings them back.",
            "render.view-baked",
            picture=_mapped("gamma"),
            is_shown=True,
        ),
    )
}


def picture_of_mapping(name: str, white: float) -> Callable[[Pixels], Pixels]:
    """What a tone mapping of TONE_MAPPINGS does to a picture; `white` is the light that Reinhard's shows as white."""
    if name not in TONE_MAPPINGS:
        raise BadInput(f"There is no tone mapping “{name}”. Choose one of {', '.join(TONE_MAPPINGS)}.")
    if not 0.1 <= white <= 1000:
        raise BadInput("The white point lies from 0.1 to 1,000.")
    return lambda picture: TONE_MAPPINGS[name].curve(picture, white)
