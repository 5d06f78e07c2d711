"""Images and the paths of textures: which space a path is read in, an image in another space, and through a view."""

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import overload

import numpy as np

from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images.layer_kinds import ByHand
from saltwort.core.textures.conversion_plans import check_convertible, read_parts
from saltwort.core.textures.converting import Converted
from saltwort.core.textures.converting import convert as convert_file
from saltwort.core.textures.rules import Assignment
from saltwort.library.configs import Config
from saltwort.library.projects import Project, assign_in_project
from saltwort.library.sources import Pixels, checked_file, config_of, is_data, pixels_of, space_or_working


def assign(source: Config | Project, paths: Iterable[str]) -> list[Assignment]:
    """The space in which each path is read, with its reason: by the file rules of a config, or by the manual
    assignments and the rules of a project. The files need not exist.

    `reason.kind` is `rule`, `default` or `pin` (manual); `reason.index` counts file rules from 0. Raises BadInput for a
    config without file rules, and for paths that no system has.

    >>> (found,) = assign(load_config("studio.ocio"), ["wall/wall_basecolor.png"])
    >>> found.space, found.reason.kind
    ('sRGB - Display', 'default')
    """
    if isinstance(source, Project):
        return assign_in_project(source, list(paths))
    book = source.rule_book
    return [book.assign(path) for path in paths]


@overload
def convert(source: Config | Project, image: Pixels, space: str, to: str) -> Pixels: ...


@overload
def convert(
    source: Config | Project,
    image: str | Path,
    space: str,
    to: str,
    target: str | Path,
    format: str = "exr-half",
    *,
    data_layers: Sequence[str] = (),
    colour_layers: Sequence[str] = (),
    flip_green: bool = False,
    invert: bool = False,
) -> Converted: ...


def convert(
    source: Config | Project,
    image: Pixels | str | Path,
    space: str,
    to: str,
    target: str | Path = "",
    format: str = "exr-half",
    *,
    data_layers: Sequence[str] = (),
    colour_layers: Sequence[str] = (),
    flip_green: bool = False,
    invert: bool = False,
) -> Pixels | Converted:
    """An image in another colour space of a config.

    An array, float32 (height, width, 3 or 4), becomes another; alpha, and data, pass as they are. A file is written as
    `target`, a new file in one of the formats exr-half, exr-float, tx-half, tx-float, tif-16 and png-16; it is read
    back, and the result says its `largest_error` (a part of the value where that is above 1) and what was `clipped`.
    Layers of data, such as normals and identifiers, pass bit for bit; `data` names them with the reason. Where a layer
    is treated as the other, name it in `data_layers` or `colour_layers`. `flip_green` has the green of a normal map
    point the other way, `invert` makes 1 minus each value of a gloss or roughness map. Raises BadInput for unknown
    spaces and layers, for what is no image, and for a target that exists.

    >>> grey = numpy.full((2, 2, 3), 0.5, numpy.float32)
    >>> round(float(convert(load_config("studio.ocio"), grey, "sRGB - Texture", "ACEScg").max()), 3)
    0.214
    >>> convert(load_config("studio.ocio"), "wall.png", "sRGB - Texture", "ACEScg", "wall_ACEScg.exr").clipped
    0
    """
    config = config_of(source)
    first, second = space_or_working(config, space), space_or_working(config, to)
    if isinstance(image, np.ndarray):
        if flip_green or invert:
            raise BadInput("Data is flipped and inverted in files alone. In an array, write 1 - image[..., 1].")
        pixels = pixels_of(image)
        if is_data(config, first) or is_data(config, second):
            return pixels.copy()
        return apply(space_processor(config.ocio, first, second), pixels)
    if not target:
        raise BadInput(f"{Path(image).name} is converted into a new file. Name it as target.")
    file = checked_file(image)
    by_hand = ByHand(tuple(data_layers), tuple(colour_layers))
    check_convertible(read_parts(file, by_hand), file.name, format, is_data=is_data(config, first))
    return convert_file(
        config.ocio,
        file,
        first,
        second,
        format,
        Path(target),
        by_hand=by_hand,
        flip_green=flip_green,
        invert=invert,
    )


def view(
    source: Config | Project,
    image: Pixels | str | Path,
    space: str = "",
    *,
    display: str = "",
    view: str = "",
    look: str = "",
    exposure: float = 0.0,
) -> Pixels:
    """An image through a view: float32 code values of the display, (height, width, 3 or 4), 0–1 where the view clips.

    `image` is float32 (height, width, 3 or 4) or a file, in `space` (default: the working space). Without `display` and
    `view` the project’s view, or the default view of the config. `exposure`, in stops, is applied to scene-linear
    values before. Raises BadInput for unknown names and for what is no image.

    >>> grey = numpy.full((1, 1, 3), 0.18, numpy.float32)
    >>> round(float(view(load_config("studio.ocio"), grey, exposure=-20).max()), 2)
    0.0
    """
    config, pixels = config_of(source), pixels_of(image)
    choice = config.view_choice(display, view, look)
    return apply(view_processor(config.ocio, space_or_working(config, space), choice, exposure), pixels)
