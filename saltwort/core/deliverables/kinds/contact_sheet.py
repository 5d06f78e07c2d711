"""One page of pictures with captions, for a supervisor: a render through all views, at each stage, or many pictures."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from saltwort.core.deliverables.foreseen import Foreseen, Subject, raw_bytes
from saltwort.core.deliverables.options import option
from saltwort.core.deliverables.registry import PICTURES, Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.shown import WITHIN, Box, Framing, Source, ViewSettings, scaled_light, size_of
from saltwort.core.deliverables.told import Facts
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.measured import space_of_view
from saltwort.core.engine.processors import LARGEST_EXPOSURE, check_view
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images import read_header, read_pixels, write_image
from saltwort.core.images.independent import pdf_pages, read_back
from saltwort.core.images.lettering import lettering
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.spaces.gamuts import REC709, rgb_to_xyz
from saltwort.core.views.tone import display_xyz

VIEWS, STAGES, MANY, TEXTURES = "views", "stages", "pictures", "textures"
WHATS = {
    VIEWS: "a render through all views",
    STAGES: "a render, stage by stage",
    MANY: "many pictures, or frames",
    TEXTURES: "the textures of the project",
}
OF_ONE = (VIEWS, STAGES)
FORMATS = {"png": "PNG", "pdf": "PDF, A4"}
PAGE = (2338, 1654)
"""A4 lying, at 200 pixels an inch."""
RESOLUTION = 200.0
EDGE, CAPTION, GAP = 60, 64, 24
PAPER, INK, QUIET = 58, 237, 179
"""Greys of the page: dark and neutral, so that the pictures are judged and not the page."""
MOST = 400
COMPRESSED = 2.0
"""Steps of 8 bits, in the mean, that the JPEG within a PDF may differ by."""
STOPS = (-2.0, 0.0, 2.0)


@dataclass(frozen=True)
class ContactSheetSettings(ViewSettings):
    what: str = option(VIEWS, "Shows", choices=WHATS, first=True)
    format: str = option("png", "Format", choices=FORMATS, first=True)
    exposure: float = option(0.0, "Exposure", limits=(-LARGEST_EXPOSURE, LARGEST_EXPOSURE), unit="stops")
    title: str = option("", "Title")


@dataclass(frozen=True)
class WrittenSheet:
    """A page: its size in pixels, how many pictures are on it, and which could not be read, with the reason."""

    width: int
    height: int
    pictures: int
    unreadable: tuple[str, ...]
    bytes: int


@dataclass(frozen=True)
class Cell:
    """A picture of the page, through a view, over its caption of two lines."""

    source: Source
    choice: ViewChoice
    exposure: float
    caption: str
    beside: str


@deliverable
class ContactSheet(Deliverable[ContactSheetSettings]):
    kind = "contact-sheet"
    label = "Contact sheet"
    use = "One page of all views, stages or pictures with captions, for looking on an sRGB screen or on paper."
    takes = PICTURES
    settings = ContactSheetSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return vars(chosen.view)

    def plan(self, config: ocio.Config, settings: ContactSheetSettings) -> None:
        check_view(config, settings.choice)

    def of_textures(self, settings: ContactSheetSettings) -> bool:
        return settings.what == TEXTURES

    def named(self, stem: str, revision: int, settings: ContactSheetSettings) -> str:
        return f"{stem}_{settings.what}_r{revision}.{settings.format}"

    def facts(self, config: ocio.Config, settings: ContactSheetSettings) -> Facts:
        through = {} if settings.what == VIEWS else {"view": f"{settings.view} on {settings.display}"}
        return {"shows": WHATS[settings.what], **through, "for": "a screen of sRGB"}

    def foresee(self, config: ocio.Config, settings: ContactSheetSettings, subject: Subject | None) -> Foreseen:
        return Foreseen(raw_bytes(PAGE, 3, 1), ("Small pictures of 8 bits, for looking.",))

    def make(
        self,
        config: ocio.Config,
        sources: Sequence[Source],
        settings: ContactSheetSettings,
        target: Path,
        progress: Progress,
    ) -> WrittenSheet:
        cells = _cells(config, sources, settings)
        columns, size = _grid(len(cells), _shape(sources[0]))
        page = Image.new("RGB", PAGE, (PAPER,) * 3)
        unreadable = []
        light: tuple[Source | None, Pixels] = (None, np.zeros((1, 1, 3), np.float32))
        _write_title(page, settings, sources)
        for number, cell in enumerate(cells):
            x = EDGE + number % columns * (size[0] + GAP)
            y = 2 * EDGE + number // columns * (size[1] + CAPTION + GAP)
            try:
                if cell.source is not light[0]:
                    light = cell.source, _light(config, cell.source, size)
                picture = Image.fromarray(_shown(config, cell, light[1]))
                page.paste(picture, (x + (size[0] - picture.width) // 2, y + (size[1] - picture.height) // 2))
            except BadInput as error:
                unreadable.append(f"{cell.source.name}: {error}")
            _write_caption(page, (x, y + size[1] + 6), cell, size[0])
            progress(0.95 * (number + 1) / len(cells), f"Picture {number + 1} of {len(cells)}")
        _save(page, settings, target)
        size = _read_again(target, settings, np.asarray(page))
        return WrittenSheet(*size, len(cells), tuple(unreadable), target.stat().st_size)

    def told(self, written: Mapping[str, Any]) -> Facts:
        unreadable = written["unreadable"]
        return {
            "size": f"{written['width']} × {written['height']}",
            "pictures": str(written["pictures"]),
            **({"could not be read": "; ".join(unreadable[:3])} if unreadable else {}),
        }


def _cells(config: ocio.Config, sources: Sequence[Source], settings: ContactSheetSettings) -> list[Cell]:
    if settings.what == VIEWS:
        pairs = [(display, view) for display in config.getDisplays() for view in config.getViews(display)]
        return [
            Cell(sources[0], ViewChoice(display, view), settings.exposure, view, display)
            for display, view in pairs[:MOST]
        ]
    if settings.what not in OF_ONE:
        return [
            Cell(source, settings.choice, settings.exposure, source.name, source.space) for source in sources[:MOST]
        ]
    plain = ViewChoice(settings.display, _plain_view(config, settings))
    cells = [Cell(sources[0], plain, settings.exposure, plain.view, settings.display)]
    if settings.look:
        without = ViewChoice(settings.display, settings.view)
        cells.append(Cell(sources[0], without, settings.exposure, settings.view, "without the look"))
    shown = f"{settings.view}, {settings.look}" if settings.look else settings.view
    for stops in STOPS:
        said = f"{stops:+.0f} stops" if stops else "as exposed"
        cells.append(Cell(sources[0], settings.choice, settings.exposure + stops, shown, said))
    return cells


def _plain_view(config: ocio.Config, settings: ContactSheetSettings) -> str:
    """A view of the display that does not tone-map, by what configs call it; the chosen one where there is none."""
    names = list(config.getViews(settings.display))
    return next((name for name in names if "un-tone-mapped" in name.lower()), settings.view)


def _shape(source: Source) -> float:
    width, height = read_header(source.file, source.layer).picture_size
    return min(4.0, max(0.25, width / height))


def _grid(count: int, shape: float) -> tuple[int, tuple[int, int]]:
    """Columns, and width and height of a cell, so that cells of a shape are as large as the page lets them be."""
    grids = []
    for columns in range(1, count + 1):
        width = (PAGE[0] - 2 * EDGE - GAP * (columns - 1)) // columns
        rows = ceil(count / columns)
        height = min(round(width / shape), (PAGE[1] - 3 * EDGE - (GAP + CAPTION) * rows) // rows)
        if width > 0 and height > 0:
            grids.append((min(width, round(height * shape)), columns, (width, height)))
    _, columns, size = max(grids)
    return columns, size


def _light(config: ocio.Config, source: Source, room: tuple[int, int]) -> Pixels:
    """A picture in the working space, as large as the room lets it be."""
    pixels = read_pixels(source.file, source.layer)
    light = apply(space_processor(config, source.space, ocio.ROLE_SCENE_LINEAR), pixels)
    size = size_of(Framing(width=room[0], height=room[1]), Box(0, 0, light.shape[1], light.shape[0]))
    return scaled_light(light, size, WITHIN)


def _shown(config: ocio.Config, cell: Cell, light: Pixels) -> NDArray[np.uint8]:
    """A picture as an sRGB screen shows the light of its display; numbers that are no display light as they are."""
    numbers_in = cell.source.space
    codes = apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, cell.choice, cell.exposure, numbers_in), light)
    codes = np.clip(np.nan_to_num(codes), 0, 1)
    if space_of_view(config, cell.choice) is not None:
        xyz = display_xyz(config, cell.choice, codes.reshape(-1, 3).astype(np.float64))
        linear = np.clip(xyz @ np.linalg.inv(rgb_to_xyz(REC709)).T, 0, 1)
        codes = srgb_encoded(linear).reshape(codes.shape).astype(np.float32)
    steps: NDArray[np.uint8] = np.round(codes * 255).astype(np.uint8)
    return steps


def _write_title(page: Image.Image, settings: ContactSheetSettings, sources: Sequence[Source]) -> None:
    title = settings.title or (sources[0].name if settings.what in OF_ONE else f"{len(sources)} pictures")
    ImageDraw.Draw(page).text((EDGE, EDGE // 2), title, fill=(INK,) * 3, font=lettering(title, 40))


def _write_caption(page: Image.Image, place: tuple[int, int], cell: Cell, width: int) -> None:
    for line, (text, grey) in enumerate(((cell.caption, INK), (cell.beside, QUIET))):
        shown, font = text, lettering(text, 20)
        while shown and font.getlength(shown) > width:
            shown = shown[:-2].rstrip(" …") + "…" if len(shown) > 2 else ""
        ImageDraw.Draw(page).text((place[0], place[1] + 26 * line), shown, fill=(grey,) * 3, font=font)


def _save(page: Image.Image, settings: ContactSheetSettings, target: Path) -> None:
    if settings.format == "png":
        write_image(target, np.asarray(page), "uint8", {"oiio:ColorSpace": "srgb_rec709_display"})
        return
    with replacing(target) as temporary:
        page.save(temporary, "PDF", resolution=RESOLUTION, quality=92)


def _read_again(target: Path, settings: ContactSheetSettings, meant: NDArray[np.uint8]) -> tuple[int, int]:
    """Width and height of the page as it is read back. Raises BadInput where another picture stands in the file."""
    height, width = meant.shape[:2]
    if settings.format == "png":
        pages, most = [read_back(target).stored], 0.0
    else:  # whose size is in points: it may come back a pixel larger
        pages, most = [page[:height, :width] for page in pdf_pages(target, RESOLUTION)], COMPRESSED
    if len(pages) != 1 or pages[0].shape != meant.shape or np.abs(pages[0] - meant.astype(float)).mean() > most:
        raise BadInput("The page was written, but reads back otherwise. Check the disk, and make it again.")
    return width, height
