"""Pictures for the screen: a stored image, read in a space, through a view."""

from pathlib import Path
from threading import Lock

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import encode_png, read_pixels, read_reduced, reduce_pixels
from saltwort.core.images.thumbnail import THUMBNAIL
from saltwort.core.textures.close_up import read_through_inverse
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import preview_of

LARGEST_PICTURE = 2048


def drawn(
    image: StoredImage,
    config: ocio.Config,
    space: str,
    choice: ViewChoice,
    exposure: float,
    longest_side: int,
    layer: str | None = None,
) -> bytes:
    """An 8-bit PNG, no side above `longest_side`, of a layer. Raises BadInput for names that the config lacks."""
    processor = view_processor(config, space, choice, exposure)
    return encode_png(apply(processor, stored(image, longest_side, layer)))


def drawn_through_inverse(
    image: StoredImage, config: ocio.Config, undone: ViewChoice, choice: ViewChoice, longest_side: int
) -> bytes:
    """The same for a picture that is decoded through the inverse of a view."""
    pixels = stored(image, longest_side)
    light = read_through_inverse(config, pixels.reshape(-1, 3), undone).reshape(pixels.shape)
    return encode_png(apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, choice), light))


def stored(
    image: StoredImage, longest_side: int, layer: str | None = None, largest: int = LARGEST_PICTURE
) -> NDArray[np.float32]:
    """A picture as stored, reduced so that no side is above `longest_side`, nor above `largest`."""
    if longest_side <= THUMBNAIL and layer is None:
        return reduce_pixels(preview_of(image).thumbnail, longest_side)
    return _reduced(image.file, image.sha256, min(longest_side, largest), layer)


def pixels_of(image: StoredImage, layer: str | None = None) -> NDArray[np.float32]:
    """The whole picture; the last one is kept, since a probe asks for the same again and again."""
    return _whole(image.file, image.sha256, layer)


# The hash stands beside the path, since a file that is read in place may get another content. What is kept is bounded
# by its bytes: a large picture takes as much as a thousand small ones.
REDUCED_BYTES, WHOLE_BYTES = 400_000_000, 1_000_000_000


def _size(pixels: NDArray[np.float32]) -> int:
    return pixels.nbytes


@cached(LRUCache(REDUCED_BYTES, _size), lock=Lock())
def _reduced(file: Path, sha256: str, longest_side: int, layer: str | None) -> NDArray[np.float32]:
    return read_reduced(file, longest_side, layer)


@cached(LRUCache(WHOLE_BYTES, _size), lock=Lock())
def _whole(file: Path, sha256: str, layer: str | None) -> NDArray[np.float32]:
    return read_pixels(file, layer)
