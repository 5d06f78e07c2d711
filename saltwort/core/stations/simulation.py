"""One application simulated by what it can do: the arithmetic from the file that it is fed to what it shows, and to the
file that it hands on."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.explain.steps import ColourSteps, Step, in_turn, on_colour, processed, texture_space
from saltwort.core.images.reading import Pixels
from saltwort.core.luts.tables import Shaper, processor_of, sampled
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, SRGB, loads_config
from saltwort.core.stations.abilities.hands_on import HANDS_ON, NOTHING, PICTURES, TEXTURES
from saltwort.core.stations.abilities.takes import PICTURES as TAKES_PICTURES
from saltwort.core.stations.abilities.takes import TAKES
from saltwort.core.stations.abilities.viewers import NONE, VIEWERS
from saltwort.core.stations.station import READS_TEXTURES, Station

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
        return in_turn(*self.read)(numbers)

    def shown(self, numbers: Pixels) -> Pixels:
        """Code values on the screen, not clipped."""
        return in_turn(*self.show)(self.light(numbers))

    def written(self, numbers: Pixels) -> Pixels:
        """Numbers of the file that it hands on."""
        return in_turn(*self.write)(self.light(numbers))


@dataclass(frozen=True)
class Bench(ColourSteps):
    """An application with all that its arithmetic follows from: the config and view of the project, and the form in
    which it is fed."""

    station: Station
    config: ocio.Config
    choice: ViewChoice
    fed: Form

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
        return processed(processor_of(sampled(exact, LUT_EDGE, Shaper(low, high), cube=True)))

    @cached_property
    def _as_srgb(self) -> Step:
        """As an application shows light that knows only sRGB: textures look as they are in the file."""
        if self.fed == "texture" and self.texture_space:
            return self.between(self.working_space, self.texture_space)
        return on_colour(encoded_as_srgb)


def encoded_as_srgb(light: Pixels) -> Pixels:
    """Any light through the curve of sRGB, channel by channel, clipped to 0–1 before."""
    return srgb_encoded(np.clip(np.asarray(light, np.float64), 0, 1)).astype(np.float32)


def form_fed(station: Station, config: ocio.Config) -> Form:
    """In which form a station is fed. Where the config has no space of textures in sRGB, textures are light."""
    if station.reads == READS_TEXTURES:
        return "texture" if texture_space(config) else "light"
    return "picture" if station.able(TAKES) == TAKES_PICTURES else "light"


def step_if_possible(make: Callable[[], Step]) -> Step | None:
    """A step where the config can make it."""
    try:
        return make()
    except BadInput:
        return None
