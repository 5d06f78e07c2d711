"""Write stills and hand-off files, and read each back to say what is in it."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_header, read_pixels, write_image
from saltwort.core.outputs.tags import handoff_tags, still_tags

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
    """A written file as it was read back. `clipped` is the share of samples, 0–1, that did not fit and were cut;
    `largest_error` the largest difference of a sample that did fit, on the 0–1 scale or in linear light."""

    width: int
    height: int
    tags: dict[str, str | float | tuple[float, ...]]
    clipped: float
    largest_error: float


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
    pixels = read_pixels(source, layer)
    shown = apply(processor, pixels, lambda share: progress(0.1 + 0.7 * share, "Applying the view"))
    progress(0.8, "Writing the file")
    write_image(target, shown, sample_type, still_tags(config, choice.display))
    progress(0.95, "Reading it back")
    limits = (0.0, 1.0) if sample_type.startswith("uint") else (-65504.0, 65504.0)
    return _read_back(target, shown, limits)


def write_handoff(
    config: ocio.Config,
    source: Path,
    source_space: str,
    target_space: str,
    target: Path,
    *,
    layer: str | None = None,
    progress: Progress = lambda share, doing: None,
) -> Written:
    """Write a picture as scene-linear half-float EXR in `target_space`, no view, with its header tags."""
    processor = space_processor(config, source_space, target_space)
    progress(0.0, "Reading the picture")
    pixels = read_pixels(source, layer)
    light = apply(processor, pixels, lambda share: progress(0.1 + 0.6 * share, "Converting"))
    progress(0.7, "Writing the file")
    write_image(target, light, "half", handoff_tags(config, target_space))
    progress(0.95, "Reading it back")
    return _read_back(target, light, (-65504.0, 65504.0))


def _read_back(target: Path, meant: np.ndarray, limits: tuple[float, float]) -> Written:
    header = read_header(target)
    held = (meant >= limits[0]) & (meant <= limits[1])
    error = np.abs(read_pixels(target) - meant)[held]
    return Written(
        width=header.width,
        height=header.height,
        tags=header.tags,
        clipped=float(1 - np.count_nonzero(held) / held.size),
        largest_error=float(error.max()) if error.size else 0.0,
    )
