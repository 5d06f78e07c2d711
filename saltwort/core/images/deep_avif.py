"""AVIF of 10 bits, which HDR stills need: written and read as a video of one frame."""

from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video import BT709, BT2020, VideoForm, from_planes, to_planes, writing_video
from saltwort.core.images.video_reading import planes_of

DEEP_AVIF = "yuv420p10le"


def write_deep_avif(path: Path, codes: Pixels, quality: int, points: Any) -> None:
    """Write R′G′B′ on 0–1, float32 (height, width, 3), as AVIF of 10 bits, 4:2:0, under code points of H.273; quality
    is 1–100. It appears whole. Raises BadInput for an odd size."""
    height, width = codes.shape[:2]
    if width % 2 or height % 2:
        raise BadInput("10-bit AVIF has even sides here. Set a crop or a size that is even.", "width")
    matrix = BT2020 if points[0] == BT2020 else BT709
    options = {"crf": str(max(1, round((100 - quality) * 0.63))), "preset": "6"}
    form = VideoForm("libsvtav1", DEEP_AVIF, 10, int(points[0]), int(points[1]), matrix, options)
    with writing_video(path, (width, height), Fraction(1), form) as writer:
        writer.write(to_planes(codes, form))


def read_deep_avif(path: Path) -> Pixels | None:
    """The picture of such a file, as FFmpeg's dav1d decodes it, on 0–1; None for an AVIF of another kind."""
    with av.open(str(path)) as container:
        frame = next(container.decode(video=0))
    if frame.format.name != DEEP_AVIF:
        return None
    form = VideoForm("", DEEP_AVIF, 10, frame.color_primaries, frame.color_trc, frame.colorspace, {})
    return from_planes(planes_of(frame, form), form)
