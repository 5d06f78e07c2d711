"""Pictures on their way through a view: cropped, sized in light, graded, with alpha kept or laid over a colour.

Sizes are changed in scene-linear light with associated alpha, by a filter that is nowhere negative (Blackman-Harris):
one with lobes would ring dark around every lamp.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.deliverables.foreseen import Subject, percent
from saltwort.core.deliverables.options import DISPLAY, LOOK, VIEW, option
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.processors import LARGEST_EXPOSURE, check_view
from saltwort.core.errors import BadInput
from saltwort.core.images import read_header
from saltwort.core.images.channels import STRAIGHT, colour_groups
from saltwort.core.images.reading import Pixels, read_picture_strips, read_pixels
from saltwort.core.views.grade import AFTER, BEFORE, NO_GRADE, NONE, Grade, check_grade, graded

FILTER = "blackman-harris"
WITHIN, FILL, EXACT = "within", "fill", "exact"
FITS = {WITHIN: "within, shape kept", FILL: "filled, edges cut", EXACT: "exactly, stretched"}
LARGEST_SIDE = 32_768
NEARLY_WHITE = 0.999


@dataclass(frozen=True)
class Source:
    """A picture that something is made of: its file, the space that its numbers are in, and which of its layers."""

    file: Path
    space: str
    layer: str = ""
    number: int | None = None
    """Of a frame in its sequence."""
    called: str = ""
    """Where people know it by another name than that of the file."""
    beside: tuple[Path, ...] = ()
    """Some frames of the same sequence: what is data in one of them is data in all."""

    @property
    def name(self) -> str:
        return self.called or self.file.name


@dataclass(frozen=True)
class Doubt:
    """Something about a finished file that does not fit together: a code that scripts can rely on, and a sentence."""

    code: str
    sentence: str


@dataclass(frozen=True)
class Framing:
    """What of a picture is delivered, and how large: a crop as `x y width height` in pixels from the upper left, empty
    for all; and a size in pixels, 0 where it follows from the other side or from the picture."""

    crop: str = ""
    width: int = 0
    height: int = 0
    fit: str = WITHIN

    @property
    def is_whole(self) -> bool:
        return not (self.crop.strip() or self.width or self.height)


@dataclass(frozen=True)
class Box:
    x: int
    y: int
    width: int
    height: int


@dataclass(frozen=True)
class Look:
    """What is done to a picture on its way to the file: brighter by `exposure` stops, graded, through a view."""

    view: ViewChoice
    exposure: float = 0.0
    grade: Grade = NO_GRADE


def crop_of(framing: Framing, width: int, height: int) -> Box:
    """The part of a picture of this size that is delivered. Raises BadInput for one that does not lie in it."""
    if not framing.crop.strip():
        return Box(0, 0, width, height)
    parts = framing.crop.replace(",", " ").split()
    if len(parts) != 4 or not all(part.isdigit() for part in parts):
        raise BadInput("A crop is four whole numbers: x, y, width and height in pixels.", "crop")
    box = Box(*map(int, parts))
    if not (box.width and box.height and box.x + box.width <= width and box.y + box.height <= height):
        raise BadInput(f"The crop does not lie within the picture of {width} × {height} pixels.", "crop")
    return box


def size_of(framing: Framing, box: Box) -> tuple[int, int]:
    """Width and height of what is delivered of a box of the picture."""
    if not (framing.width or framing.height):
        return box.width, box.height
    if framing.width and framing.height and framing.fit != WITHIN:
        return framing.width, framing.height
    scales = [wanted / is_ for wanted, is_ in ((framing.width, box.width), (framing.height, box.height)) if wanted]
    scale = min(scales)
    return max(1, round(box.width * scale)), max(1, round(box.height * scale))


class Through:
    """Colours of a space on their way through a look, float32 with three channels in the last axis, to code values. A
    view that shows a file's own numbers gives those of the space `numbers_in`, where the colours are not in it."""

    def __init__(self, config: ocio.Config, space: str, look: Look, numbers_in: str = "") -> None:
        self._config, self._look = config, look
        self._is_graded = look.grade.place != NONE
        first = ocio.ROLE_SCENE_LINEAR if self._is_graded else space
        self._to_light = space_processor(config, space, first)
        exposure = 0.0 if self._is_graded else look.exposure
        self._view = view_processor(config, first, look.view, exposure, numbers_in or space)

    def __call__(self, colour: Pixels) -> Pixels:
        if not self._is_graded:
            return apply(self._view, colour)
        light = apply(self._to_light, colour) * np.float32(2.0**self._look.exposure)
        codes = apply(self._view, graded(self._config, light, self._look.grade, BEFORE))
        return graded(self._config, codes, self._look.grade, AFTER)


