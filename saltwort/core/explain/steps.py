"""Steps of a colour path as functions of numbers: from space to space, through a view, and back."""

from collections.abc import Callable
from functools import cached_property

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.matching import spaces_with
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, DISPLAY_INTERCHANGE, SCENE_INTERCHANGE, space_of_view
from saltwort.core.engine.processors import inverse_view_processor
from saltwort.core.images.alpha import straight
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.encodings import BY_INTEROP_ID

Step = Callable[[Pixels], Pixels]
"""Numbers to numbers, float32 (height, width, 3 or 4); alpha passes."""


def on_colour(change: Callable[[Pixels], Pixels]) -> Step:
    """A step that leaves alpha alone."""

    def step(numbers: Pixels) -> Pixels:
        changed = np.array(numbers, np.float32)
        changed[..., :3] = change(changed[..., :3])
        return changed

    return step


class ColourSteps:
    """The steps that a config and a view give; a base of classes that have both."""

    config: ocio.Config
    choice: ViewChoice

    @cached_property
    def working_space(self) -> str:
        name: str = self.config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
        return name

    @cached_property
    def texture_space(self) -> str | None:
        """The config's space of pictures in sRGB that are read as surfaces; None where it has none."""
        return texture_space(self.config)

    def between(self, source: str, target: str) -> Step:
        """From one space of the config to another."""
        return processed(space_processor(self.config, source, target))

    def view(self, choice: ViewChoice | None = None) -> Step:
        """From light in the working space through a view, the project's if none is given."""
        return processed(view_processor(self.config, self.working_space, choice or self.choice))

    @cached_property
    def encoded_only(self) -> Step | None:
        """From light in the working space to codes of the display, without a view between: what is brighter than white
        is cut off. None where the config does not tell what light or display are."""
        display = space_of_view(self.config, self.choice)
        if display is None or not self.config.hasRole(SCENE_INTERCHANGE):
            return None
        to_ap0 = self.between(self.working_space, SCENE_INTERCHANGE)
        to_display = self.between(DISPLAY_INTERCHANGE, display)
        xyz = AP0_TO_XYZ_D65.T.astype(np.float32)
        return on_colour(lambda light: to_display(_times(to_ap0(light), xyz)))

    @cached_property
    def encoding_undone(self) -> Step | None:
        """From codes of the display to light in the working space, what `encoded_only` does undone."""
        display = space_of_view(self.config, self.choice)
        if display is None or not self.config.hasRole(SCENE_INTERCHANGE):
            return None
        from_display = self.between(display, DISPLAY_INTERCHANGE)
        to_working = self.between(SCENE_INTERCHANGE, self.working_space)
        ap0 = np.linalg.inv(AP0_TO_XYZ_D65).T.astype(np.float32)
        return on_colour(lambda codes: to_working(_times(from_display(codes), ap0)))

    def view_undone(self, choice: ViewChoice | None = None) -> Step:
        """From codes of a view, the project's if none is given, to light in the working space. Raises BadInput for a
        view that has no inverse."""
        return processed(inverse_view_processor(self.config, self.working_space, choice or self.choice))


def texture_space(config: ocio.Config) -> str | None:
    """The config's scene-referred space with the primaries and curve of sRGB, by its colours; None where there is
    none."""
    srgb = BY_INTEROP_ID["srgb_rec709_scene"]
    return next(iter(spaces_with(config, srgb.gamut, srgb.curve)), None)


def processed(processor: ocio.CPUProcessor) -> Step:
    """What a processor of the engine does, as a step."""
    return on_colour(lambda numbers: apply(processor, np.ascontiguousarray(numbers)))


def _times(numbers: Pixels, matrix: Pixels) -> Pixels:
    """Colours times a matrix; those that are not finite stay so, in silence."""
    with np.errstate(invalid="ignore", over="ignore"):
        return np.asarray(numbers @ matrix, np.float32)


def in_turn(*steps: Step) -> Step:
    """Several steps as one."""

    def step(numbers: Pixels) -> Pixels:
        for each in steps:
            numbers = each(numbers)
        return numbers

    return step


def divided(numbers: Pixels) -> Pixels:
    """Colour by alpha, where there is any."""
    if numbers.shape[-1] < 4:
        return numbers
    return straight(numbers)


def multiplied(numbers: Pixels) -> Pixels:
    """Colour times alpha, where there is one."""
    if numbers.shape[-1] < 4:
        return numbers
    return np.concatenate([numbers[..., :3] * numbers[..., 3:], numbers[..., 3:]], axis=-1)
