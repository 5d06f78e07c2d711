"""LUTs as files of a config: where they stand, what they are called, and their formats."""

from hashlib import sha256

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

LUT_FOLDER = "luts"
"""The folder of a config's archive in which the LUTs stand that Saltwort writes."""

Files = dict[str, bytes]
"""Content by path in a config's archive."""


def add_lut_folder(config: ocio.Config) -> None:
    """Have the config look for its LUTs in LUT_FOLDER, besides where it looks already."""
    if LUT_FOLDER not in list(config.getSearchPaths()):
        config.addSearchPath(LUT_FOLDER)


def spi1d_file(name: str, values: NDArray[np.floating], last: float = 1.0) -> tuple[ocio.FileTransform, Files]:
    """A curve over inputs from 0 to `last` as an spi1d file, and the transform that reads it."""
    lines = [
        f"Version 1\nFrom 0.0 {last:.9f}\nLength {len(values)}\nComponents 1\n{{",
        *(f" {value:.9f}" for value in values),
        "}\n",
    ]
    return _file(name, "\n".join(lines).encode(), ".spi1d", ocio.INTERP_LINEAR)


def clf_file(
    name: str, group: ocio.GroupTransform, config: ocio.Config, interpolation: ocio.Interpolation
) -> tuple[ocio.FileTransform, Files]:
    """Transforms as a CLF file, and the transform that reads it."""
    return _file(name, as_clf(group, config), ".clf", interpolation)


def as_clf(group: ocio.GroupTransform, config: ocio.Config) -> bytes:
    """Transforms as a Common LUT Format document (Academy S-2014-006), as the engine writes it."""
    text: str = group.write("Academy/ASC Common LUT Format", config)
    return text.encode()


def _file(
    name: str, content: bytes, suffix: str, interpolation: ocio.Interpolation
) -> tuple[ocio.FileTransform, Files]:
    """A file named after its content, so that two never meet under one name."""
    file = f"{name}_{sha256(content).hexdigest()[:8]}{suffix}"
    return ocio.FileTransform(file, interpolation=interpolation), {f"{LUT_FOLDER}/{file}": content}
