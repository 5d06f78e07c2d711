"""What the functions of the library are given: configs or projects, images as arrays or files."""

from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.explain.files import in_colour
from saltwort.core.images import read_pixels
from saltwort.core.images.intake import survey_apart
from saltwort.library.configs import Config
from saltwort.library.projects import Project

Pixels = NDArray[np.float32]
"""(height, width, channels)."""


def config_of(source: Config | Project) -> Config:
    return source.config if isinstance(source, Project) else source


def space_or_working(config: Config, space: str) -> str:
    """A space of a config by name, alias or role, by default the working space. Raises BadInput for an unknown one."""
    if not space:
        return config.defaults.working_space
    found = config.ocio.getColorSpace(space)
    if found is None:
        raise BadInput(f"There is no colour space “{space}” in {config.name}. Use one of its names, aliases or roles.")
    return str(found.getName())


def is_data(config: Config, space: str) -> bool:
    space_object: ocio.ColorSpace = config.ocio.getColorSpace(space)
    return bool(space_object.isData())


def pixels_of(image: Pixels | str | Path) -> Pixels:
    """An image as float32 (height, width, 3 or 4), red, green, blue and alpha where there is one: an array as it is, a
    file through a process with limits first. Raises BadInput for arrays of another form, and for what is no image."""
    if isinstance(image, np.ndarray):
        if image.ndim != 3 or image.shape[2] not in (3, 4) or not np.issubdtype(image.dtype, np.floating):
            raise BadInput(
                f"An image is an array of floats (height, width, 3 or 4). This one is {image.dtype} {image.shape}."
            )
        return np.ascontiguousarray(image, np.float32)
    return in_colour(read_pixels(checked_file(image), alpha=True))


def checked_file(path: str | Path) -> Path:
    """The path of an image that has been measured in a process with limits. Raises BadInput for what is no image."""
    found = Path(path)
    survey_apart(found, found.name)
    return found
