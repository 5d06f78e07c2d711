"""Test cards: patches whose values tell mistakes apart, with marks by which they are found in whatever comes back.

A card is the same picture in each form: light in the working space, colour as textures have it, or a finished picture.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from saltwort.core.configs.tags import handoff_tags, still_tags, texture_tags
from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE
from saltwort.core.images import write_image
from saltwort.core.images.lettering import lettering
from saltwort.core.images.reading import Pixels
from saltwort.core.images.writing import Attribute
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.curves import SRGB, Curve
from saltwort.core.spaces.gamuts import REC709, rgb_to_xyz, solve
from saltwort.core.stations.handshake.marks import CardMark, bits_of
from saltwort.core.stations.simulation import Bench

WIDTH, HEIGHT = 1024, 640
COLUMNS, ROWS = 16, 8
LEFT, TOP, PITCH_X, PITCH_Y = 32, 112, 60, 52
PATCH_X, PATCH_Y = 52, 44
EDGE = 32
MARK = 56
"""Side of the marks in the corners, which lie EDGE from the edges; their middle is open for 3/7 of it."""
STRIP_LEFT, STRIP_TOP, CELL_X, CELL_Y = 128, 40, 16, 40
COUNT = COLUMNS * ROWS
_STEPS_AT = 110
"""The code value of 8 bits where the steps begin."""
_LEGAL_TRAP = (0, 8, 16, 24, 128, 230, 235, 255)
_SURFACES = (
    (0.33, 0.19, 0.125),
    (0.09, 0.042, 0.026),
    (0.12, 0.19, 0.045),
    (0.05, 0.09, 0.22),
    (0.42, 0.12, 0.06),
    (0.5, 0.42, 0.1),
    (0.08, 0.24, 0.26),
    (0.28, 0.1, 0.3),
)
"""Linear Rec.709 reflectances made up for this, where a project has no swatches."""


@dataclass(frozen=True)
class Card:
    """The patches of a card for a bench, and what it says of itself. `swatches` are light in the working space."""

    bench: Bench
    mark: CardMark
    title: str
    swatches: Sequence[tuple[float, float, float]] = ()

    @cached_property
    def light(self) -> NDArray[np.float32]:
        """The patches as light in the working space, (COUNT, 4), associated alpha."""
        rows = (
            self._greys(),
            self._primaries(),
            self._swatches(),
            self._lamps(),
            _ramp(),
            self._steps(),
            self._trap(),
            _edges(),
        )
        patches = np.ones((ROWS, COLUMNS, 4), np.float64)
        for index, row in enumerate(rows):
            patches[index, :, : row.shape[1]] = row
        return patches.reshape(COUNT, 4).astype(np.float32)

    @cached_property
    def numbers(self) -> NDArray[np.float32]:
        """The patches as the file holds them, (COUNT, 4): of textures and pictures in 16 bits, without alpha."""
        return np.asarray(self._in_file(self.light[np.newaxis])[0])

    @property
    def is_light(self) -> bool:
        return self.bench.fed == "light"

    def picture(self) -> Pixels:
        """The card as the file holds it, float32 (HEIGHT, WIDTH, 4) for light, else 3."""
        light = np.ones((HEIGHT, WIDTH, 4), np.float32)
        light[..., :3] = MIDDLE_GREY
        for index, patch in enumerate(self.light):
            left, top = patch_corner(index)
            light[top : top + PATCH_Y, left : left + PATCH_X] = patch
        ink = np.asarray(self._ink(), bool)
        light[ink] = (0.0, 0.0, 0.0, 1.0)
        return light if self.is_light else self._in_file(light)[..., :3]

    def files(self, folder: Path) -> list[Path]:
        """Write the card in the files that a station may read, tagged and untagged, and give their paths."""
        picture = self.picture()
        named = {"light": "test_card_light", "texture": "test_card_texture", "picture": "test_card_picture"}
        stem = named[self.bench.fed]
        kinds: list[tuple[str, str, bool]] = [(".exr", "half", True), ("_untagged.exr", "half", False)]
        if not self.is_light:
            kinds = [(".png", "uint16", True), ("_8bit.png", "uint8", True), (".tif", "uint16", True)]
            kinds.append(("_untagged.png", "uint16", False))
        written = []
        for ending, sample_type, tagged in kinds:
            path = folder / f"{stem}{ending}"
            write_image(path, picture, sample_type, self._tags(path.suffix) if tagged else _untagged(path.suffix))
            written.append(path)
        return written

    def write_expected(self, folder: Path) -> Path:
        """Write what the card holds and how it is to come back, patch by patch, as JSON."""
        run, fed = self.bench.agreed(), self.numbers[np.newaxis]
        shown = run.shown(fed)[0] if self.bench.shows else None
        written = run.written(fed)[0] if self.bench.hands_on else None
        patches = [
            {
                "patch": patch_told(index),
                "in the card": _rounded(self.numbers[index]),
                "shown": None if shown is None else _rounded(np.clip(shown[index, :3], 0, 1)),
                "written": None if written is None else _rounded(written[index, :3]),
            }
            for index in range(COUNT)
        ]
        told = {"card": self.title, "read as": self.bench.fed_space or "a finished picture", "patches": patches}
        path = folder / "expected.json"
        path.write_text(json.dumps(told, ensure_ascii=False, indent=1) + "\n")
        return path

    def _tags(self, suffix: str) -> Mapping[str, Attribute]:
        bench = self.bench
        if bench.fed == "light":
            return handoff_tags(bench.config, bench.working_space)
        if bench.fed == "picture":
            return still_tags(bench.config, bench.choice, suffix)
        assert bench.texture_space is not None
        return texture_tags(bench.config, bench.texture_space, suffix)

    def _in_file(self, light: Pixels) -> Pixels:
        bench = self.bench
        if self.is_light:
            return light
        numbers = np.ones_like(light)
        if bench.fed == "picture":
            step = bench.view()
        else:
            assert bench.texture_space is not None
            step = bench.between(bench.working_space, bench.texture_space)
        numbers[..., :3] = np.round(np.clip(step(light[..., :3]), 0, 1) * 65535) / 65535
        return numbers

    def _ink(self) -> Image.Image:
        """What is black beside the patches: marks in the corners, the strip of cells, and the words below."""
        page = Image.new("1", (WIDTH, HEIGHT))
        draw = ImageDraw.Draw(page)
        for left, top in mark_corners():
            draw.rectangle((left, top, left + MARK - 1, top + MARK - 1), fill=1)
            hole = MARK * 2 // 7
            draw.rectangle((left + hole, top + hole, left + MARK - 1 - hole, top + MARK - 1 - hole), fill=0)
        for index, bit in enumerate(bits_of(self.mark)):
            if bit:
                left = STRIP_LEFT + index * CELL_X
                draw.rectangle((left, STRIP_TOP, left + CELL_X - 1, STRIP_TOP + CELL_Y - 1), fill=1)
        font = lettering(self.title, 24)
        shown = self.title if draw.textlength(self.title, font) < WIDTH - 240 else self.title[:60] + "…"
        draw.text((STRIP_LEFT, HEIGHT - 74), shown, fill=1, font=font)
        return page

    def _from_rec709(self, light: NDArray[np.float64]) -> NDArray[np.float64]:
        """Linear Rec.709 in the working space; as it is where the config does not tell what its numbers mean."""
        config = self.bench.config
        if not config.hasRole(SCENE_INTERCHANGE):
            return light
        ap0 = light @ solve(AP0_TO_XYZ_D65, rgb_to_xyz(REC709)).T
        processor = space_processor(config, SCENE_INTERCHANGE, self.bench.working_space)
        return np.asarray(apply(processor, ap0[np.newaxis].astype(np.float32))[0], np.float64)

    def _greys(self) -> NDArray[np.float64]:
        return _grey(MIDDLE_GREY * 2.0 ** np.arange(-8, 8))

    def _primaries(self) -> NDArray[np.float64]:
        corners = np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 0], [0, 1, 1], [1, 0, 1]], float)
        of_display = self._from_rec709(0.8 * corners)
        of_working = np.concatenate([0.5 * corners[:3], MIDDLE_GREY * corners[:3]])
        return np.vstack([of_working, of_display, _grey(np.array([0.0, 1.0, 0.9, 0.5]))])

    def _swatches(self) -> NDArray[np.float64]:
        own = np.array(list(self.swatches)[:COLUMNS], float).reshape(-1, 3)
        filled = self._from_rec709(np.array(_SURFACES * 2) * np.repeat([1.0, 0.4], len(_SURFACES))[:, np.newaxis])
        return np.concatenate([own, filled])[:COLUMNS]

    def _lamps(self) -> NDArray[np.float64]:
        """Lamps as no display shows them: the primaries of the working space far above 1, and beyond its gamut."""
        corners = np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 0.5, 0]], float)
        beyond = self._from_rec709(np.array([[0.9, -0.05, 0.02], [-0.1, 0.6, 0.1], [0.02, -0.08, 0.8], [1, 0.4, -0.1]]))
        return np.concatenate([3.0 * corners, 20.0 * corners, 8.0 * corners + 0.4, beyond])

    def _steps(self) -> NDArray[np.float64]:
        """Greys between the steps of 8 bits: a file that was in 8 bits on the way has other numbers."""
        codes = (_STEPS_AT + np.arange(COLUMNS) + 1 / 3) / 255
        return _grey(Curve(SRGB).decode(codes))

    def _trap(self) -> NDArray[np.float64]:
        """Codes at the ends of the legal range, and colours of surfaces."""
        return np.concatenate(
            [_grey(Curve(SRGB).decode(np.array(_LEGAL_TRAP) / 255)), self._from_rec709(np.array(_SURFACES))]
        )


ROW_NAMES = (
    "greys in stops",
    "primaries",
    "swatches",
    "saturated lamps",
    "light above 1",
    "steps of 8 bits",
    "ends of the range, and surfaces",
    "edges with alpha",
)


def patch_told(index: int) -> str:
    """A patch in words."""
    row, column = divmod(index, COLUMNS)
    return f"{ROW_NAMES[row]}, patch {column + 1}"


def _rounded(numbers: NDArray[np.float32]) -> list[float]:
    return [round(float(number), 6) for number in numbers]


def patch_corner(index: int) -> tuple[int, int]:
    """Left and top of a patch."""
    row, column = divmod(index, COLUMNS)
    return LEFT + column * PITCH_X, TOP + row * PITCH_Y


def mark_corners() -> tuple[tuple[int, int], ...]:
    """Left and top of the marks, row by row."""
    right, bottom = WIDTH - EDGE - MARK, HEIGHT - EDGE - MARK
    return (EDGE, EDGE), (right, EDGE), (EDGE, bottom), (right, bottom)


def _grey(light: NDArray[np.floating]) -> NDArray[np.float64]:
    return np.repeat(np.asarray(light, np.float64)[:, np.newaxis], 3, axis=1)


def _ramp() -> NDArray[np.float64]:
    """Light to far above 1, neutral and warm."""
    warm = np.array([1.0, 0.62, 0.28]) * 2.0 ** np.arange(0, 10, 2)[:, np.newaxis]
    return np.concatenate([_grey(2.0 ** np.arange(11)), warm])


def _edges() -> NDArray[np.float64]:
    """Colours under coverage, associated, with alpha."""
    alphas = np.array([0.25, 0.5, 0.75, 1.0])
    colours = np.array([[0.6, 0.6, 0.6], [0.5, 0.05, 0.04], [0.06, 0.4, 0.08], [0.9, 0.9, 1.8]])
    return np.array([[*(colour * alpha), alpha] for colour in colours for alpha in alphas])


def _untagged(suffix: str) -> Mapping[str, Attribute]:
    return {"compression": "zip"} if suffix == ".exr" else {}
