"""What a conversion would write and lose, before it is made."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.images.writing import Part
from saltwort.core.textures.conversion_plans import (
    Format,
    Plan,
    SourcePart,
    format_of,
    plans_of,
)
from saltwort.core.textures.converted_pixels import (
    DTYPES,
    FLIP_SIGNED,
    FLIP_UNSIGNED,
    INVERT,
    Conversion,
    Counts,
    as_stored,
    fitted,
)


@dataclass(frozen=True)
class Foreseen:
    """What a conversion would do, told from a sample of a file's pixels. `clipped`, `negative`, `not_finite` and
    `hidden` are shares, 0–1, of the samples, as in Converted; `lost` is the largest difference, in the numbers of the
    source, or as a part of those above 1, after going there, into the format, and back, over what is not clipped; None
    where there is no way back. `bytes` is the size before packing, `notes` what else changes, in sentences."""

    clipped: float
    negative: float
    lost: float | None
    bytes: int
    not_finite: float = 0.0
    hidden: float = 0.0
    notes: tuple[str, ...] = ()


STEPS_TOLD = {
    **dict.fromkeys((FLIP_UNSIGNED, FLIP_SIGNED), "Its green is flipped, to point the other way."),
    INVERT: "Its values are inverted: 1 minus each.",
}
"""What is done to data, in a sentence."""


def foresee(
    config: ocio.Config,
    parts: Sequence[SourcePart],
    sample: Pixels,
    source_space: str,
    space: str,
    format_name: str,
    data_step: str = "",
) -> Foreseen:
    """Tell what `convert` would do to a file of these parts, from a sample of pixels of the first, float32 (pixels,
    channels). Raises BadInput for what it does not take."""
    wanted = format_of(format_name)
    conversion = Conversion(config, source_space, space, data_step)
    plans = plans_of(parts, conversion.is_data, wanted, "The file")
    plan, pixels = plans[0], sample[np.newaxis]
    light = conversion.apply(pixels, plan)
    there = plan.as_written(light)
    counted = Counts()
    counted.add(light, there, plan)
    stored = as_stored(there, plan)
    return Foreseen(
        clipped=counted.clipped / max(there.size, 1),
        negative=counted.negative / max(there.size, 1),
        not_finite=counted.not_finite / max(there.size, 1),
        hidden=counted.hidden / max(there.size, 1),
        lost=_lost_on_the_way(config, plan, pixels, there, stored, conversion),
        bytes=sum(_bytes(plan.part, wanted) for plan in plans),
        notes=(*_notes(plans, wanted), *([STEPS_TOLD[data_step]] if data_step else [])),
    )


def _lost_on_the_way(
    config: ocio.Config, plan: "Plan", pixels: Pixels, there: Pixels, stored: Pixels, conversion: Conversion
) -> float | None:
    source_space, space = conversion.names
    try:
        back = Conversion(config, space, source_space, conversion.data_step)
    except BadInput:
        return None  # a space may have no way back
    returned = plan.as_read(back.apply(plan.from_file(stored), plan))
    fits = np.isfinite(there).all(axis=2) & (there == fitted(there, plan)).all(axis=2)
    whole = fits & np.isfinite(pixels).all(axis=2) & np.isfinite(returned).all(axis=2)
    for group in plan.groups:
        if group.alpha is not None and not plan.is_data and plan.changes_alpha:
            whole &= pixels[..., group.alpha] > 0
    errors = np.abs(returned[whole] - pixels[whole]) / np.maximum(np.abs(pixels[whole]), 1)
    return float(errors.max(initial=0.0))


MIP_LEVELS = 4 / 3
"""Size of a picture with all its mip levels: 1 + ¼ + 1/16 + …"""


def _bytes(part: Part, wanted: Format) -> int:
    of_a_pixel = sum(np.dtype(DTYPES[sample_type]).itemsize for sample_type in part.types)
    return round(part.width * part.height * of_a_pixel * (MIP_LEVELS if wanted.is_texture else 1.0))


def _notes(plans: "Sequence[Plan]", wanted: Format) -> tuple[str, ...]:
    notes = []
    for plan in plans:
        if plan.header.frame and not plan.part.frame:
            x, y, width, height = plan.header.frame
            fills = x > 0 or y > 0 or x + plan.header.width < width or y + plan.header.height < height
            cuts = x < 0 or y < 0 or x + plan.header.width > width or y + plan.header.height > height
            done = " and ".join(word for word, holds in (("filled with black", fills), ("cut", cuts)) if holds)
            notes.append(f"Its data window is not kept: it is {done} to the picture of {width} × {height}.")
        if wanted.suffix == ".tif" and len(plan.part.channels) > 4:
            notes.append("TIFF keeps the channels in their order, but not their names.")
        if plan.changes_alpha and not plan.is_data:
            notes.append(f"Its alpha is {plan.header.alpha} and becomes {plan.part.alpha}.")
        notes += [f"{each.told}: it keeps its numbers." for each in plan.data if not plan.is_data]
        if plan.header.is_tiled and not wanted.is_texture:
            notes.append("Tiles and mip levels are not kept.")
    return tuple(dict.fromkeys(notes))
