"""What a video file says of itself, and its frames decoded."""

import struct
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.filter import Graph

from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video import BT2020, NARROW, Plane, VideoForm, table_of_contents
from saltwort.core.sandbox import Limits, run_sandboxed


@dataclass(frozen=True)
class VideoFacts:
    """What a video says of itself: of its stream and its container each the code points of primaries, transfer and
    matrix, and the range as `narrow` or `full`; HDR10's metadata, where there is any, of each."""

    codec: str
    profile: str
    pixel_format: str
    width: int
    height: int
    rate: str
    frames: int
    stream: tuple[int, int, int]
    stream_range: str
    container: tuple[int, int, int] | None
    container_range: str
    mastering: dict[str, Any] | None
    light_levels: tuple[int, int] | None
    container_light_levels: tuple[int, int] | None
    container_has_mastering: bool
    timecode: str = ""
    """Of the first frame; empty where there is none."""
    chroma_site: int = 0
    """Where AV1 says that samples of colour lie (AV1, 6.4.2): 1 left, 2 top left, 0 unknown, and for other codecs."""


def video_facts(path: Path) -> VideoFacts:
    """Raises BadInput for what is no video."""
    try:
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            context = stream.codec_context
            frame = next(container.decode(stream))
            count = stream.frames or sum(1 for _ in container.decode(stream)) + 1
            held: Any = frame.side_data  # what is told of its type is not so
            side = {each.type.name: bytes(each) for each in held}
            points = (int(frame.color_primaries), int(frame.color_trc), int(frame.colorspace))
            rate = stream.average_rate or Fraction(0)
            found = (context.name, str(context.profile or ""), frame.format.name, frame.width, frame.height)
            is_narrow = int(frame.color_range) == NARROW
            timecode = stream.metadata.get("timecode", "")
    except (av.FFmpegError, IndexError, StopIteration, OSError) as error:
        raise BadInput(f"{path.name} is no video that can be read, or it is damaged.") from error
    with path.open("rb") as file:
        content = table_of_contents(file)[1]
    box, box_range = _colour_box(content)
    levels = side.get("CONTENT_LIGHT_LEVEL")
    mastering = side.get("MASTERING_DISPLAY_METADATA")
    place = content.find(b"clli")
    return VideoFacts(
        *found,
        rate=f"{rate.numerator}/{rate.denominator}",
        frames=count,
        stream=points,
        stream_range="narrow" if is_narrow else "full",
        container=box,
        container_range=box_range,
        mastering=_mastering(mastering) if mastering else None,
        light_levels=struct.unpack_from("=II", levels) if levels else None,
        container_light_levels=struct.unpack_from(">HH", content, place + 4) if place >= 0 else None,
        container_has_mastering=content.find(b"mdcv") >= 0,
        timecode=timecode,
        chroma_site=_site_in_av1(content),
    )


def _site_in_av1(content: bytes) -> int:
    """From the codec configuration box of AV1 (its binding to ISO media files, 2.3.3)."""
    place = content.find(b"av1C")
    return content[place + 6] & 3 if 0 <= place < len(content) - 6 else 0


def _colour_box(content: bytes) -> tuple[tuple[int, int, int] | None, str]:
    """The colour box of a container: `nclx`, or `nclc` of QuickTime, which tells no range."""
    for kind in (b"colrnclx", b"colrnclc"):
        place = content.find(kind)
        if place >= 0:
            points = struct.unpack_from(">HHH", content, place + 8)
            full = kind.endswith(b"nclx") and content[place + 14] >> 7
            return points, ("full" if full else "narrow") if kind.endswith(b"nclx") else ""
    return None, ""


