"""How colour stands to its alpha: straight, or associated, which is multiplied by it. Arrays are (…, 4)."""

import numpy as np

from saltwort.core.images.reading import Pixels

OPAQUE = 0.999
"""Alpha from which on a pixel hides all behind it."""


def straight(pixels: Pixels) -> Pixels:
    """Associated colour as straight. Where alpha is 0 it stays: it is added to what is behind."""
    alpha = pixels[..., 3:]
    colour = np.divide(pixels[..., :3], alpha, out=np.array(pixels[..., :3], np.float32), where=alpha > 0)
    return np.concatenate([colour, alpha], axis=-1)


def associated(pixels: Pixels) -> Pixels:
    """Straight colour as associated; the other way of `straight`."""
    alpha = pixels[..., 3:]
    return np.concatenate([np.where(alpha > 0, pixels[..., :3] * alpha, pixels[..., :3]), alpha], axis=-1)
