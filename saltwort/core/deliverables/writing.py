"""Bake a view into one picture, as the command `bake` does, and read it back."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.tags import still_tags
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_header, read_pixels, write_image
from saltwort.core.images.reading import Pixels
from saltwort.core.numbers import LARGEST_HALF

Progress = Callable[[float, str], None]
"""Told the share done, 0–1, and what is being done; may raise to stop."""

STILL_TYPES = {
    ".png": ("uint8", "uint16"),
    ".tif": ("uint8", "uint16"),
    ".tiff": ("uint8", "uint16"),
    ".jpg": ("uint8",),
    ".jpeg": ("uint8",),
    ".exr": ("half", "float"),
}


@dataclass(frozen=True)
class Written:
    """A written file as it was read back. `clipped` is the share of samples, 0–1, that did not fit and were cut,
    `not_finite` counts those that are no numbers; `largest_error` is the largest difference of a sample that did fit,
    on the 0–1 scale or in linear light, to the source sent through the engine."""

    width: int
    height: int
    tags: dict[str, str | float | tuple[float, ...]]
    clipped: float
    largest_error: float
    not_finite: int = 0


def write_still(
    config: ocio.Config,
    source: Path,
    source_space: str,
    choice: ViewChoice,
    target: Path,
    *,
    exposure: float = 0.0,
    sample_type: str = "uint16",
    layer: str | None = None,
    progress: Progress = lambda share, doing: None,
) -> Written:
    """Bake a view into a picture and write it with the display's tags. Raises BadInput in words for the user."""
    allowed = STILL_TYPES.get(target.suffix.lower())
    if allowed is None:
        raise BadInput(f"{target.name}: a still ends with one of {', '.join(STILL_TYPES)}.")
    if sample_type not in allowed:
        raise BadInput(f"{target.name}: that format holds {' or '.join(allowed)}, not {sample_type}.")
    processor = view_processor(config, source_space, choice, exposure)
    progress(0.0, "Reading the picture")
    shown = apply(processor, read_pixels(source, layer), lambda share: progress(0.1 + 0.5 * share, "Applying the view"))
    progress(0.6, "Writing the file")
    write_image(target, shown, sample_type, still_tags(config, choice, target.suffix.lower()))
    del shown
    progress(0.7, "Reading it back")
    meant = apply(processor, read_pixels(source, layer), lambda share: progress(0.7 + 0.25 * share, "Reading it back"))
    return _read_back(target, meant, sample_type)


_LIMITS = {"uint8": (0.0, 1.0), "uint16": (0.0, 1.0), "half": (-LARGEST_HALF, LARGEST_HALF)}
"""What samples of a type hold; floats hold all that is computed here."""


def _read_back(target: Path, meant: Pixels, sample_type: str) -> Written:
    """What stands in a file against the source, read again and sent through the engine again."""
    header = read_header(target)
    lowest, highest = _LIMITS.get(sample_type, (-np.inf, np.inf))
    is_number = np.isfinite(meant)
    held = is_number & (meant >= lowest) & (meant <= highest)
    error = np.abs(read_pixels(target, alpha=meant.shape[2] == 4)[held] - meant[held])
    return Written(
        width=header.width,
        height=header.height,
        tags=header.tags,
        clipped=float(np.count_nonzero(is_number & ~held) / held.size),
        largest_error=float(error.max()) if error.size else 0.0,
        not_finite=int(held.size - np.count_nonzero(is_number)),
    )