def _mastering(side: bytes) -> dict[str, Any]:
    """FFmpeg's AVMasteringDisplayMetadata: rationals of red, green, blue, white, darkest and brightest."""
    numbers = [
        numerator / denominator if denominator else 0.0
        for numerator, denominator in (struct.unpack_from("=ii", side, 8 * index) for index in range(10))
    ]
    names = ("red", "green", "blue", "white")
    placed = {name: (numbers[2 * index], numbers[2 * index + 1]) for index, name in enumerate(names)}
    return {**placed, "lowest": numbers[8], "highest": numbers[9]}


VIDEOS = (".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi", ".mxf")


FRAME_LIMITS = Limits(seconds=60, memory=4_000_000_000)


def video_frame(path: Path, number: int) -> Pixels:
    """A frame of a video, counted from 1, as R′G′B′ on 0–1, float32 (height, width, 3), by the matrix and range that it
    says. Decoded in a process of its own. Raises BadInput for what is no video, and for a frame that there is not."""
    advice = "Save it again, as MP4."
    return run_sandboxed(_video_frame, path, number, limits=FRAME_LIMITS, called=path.name, advice=advice)


def _video_frame(path: Path, number: int) -> Pixels:
    count = 0
    try:
        with av.open(str(path)) as container:
            for count, frame in enumerate(container.decode(video=0), start=1):
                if count == number:
                    return _in_rgb(frame, container.streams.video[0])
    except (av.FFmpegError, IndexError, OSError) as error:
        raise BadInput(f"{path.name} is no video that can be read, or it is damaged.") from error
    raise BadInput(f"{path.name} has {count} frames. Choose one of 1 to {count}.")


def _in_rgb(frame: av.VideoFrame, stream: av.VideoStream) -> Pixels:
    """A frame as R′G′B′ on 0–1 by the matrix and range that it says, with its chroma where the samples lie."""
    graph = Graph()
    scale = graph.add("scale", f"in_chroma_loc={_chroma_site(frame, stream)}:{SCALING}")
    nodes = (graph.add_buffer(template=stream), scale, graph.add("format", "rgb48le"), graph.add("buffersink"))
    for one, other in pairwise(nodes):
        one.link_to(other)
    graph.configure()
    graph.push(frame)
    made = graph.pull()
    assert isinstance(made, av.VideoFrame)
    return np.asarray(made.to_ndarray(format="rgb48le"), np.float32) / np.float32(65535)


SCALING = "flags=bicubic+accurate_rnd+full_chroma_int"
"""Exact rounding, and chroma for every pixel: without it the site counts for nothing."""


def _chroma_site(frame: av.VideoFrame, stream: av.VideoStream) -> str:
    """Where samples of chroma lie, which the library does not tell of a frame: as the standards have it, and as videos
    are written here (`VideoForm.site`)."""
    if stream.codec_context.name == "mjpeg":
        return "center"  # JFIF
    return "topleft" if int(frame.colorspace) == BT2020 else "left"


def decoded(path: Path, wanted: Iterable[int], form: VideoForm) -> Iterator[tuple[int, tuple[Plane, Plane, Plane]]]:
    """Frames by number, as planes. Raises BadInput for a file that cannot be decoded."""
    chosen = set(wanted)
    try:
        with av.open(str(path)) as container:
            container.streams.video[0].thread_type = "AUTO"
            for number, frame in enumerate(container.decode(video=0)):
                if number in chosen:
                    luma, cb, cr = planes_of(frame, form.bits)
                    yield number, (luma, cb, cr)
    except av.FFmpegError as error:
        raise BadInput(f"{path.name} cannot be decoded: {error.strerror}.") from error


def planes_of(frame: av.VideoFrame, bits: int) -> tuple[Plane, ...]:
    """The planes of a decoded frame, of so many bits: of Y′, Cb and Cr, or of one channel alone."""
    kind: Any = np.uint8 if bits == 8 else np.uint16
    lines = (np.frombuffer(bytes(plane), kind).reshape(plane.height, -1) for plane in frame.planes)
    return tuple(line[:, : plane.width] for line, plane in zip(lines, frame.planes, strict=True))