class ShownPicture:
    """A picture through a view. `size` is (width, height) and `has_alpha` tells whether strips have a fourth channel,
    straight alpha. Raises BadInput for what the config or the file cannot give."""

    def __init__(
        self, config: ocio.Config, source: Source, look: Look, framing: Framing | None = None, *, alpha: bool = False
    ) -> None:
        self._source = source
        self._framing = framing or Framing()
        header = read_header(source.file, source.layer)
        self._is_straight = header.alpha == STRAIGHT
        self._box = crop_of(self._framing, *header.picture_size)
        self.size = size_of(self._framing, self._box)
        groups = colour_groups(header.channel_names)[:1]
        self.has_alpha = alpha and any(group.alpha is not None for group in groups)
        self._is_resized = self.size != (self._box.width, self._box.height)
        self._to_light = space_processor(config, source.space, ocio.ROLE_SCENE_LINEAR)
        space = ocio.ROLE_SCENE_LINEAR if self._is_resized else source.space
        self._through = Through(config, space, look, source.space)

    def strips(self) -> Iterator[Pixels]:
        """Code values from top to bottom, float32 (rows, width, 3 or 4)."""
        if self._is_resized:
            colour, alpha = _parted(self._resized())
            yield _joined(self._through(colour), alpha)
            return
        box = self._box
        for start, strip in read_picture_strips(self._source.file, self._source.layer, alpha=self.has_alpha):
            rows = strip[max(0, box.y - start) : max(0, box.y + box.height - start), box.x : box.x + box.width]
            if not len(rows):
                continue
            colour, alpha = _parted(rows)
            if alpha is not None and not self._is_straight:
                colour = _divided(colour, alpha)
            yield _joined(self._through(colour), alpha)

    def _resized(self) -> Pixels:
        """Light in the working space at its new size, straight alpha."""
        whole = read_pixels(self._source.file, self._source.layer, alpha=self.has_alpha)
        box = self._box
        colour, alpha = _parted(whole[box.y : box.y + box.height, box.x : box.x + box.width])
        light = apply(self._to_light, colour)
        if alpha is not None and self._is_straight:
            light = light * alpha
        scaled = scaled_light(_joined(light, alpha), self.size, self._framing.fit)
        colour, alpha = _parted(scaled)
        return _joined(colour if alpha is None else _divided(colour, alpha), alpha)


@dataclass(frozen=True)
class ViewSettings:
    """Settings of a kind that goes through a view."""

    display: str = option("", "Display", kind=DISPLAY)
    view: str = option("", "View", kind=VIEW)
    look: str = option("", "Look", kind=LOOK)

    @property
    def choice(self) -> ViewChoice:
        return ViewChoice(self.display, self.view, self.look)


@dataclass(frozen=True)
class ShownSettings(ViewSettings):
    """Settings of a kind that holds pictures through a view."""

    exposure: float = option(0.0, "Exposure", limits=(-LARGEST_EXPOSURE, LARGEST_EXPOSURE), unit="stops")
    use_grade: bool = option(False, "Grade of Compare", use="The grade as it stands there when this is made.")
    width: int = option(0, "Width", limits=(0, LARGEST_SIDE), unit="pixels", use="0 keeps the picture’s own.")
    height: int = option(0, "Height", limits=(0, LARGEST_SIDE), unit="pixels", use="0 keeps the picture’s shape.")
    fit: str = option(WITHIN, "Fitted", choices=FITS)
    crop: str = option("", "Crop", use="x y width height in pixels, before it is sized.")
    grade: Grade = field(default=NO_GRADE)

    def check(self, config: ocio.Config) -> None:
        """Raise BadInput for a view that the config lacks, or a grade that cannot be."""
        check_view(config, self.choice)
        if self.use_grade:
            check_grade(self.grade)

    def picture(self, config: ocio.Config, source: Source, *, alpha: bool = False) -> "ShownPicture":
        """A picture as these settings have it shown."""
        return ShownPicture(config, source, self.chosen_look, self.framing, alpha=alpha)

    @property
    def chosen_look(self) -> Look:
        return Look(self.choice, self.exposure, self.grade if self.use_grade else NO_GRADE)

    @property
    def framing(self) -> Framing:
        return Framing(self.crop, self.width, self.height, self.fit)

    def foreseen_size(self, subject: Subject) -> tuple[int, int]:
        """Width and height of what is made of a picture."""
        return size_of(self.framing, crop_of(self.framing, *subject.facts.header.picture_size))

    def foreseen_losses(self, config: ocio.Config, subject: Subject, slack: float | None) -> Iterator[str]:
        """What the view and the framing do not keep of a picture, told by its sample; `slack` is how far beyond 0–1 a
        code value is rounded and not cut, None where the format holds all."""
        header = subject.facts.header
        codes = Through(config, subject.space, self.chosen_look)(subject.colours)
        finite = np.nan_to_num(codes, nan=0.0, posinf=2.0, neginf=-1.0)
        if white := float(np.mean((finite >= NEARLY_WHITE).all(axis=-1))):
            yield f"{percent(white)} of the picture is pure white, with no detail."
        if slack is not None and (cut := float(np.mean((finite > 1 + slack) | (finite < -slack)))):
            yield f"{percent(cut)} of the code values lie outside 0–1, and are cut."
        width, height = header.picture_size
        if self.foreseen_size(subject) != (width, height):
            yield "It is {} × {} of {} × {} pixels.".format(*self.foreseen_size(subject), width, height)
        yield from subject.losses_of_all()


