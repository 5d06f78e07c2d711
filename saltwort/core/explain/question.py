"""What is asked of a picture that came back: the picture, how its file is coded, and what it should be."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.places import Coding
from saltwort.core.images.alpha import OPAQUE, associated, straight
from saltwort.core.images.headers import SAMPLE_TYPES, Header
from saltwort.core.images.reading import Pixels

Depth = Literal["8 bits", "JPEG", "16 bits", "half", "float"]
CLIPPED_DEPTHS: tuple[Depth, ...] = ("8 bits", "JPEG", "16 bits")
"""Of files that hold 0–1."""
LOSSY_DEPTH: Depth = "JPEG"
FLOATS = (SAMPLE_TYPES["half"], SAMPLE_TYPES["float"])
DEEP = ("12-bit", SAMPLE_TYPES["uint16"])
LOSSY = (".jpg", ".jpeg", ".avif", ".jxl", ".webp")
STEP: Mapping[str, float] = {"8 bits": 1.2 / 255, "JPEG": 3 / 255, "16 bits": 1.5e-3, "half": 3e-3, "float": 3e-3}
"""How far a sample may be off by its coding alone: of code values, or of light as a part of it."""


@dataclass(frozen=True)
class Question:
    """A picture, (height, width, 3 or 4) in its own numbers with straight alpha, and what it should be: light in the
    working space, with associated alpha where it has any, through a view or as it is."""

    picture: Pixels
    depth: Depth
    light: Pixels
    config: ocio.Config
    choice: ViewChoice
    expects_light: bool

    @property
    def scene(self) -> Scene:
        return Scene(self.config, self.choice, self.expects_light)

    @property
    def is_clipped(self) -> bool:
        return self.depth in CLIPPED_DEPTHS

    @property
    def coding(self) -> Coding:
        return Coding(
            STEP[self.depth],
            clips=self.is_clipped,
            lossy=self.depth == LOSSY_DEPTH,
            linear=self.expects_light and not self.is_clipped,
        )

    def with_alpha_alike(self) -> "Question":
        """The same with alpha alike on both sides: straight colour through a view, associated where light is expected.
        A picture without alpha shows colour as the light has it."""
        if self.picture.shape[2] < 4 or self.light.shape[2] < 4 or (self.picture[..., 3] > OPAQUE).all():
            return self
        if self.expects_light:
            return replace(self, picture=associated(self.picture))
        return replace(self, light=straight(self.light))


def depth_of(header: Header, suffix: str) -> Depth:
    """How a file is coded, as far as it matters here."""
    if suffix.lower() in LOSSY:
        return "JPEG"
    if header.bit_depth in FLOATS:
        return "half" if header.bit_depth == FLOATS[0] else "float"
    return "16 bits" if header.bit_depth in DEEP else "8 bits"
