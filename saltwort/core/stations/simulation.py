"""One application simulated by what it can do: the arithmetic from the file that it is fed to what it shows, and to the
file that it hands on."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.matching import spaces_with
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, DISPLAY_INTERCHANGE, SCENE_INTERCHANGE, space_of_view
from saltwort.core.engine.processors import inverse_view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.luts.tables import Shaper, processor_of, sampled
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.spaces.encodings import BY_INTEROP_ID
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, SRGB, loads_config
from saltwort.core.stations.abilities.hands_on import HANDS_ON, NOTHING, PICTURES, TEXTURES
from saltwort.core.stations.abilities.takes import PICTURES as TAKES_PICTURES
from saltwort.core.stations.abilities.takes import TAKES
from saltwort.core.stations.abilities.viewers import NONE, VIEWERS
from saltwort.core.stations.station import READS_TEXTURES, Station

Step = Callable[[Pixels], Pixels]
"""Numbers to numbers, float32 (height, width, 3 or 4); alpha passes."""
Form = Literal["light", "texture", "picture"]
"""What a file holds: light in the working space, colour as textures have it, or codes of the view's display."""
LUT_EDGE = 65
LUT_STOPS = (-10.0, 6.5)
"""Of a LUT that stands for the view, and the stops of its shaper around middle grey, as Outputs makes it."""


@dataclass(frozen=True)
class Run:
    """What an application does: to the numbers of a file until they are light, to light until it is seen, and to light
    until it is in a file again."""

    read: tuple[Step, ...]
    show: tuple[Step, ...]
    write: tuple[Step, ...]

    def light(self, numbers: Pixels) -> Pixels:
        return _through(self.read, numbers)

    def shown(self, numbers: Pixels) -> Pixels:
        """Code values on the screen, not clipped."""
        return _through(self.show, self.light(numbers))

    def written(self, numbers: Pixels) -> Pixels:
        """Numbers of the file that it hands on."""
        return _through(self.write, self.light(numbers))


def _through(steps: tuple[Step, ...], numbers: Pixels) -> Pixels:
    for step in steps:
        numbers = step(numbers)
    return numbers


def on_colour(change: Callable[[Pixels], Pixels]) -> Step:
    """A step that leaves alpha alone."""

    def step(numbers: Pixels) -> Pixels:
        changed = np.array(numbers, np.float32)
        changed[..., :3] = change(changed[..., :3])
        return changed

    return step


@dataclass(frozen=True)
class Bench:
    """An application with all that its arithmetic follows from: the config and view of the project, and the form in
    which it is fed."""

    station: Station
    config: ocio.Config
    choice: ViewChoice
    fed: Form

    @cached_property
    def working_space(self) -> str:
        name: str = self.config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
        return name

    @cached_property
    def texture_space(self) -> str | None:
        """The config's space of pictures in sRGB that are read as surfaces; None where it has none."""
        return texture_space(self.config)

    @property
    def fed_space(self) -> str | None:
        """The space in which the file that it is fed is to be read; None for finished pictures, which are not read."""
        return {"light": self.working_space, "texture": self.texture_space, "picture": None}[self.fed]

    @property
    def hands_on(self) -> Form | None:
        """The form of the file that it hands on; None where it hands on nothing."""
        handed = self.station.able(HANDS_ON)
        if handed == NOTHING:
            return None
        if self.fed == "picture" or handed == PICTURES:
            return "picture"
        return "texture" if handed == TEXTURES else "light"

    @property
    def shows(self) -> bool:
        """Whether what is seen in it can be held against the project's view, or against a picture that is known."""
        return not loads_config(self.station) or self.station.able(VIEWERS) != NONE

    def between(self, source: str, target: str) -> Step:
        """From one space of the config to another."""
        return _processed(space_processor(self.config, source, target))

    def view(self, choice: ViewChoice | None = None) -> Step:
        """From light in the working space through a view, the project's if none is given."""
        return _processed(view_processor(self.config, self.working_space, choice or self.choice))

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
        return on_colour(lambda light: to_display(np.asarray(to_ap0(light) @ xyz, np.float32)))

    @cached_property
    def encoding_undone(self) -> Step | None:
        """From codes of the display to light in the working space, what `encoded_only` does undone."""
        display = space_of_view(self.config, self.choice)
        if display is None or not self.config.hasRole(SCENE_INTERCHANGE):
            return None
        from_display = self.between(display, DISPLAY_INTERCHANGE)
        to_working = self.between(SCENE_INTERCHANGE, self.working_space)
        ap0 = np.linalg.inv(AP0_TO_XYZ_D65).T.astype(np.float32)
        return on_colour(lambda codes: to_working(np.asarray(from_display(codes) @ ap0, np.float32)))

    def view_undone(self) -> Step:
        """From codes of the view to light in the working space. Raises BadInput for a view that has no inverse."""
        return _processed(inverse_view_processor(self.config, self.working_space, self.choice))

    def agreed(self) -> Run:
        """What it does when all is set as its sheet says."""
        if self.fed == "picture":
            return Run((), (), ())
        assert self.fed_space is not None
        read = () if self.fed_space == self.working_space else (self.between(self.fed_space, self.working_space),)
        if self.hands_on == "texture" and self.texture_space:
            write: tuple[Step, ...] = (self.between(self.working_space, self.texture_space),)
        else:
            write = (self.view(),) if self.hands_on == "picture" else ()
        return Run(read, self._shows_agreed(), write)

    def _shows_agreed(self) -> tuple[Step, ...]:
        managed = self.station.able(COLOUR_BY)
        if managed == LUT:
            return (self._lut,)
        if managed == SRGB or (managed == ICC and self.encoded_only is None):
            return (self._as_srgb,)
        if managed == ICC:
            assert self.encoded_only is not None
            return (self.encoded_only,)
        return (self.view(),)

    @cached_property
    def _lut(self) -> Step:
        low, high = (float(MIDDLE_GREY * 2.0**stops) for stops in LUT_STOPS)
        exact = view_processor(self.config, self.working_space, self.choice)
        return _processed(processor_of(sampled(exact, LUT_EDGE, Shaper(low, high), cube=True)))

    @cached_property
    def _as_srgb(self) -> Step:
        """As an application shows light that knows only sRGB: textures look as they are in the file."""
        if self.fed == "texture" and self.texture_space:
            return self.between(self.working_space, self.texture_space)
        return on_colour(encoded_as_srgb)


def encoded_as_srgb(light: Pixels) -> Pixels:
    """Any light through the curve of sRGB, channel by channel, clipped to 0–1 before."""
    return srgb_encoded(np.clip(np.asarray(light, np.float64), 0, 1)).astype(np.float32)


def texture_space(config: ocio.Config) -> str | None:
    """The config's scene-referred space with the primaries and curve of sRGB, by its colours; None where there is
    none."""
    srgb = BY_INTEROP_ID["srgb_rec709_scene"]
    return next(iter(spaces_with(config, srgb.gamut, srgb.curve)), None)


def form_fed(station: Station) -> Form:
    """In which form a station is fed."""
    if station.reads == READS_TEXTURES:
        return "texture"
    return "picture" if station.able(TAKES) == TAKES_PICTURES else "light"


def _processed(processor: ocio.CPUProcessor) -> Step:
    return on_colour(lambda numbers: apply(processor, np.ascontiguousarray(numbers)))


def altered(run: Run, **stages: tuple[Step, ...]) -> Run:
    """The run with other steps in some of its stages."""
    return replace(run, **stages)


def is_possible(make: Callable[[], Step]) -> Step | None:
    """A step where the config can make it."""
    try:
        return make()
    except BadInput:
        return None
