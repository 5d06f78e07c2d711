"""AVIF of 10 bits, which HDR stills need: written by libavif, read by FFmpeg."""

from pathlib import Path
from typing import Any

import av
import imagecodecs
import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video import BT709, BT2020, LUMA_WEIGHTS, NARROW, Plane, rgb_of
from saltwort.core.images.video_reading import planes_of

BITS = 10
FORM = "yuv444p10le"
"""As FFmpeg calls it."""
MIDDLE = np.float32((1 << (BITS - 1)) / ((1 << BITS) - 1))
"""Where Cb and Cr are of no colour."""
SPEED = 6
"""Of 0 to 10: a 4K picture takes seconds, and its file is a few percent larger than that of the slowest."""


def write_deep_avif(path: Path, codes: Pixels, quality: int, points: Any) -> None:
    """Write R′G′B′ or R′G′B′A on 0–1, float32 (height, width, 3 or 4, straight alpha), as AVIF of 10 bits, full range,
    without subsampling of colour, under code points of H.273; quality is 1–100. It appears whole. Raises BadInput when
    the library refuses."""
    whole = np.rint(np.clip(codes, 0, 1) * ((1 << BITS) - 1)).astype(np.uint16)
    primaries, transfer = int(points[0]), int(points[1])
    matrix = BT2020 if primaries == BT2020 else BT709
    try:
        content = imagecodecs.avif_encode(
            whole,
            quality,
            speed=SPEED,
            bitspersample=BITS,
            pixelformat="444",
            codec="aom",
            primaries=primaries,
            transfer=transfer,
            matrix=matrix,
        )
    except imagecodecs.AvifError as error:
        raise BadInput(f"The AVIF library could not write {path.name}: {error}.") from error
    with replacing(path) as temporary:
        temporary.write_bytes(content)


def read_deep_avif(path: Path) -> Pixels | None:
    """The picture of such a file, as FFmpeg's dav1d decodes it, on 0–1, with straight alpha where there is any; None
    for an AVIF of another kind, as others write them in narrow range or by another matrix."""
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
        if frame.format.name != FORM or frame.color_range == NARROW or frame.colorspace not in LUMA_WEIGHTS:
            return None
        luma, cb, cr = (_on_0_to_1(plane) for plane in planes_of(frame, BITS))
        colour = rgb_of(luma, cb - MIDDLE, cr - MIDDLE, frame.colorspace)
        if len(container.streams.video) == 1:
            return colour
        container.seek(0)
        (alpha,) = planes_of(next(container.decode(video=1)), BITS)  # FFmpeg has it as a second stream
    return np.concatenate([colour, _on_0_to_1(alpha)[..., np.newaxis]], axis=2)


def _on_0_to_1(plane: Plane) -> Pixels:
    return plane.astype(np.float32) / np.float32((1 << BITS) - 1)