def of_another_size(meant: tuple[int, int], found: tuple[int, int]) -> Doubt:
    """A finished picture of another size than its recipe makes of its render."""
    return Doubt(
        "other-size",
        f"The recipe makes {meant[0]} × {meant[1]} pixels of this render; this has {found[0]} × {found[1]}.",
    )


def size_doubts(settings: ShownSettings, says: Mapping[str, Any]) -> Iterator[Doubt]:
    """Whether a finished picture is larger than these settings let it be."""
    for name, wanted in (("width", settings.width), ("height", settings.height)):
        if wanted and says[name] > wanted:
            yield Doubt("other-size", f"The recipe’s {name} is {wanted} pixels; this has {says[name]}.")


def scaled_light(light: Pixels, size: tuple[int, int], fit: str) -> Pixels:
    """Light, (height, width, 3 or 4) with associated alpha, at another size (width, height); where a picture of another
    shape is to fill it, what stands over is cut evenly."""
    height, width, channels = light.shape
    if fit == FILL and (scale := max(size[0] / width, size[1] / height)):
        kept = min(width, max(1, round(size[0] / scale))), min(height, max(1, round(size[1] / scale)))
        x, y = (width - kept[0]) // 2, (height - kept[1]) // 2
        light = light[y : y + kept[1], x : x + kept[0]]
    target = oiio.ROI(0, size[0], 0, size[1], 0, 1, 0, channels)
    scaled = oiio.ImageBufAlgo.resize(oiio.ImageBuf(np.ascontiguousarray(light)), FILTER, roi=target)
    return np.asarray(scaled.get_pixels("float"), np.float32)


def laid_over(codes: Pixels, background: tuple[float, float, float]) -> Pixels:
    """A picture with straight alpha laid over a colour of its display, as a web page or an image editor shows it."""
    colour, alpha = _parted(codes)
    return (
        colour
        if alpha is None
        else np.asarray(colour * alpha + np.array(background, np.float32) * (1 - alpha), np.float32)
    )


def quantised(codes: Pixels, bits: int, noise: np.random.Generator | None) -> NDArray[np.unsignedinteger]:
    """Code values on 0–1 as whole steps of 8 or 16 bits; what is no number is black. With `noise` they are dithered: by
    triangular noise of one step either way (S. P. Lipshitz and others, J. Audio Eng. Soc. 40, 1992), which leaves no
    bands and no trace of the picture in the error. Black, white and alpha stay clean."""
    top = (1 << bits) - 1
    steps = np.clip(np.nan_to_num(codes, nan=0.0, posinf=1.0, neginf=0.0), 0, 1) * np.float32(top)
    if noise is not None:
        shape = (*steps.shape[:2], 3)
        moved = noise.random(shape, np.float32) - noise.random(shape, np.float32)
        colour = steps[..., :3]
        colour += np.where((colour > 0) & (colour < top), moved, np.float32(0))
    whole: NDArray[np.unsignedinteger] = np.clip(np.floor(steps + np.float32(0.5)), 0, top).astype(
        np.uint8 if bits == 8 else np.uint16
    )
    return whole


def fitting(numbers: Pixels, limits: tuple[float, float]) -> Pixels:
    """Numbers cut to what samples of a float type hold. NaN and infinite values stay."""
    with np.errstate(invalid="ignore"):
        return np.where(np.isfinite(numbers), np.clip(numbers, *limits), numbers).astype(np.float32)


def highest_finite(numbers: Pixels) -> float:
    """The largest of numbers that is finite; −∞ where there is none."""
    return float(numbers.max(initial=-np.inf, where=np.isfinite(numbers)))


def _parted(pixels: Pixels) -> tuple[Pixels, Pixels | None]:
    return np.ascontiguousarray(pixels[..., :3]), (pixels[..., 3:] if pixels.shape[-1] == 4 else None)


def _joined(colour: Pixels, alpha: Pixels | None) -> Pixels:
    return colour if alpha is None else np.concatenate([colour, alpha], axis=-1)


def _divided(colour: Pixels, alpha: Pixels) -> Pixels:
    """Associated colour as straight; light at an alpha of 0 stays, since it is added to what is behind."""
    return np.asarray(np.divide(colour, alpha, out=colour.copy(), where=alpha > 0), np.float32)
