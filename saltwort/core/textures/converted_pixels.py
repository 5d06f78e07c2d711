"""Pixels on their way from one space and sample type to another, and what is lost of them."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.processors import is_linear, known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Stats
from saltwort.core.images.channels import ASSOCIATED, ColourGroup, colour_channels
from saltwort.core.images.reading import Pixels
from saltwort.core.images.writing import WHOLE_NUMBER
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.textures.conversion_plans import (
    Plan,
    divided,
    multiplied,
)
from saltwort.core.textures.pixel_evidence import UNIT_VECTORS

DTYPES = {"uint16": np.uint16, "half": np.float16, "float": np.float32, "uint": np.uint32}
"""Of the sample types that are written."""
_RANGES = {"uint16": (0.0, 1.0), "half": (-LARGEST_HALF, LARGEST_HALF)}
"""What samples of a type hold; floats hold all that is computed here."""


FLIP_UNSIGNED, FLIP_SIGNED, INVERT = "flip green", "flip green of signed values", "invert"
"""What may be done to data: the green of normals flipped, which are written as 0 to 1 for −1 to 1, or as they are; or
all channels inverted, 1 minus each."""


def flip_of(stats: Stats) -> str:
    """How the green of a file's normals is flipped. Raises BadInput for a file that holds none."""
    if stats.unit_vectors >= UNIT_VECTORS:
        return FLIP_UNSIGNED
    if stats.signed_vectors >= UNIT_VECTORS:
        return FLIP_SIGNED
    raise BadInput(
        "Its pixels are not vectors of length 1, so its green has no direction. Convert it without flipping."
    )


class Conversion:
    """From one space to another; nothing where one of them is data, but for a `data_step`: FLIP_UNSIGNED, FLIP_SIGNED
    or INVERT."""

    def __init__(self, config: ocio.Config, source_space: str, space: str, data_step: str = "") -> None:
        self.names = known_space(config, source_space), known_space(config, space)
        self.is_data = any(config.getColorSpace(name).isData() for name in self.names)
        self.data_step = data_step
        if data_step and not self.is_data:
            what = "A roughness or gloss map" if data_step == INVERT else "A normal map"
            raise BadInput(f"{what} is data, and here it is read as {self.names[0]}. Have it read as data first.")
        self._processor = None if self.is_data else space_processor(config, *self.names)
        # Light that is multiplied by a number may be converted before or after.
        self._is_matrix = all(is_linear(config, name) for name in self.names)

    def apply(self, pixels: Pixels, plan: Plan) -> Pixels:
        """Colours converted, a grey as three alike; all else, and alpha, as it is."""
        if self._processor is None:
            return self._data_changed(pixels, plan) if self.data_step else pixels
        if plan.groups == (ColourGroup((0, 1, 2)),) and pixels.shape[2] == 3:
            return apply(self._processor, pixels)  # as most files are, and without a copy
        converted = pixels.copy()
        for group in plan.groups:
            alpha = None
            if plan.header.alpha == ASSOCIATED and group.alpha is not None and not self._is_matrix:
                alpha = pixels[..., group.alpha : group.alpha + 1]
            colour = divided(pixels[..., list(group.colour)], alpha)
            three = np.repeat(colour, 3, axis=2) if len(group.colour) == 1 else np.ascontiguousarray(colour)
            found = apply(self._processor, three)[..., : len(group.colour)]
            converted[..., list(group.colour)] = multiplied(found, alpha)
        return converted

    def _data_changed(self, pixels: Pixels, plan: Plan) -> Pixels:
        shown = colour_channels(plan.header.channel_names)
        channels = sorted(set(shown)) if self.data_step == INVERT else [shown[1]]
        changed = pixels.copy()
        changed[..., channels] = (0 if self.data_step == FLIP_SIGNED else 1) - pixels[..., channels]
        return changed


@dataclass
class Counts:
    """Samples that do not come through as they are."""

    clipped: int = 0
    negative: int = 0
    not_finite: int = 0
    hidden: int = 0
    samples: int = 0

    def add(self, light: Pixels, there: Pixels, plan: Plan) -> None:
        """Count in light, with alpha as the source has it, and in the same as it is to stand in the target."""
        self.samples += there.size
        fitting = fitted(there, plan)
        if fitting is not there:
            with np.errstate(invalid="ignore"):
                self.clipped += int(np.count_nonzero((there != fitting) & np.isfinite(there)))
        if plan.sample_type == "uint16":
            self.not_finite += int(there.size - np.count_nonzero(np.isfinite(there)))
        if plan.is_data:
            return
        for group in plan.groups:
            colour = light[..., list(group.colour)]
            self.negative += int(np.count_nonzero(colour < 0))
            if plan.changes_alpha and group.alpha is not None:
                self.hidden += int(np.count_nonzero((light[..., group.alpha :][..., :1] == 0) & (colour != 0)))


def fitted(pixels: Pixels, plan: Plan) -> Pixels:
    """Numbers clipped to what the sample types hold; those that are not finite stay, since that is for others to
    mend."""
    types = plan.part.sample_types
    if len(types) > 1:  # halves beside floats
        halves = [number for number, sample_type in enumerate(types) if sample_type == "half"]
        fitting = pixels.copy()
        fitting[..., halves] = _clipped(pixels[..., halves], "half")
        return fitting
    return _clipped(pixels, types[0])


def _clipped(pixels: Pixels, sample_type: str) -> Pixels:
    lowest, highest = _RANGES.get(sample_type, (-np.inf, np.inf))
    with np.errstate(invalid="ignore"):
        if pixels.min(initial=0.0) >= lowest and pixels.max(initial=0.0) <= highest:
            return pixels
    return np.where(np.isfinite(pixels), np.clip(pixels, lowest, highest), pixels)


def as_stored(pixels: Pixels, plan: Plan) -> Pixels:
    """Numbers as the sample types keep them."""
    fitting = fitted(pixels, plan)
    if plan.sample_type == "uint16":
        return np.round(np.nan_to_num(fitting, posinf=1.0, neginf=0.0) * 65535).astype(np.float32) / np.float32(65535)
    types = plan.part.sample_types
    if len(types) == 1 and types[0] != WHOLE_NUMBER:
        return fitting.astype(DTYPES[types[0]]).astype(np.float32)
    fitting = fitting.copy()
    halves = [number for number, sample_type in enumerate(types) if sample_type == "half"]
    fitting[..., halves] = fitting[..., halves].astype(np.float16)
    return fitting
