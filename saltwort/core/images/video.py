"""Video files: frames of Y′CbCr in, tagged in stream and container alike, and what a file says of itself.

Y′CbCr is that of ITU-R BT.709 and BT.2020 (non-constant luminance), in narrow range. Colour is subsampled on code
values, as these standards have it: sited left of SDR (MPEG-2's place, H.273 chroma location 0) and top left of BT.2100
(location 2), by a filter of 1-2-1 where the sites coincide and of two equal halves where they lie between.
"""

import mmap
import os
import struct
import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import BinaryIO

import av
import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images.reading import Pixels

Plane = NDArray[np.unsignedinteger]
Numbers = NDArray[np.floating]
BT709, BT2020 = 1, 9
"""Matrix coefficients of H.273."""
PQ, HLG = 16, 18
"""Transfer characteristics of H.273."""
LUMA_WEIGHTS = {BT709: (0.2126, 0.0722), BT2020: (0.2627, 0.0593)}
"""The weights of red and blue in luma."""
NARROW = 1
"""What FFmpeg calls the range of video levels."""
LEFT, TOP_LEFT = 1, 3
"""What FFmpeg calls the places of colour samples."""
FRAME_RATES = {
    "23.976": Fraction(24000, 1001),
    "24": Fraction(24),
    "25": Fraction(25),
    "29.97": Fraction(30000, 1001),
    "30": Fraction(30),
    "48": Fraction(48),
    "50": Fraction(50),
    "59.94": Fraction(60000, 1001),
    "60": Fraction(60),
}

av.logging.set_level(av.logging.FATAL)
os.environ.setdefault("SVT_LOG", "1")  # errors alone; it tells its settings otherwise


@dataclass(frozen=True)
class Mastering:
    """The display that HDR was made on: CIE xy of red, green, blue and white, and cd/m² of its darkest and brightest
    (SMPTE ST 2086)."""

    red: tuple[float, float]
    green: tuple[float, float]
    blue: tuple[float, float]
    white: tuple[float, float]
    lowest: float
    highest: float


@dataclass(frozen=True)
class VideoForm:
    """How frames are coded: the library's encoder with its options, its pixel format, bits, and whether colour has half
    the rows too; the code points of H.273; and, for HDR10, the display it was made on."""

    encoder: str
    pixel_format: str
    bits: int
    primaries: int
    transfer: int
    matrix: int
    options: dict[str, str] = field(default_factory=dict)
    mastering: Mastering | None = None

    @property
    def halves_rows(self) -> bool:
        return "420" in self.pixel_format

    @property
    def site(self) -> int:
        return TOP_LEFT if self.matrix == BT2020 else LEFT


def to_planes(codes: Pixels, form: VideoForm) -> tuple[Plane, Plane, Plane]:
    """R′G′B′ on 0–1, float32 (height, width, 3) with even sides, as planes of Y′, Cb and Cr in narrow range."""
    red, blue = LUMA_WEIGHTS[form.matrix]
    values: Pixels = np.fmin(np.fmax(codes, np.float32(0)), np.float32(1))  # what is no number is black
    luma = red * values[..., 0] + (1 - red - blue) * values[..., 1] + blue * values[..., 2]
    differences = ((values[..., 2] - luma) / (2 * (1 - blue)), (values[..., 0] - luma) / (2 * (1 - red)))
    step = 1 << (form.bits - 8)
    kind = np.uint8 if form.bits == 8 else np.uint16
    coded = [np.floor((luma * 219 + 16) * step + 0.5)]
    coded += [np.floor((_halved(each, form) * 224 + 128) * step + 0.5) for each in differences]
    first, second, third = (np.clip(plane, step, 255 * step - 1).astype(kind) for plane in coded)
    return first, second, third


def _halved(plane: Pixels, form: VideoForm) -> Pixels:
    """A plane of colour at half its columns, and rows where those are halved too."""
    padded = np.pad(plane, ((0, 0), (1, 0)), mode="edge")
    plane = (
        0.25 * padded[:, :-1:2] + 0.5 * padded[:, 1::2] + 0.25 * np.pad(plane, ((0, 0), (0, 1)), mode="edge")[:, 1::2]
    )
    if not form.halves_rows:
        return plane
    if form.site == TOP_LEFT:
        padded = np.pad(plane, ((1, 1), (0, 0)), mode="edge")
        return np.asarray(0.25 * padded[:-2:2] + 0.5 * padded[1:-1:2] + 0.25 * padded[2::2])
    return np.asarray(0.5 * (plane[::2] + plane[1::2]))


def from_planes(planes: tuple[Plane, Plane, Plane], form: VideoForm) -> Pixels:
    """Planes as R′G′B′ on 0–1, colour repeated over its block: for comparing, not for looking."""
    step = 1 << (form.bits - 8)
    luma = (planes[0].astype(np.float32) / step - 16) / 219
    rows = 2 if form.halves_rows else 1
    cb, cr = (
        np.repeat(np.repeat((plane.astype(np.float32) / step - 128) / 224, rows, 0), 2, 1) for plane in planes[1:]
    )
    return rgb_of(luma, cb, cr, form.matrix)


def rgb_of(luma: Numbers, cb: Numbers, cr: Numbers, matrix: int) -> Pixels:
    """R′G′B′, float32 (height, width, 3), of Y′ on 0–1 with Cb and Cr on −0.5 to 0.5, by a matrix of H.273."""
    red, blue = LUMA_WEIGHTS[matrix]
    r, b = luma + 2 * (1 - red) * cr, luma + 2 * (1 - blue) * cb
    return np.stack([r, (luma - red * r - blue * b) / (1 - red - blue), b], axis=-1).astype(np.float32, copy=False)


MOST_CONTENTS = 1 << 28
"""Bytes of a table of contents: that of a day of frames has a hundredth of it."""
_FRAMES_X265_REORDERS = 2
"""So many frames it waits for before it knows how far decoding runs ahead of showing."""
PLACEHOLDER = (43_981, 4_660)
"""MaxCLL and MaxFALL until the last frame is known: 0xABCD and 0x1234."""


@contextmanager
def writing_video(
    path: Path, size: tuple[int, int], rate: Fraction, form: VideoForm, timecode: str = ""
) -> Iterator["VideoWriter"]:
    """Write frames one by one. The file appears whole, as with `write_image`. `timecode` is that of the first frame, as
    `timecode_of` gives it. Raises BadInput when the library refuses."""
    with replacing(path) as temporary:
        try:
            with closing(VideoWriter(temporary, size, rate, form, timecode)) as writer:
                yield writer
                writer.end()
        except av.FFmpegError as error:
            raise BadInput(f"The video library could not write the file: {error.strerror}.") from error
        if form.mastering:
            _write_light_levels(temporary, writer.light_levels, form)


class VideoWriter:
    """An open video. `light_levels` are MaxCLL and MaxFALL in cd/m² (CTA-861.3), to be set before the end of HDR10."""

    def __init__(self, path: Path, size: tuple[int, int], rate: Fraction, form: VideoForm, timecode: str = "") -> None:
        self._container = av.open(str(path), "w")
        if timecode:
            self._container.metadata["timecode"] = timecode
        self._form, self._size, self._count, self._rate = form, size, 0, rate
        self.light_levels = (0, 0)
        stream = self._container.add_stream(form.encoder, rate=rate, options=_options(form))
        assert isinstance(stream, av.VideoStream)
        stream.width, stream.height = size
        stream.pix_fmt = form.pixel_format
        if form.encoder == "libx265":
            stream.codec_context.codec_tag = "hvc1"  # some players take no other
        context = stream.codec_context
        context.color_primaries, context.color_trc = form.primaries, form.transfer
        context.colorspace, context.color_range = form.matrix, NARROW
        self._stream = stream
        with _at_ordinary_priority():
            context.open()

    def write(self, planes: tuple[Plane, Plane, Plane]) -> None:
        frame = av.VideoFrame(*self._size, self._form.pixel_format)
        for target, plane in zip(frame.planes, planes, strict=True):
            lines = np.zeros((target.height, target.line_size // plane.itemsize), plane.dtype)
            lines[:, : plane.shape[1]] = plane
            target.update(lines.tobytes())
        frame.color_primaries, frame.color_trc = self._form.primaries, self._form.transfer
        frame.colorspace, frame.color_range = self._form.matrix, NARROW
        frame.pts, frame.time_base = self._count, 1 / self._rate
        self._count += 1
        self._container.mux(self._stream.encode(frame))

    def end(self) -> None:
        packets = self._stream.encode(None)
        if self._form.encoder == "libx265" and self._count <= _FRAMES_X265_REORDERS:
            # So few frames come out in their order, and x265 leaves their decoding time uninitialised.
            for packet in packets:
                packet.dts = packet.pts
        self._container.mux(packets)

    def close(self) -> None:
        self._container.close()


@contextmanager
def _at_ordinary_priority() -> Iterator[None]:
    """Undo what SVT-AV1 does when root opens it: it makes its threads, the thread that asked for it, and so every later
    thread and process of that one, real-time, and whatever else should run on the machine stands still."""
    tasks = Path("/proc/self/task")
    if not tasks.is_dir():
        yield
        return
    policy, priority = os.sched_getscheduler(0), os.sched_getparam(0)
    before = {task.name for task in tasks.iterdir()} - {str(threading.get_native_id())}
    try:
        yield
    finally:
        for task in tasks.iterdir():
            if task.name not in before:
                with suppress(ProcessLookupError):  # a thread that ended meanwhile
                    os.sched_setscheduler(int(task.name), policy, priority)


def _options(form: VideoForm) -> dict[str, str]:
    options = dict(form.options)
    if form.encoder == "libx265":
        site = 2 if form.site == TOP_LEFT else 0
        parameters = ["log-level=none", "repeat-headers=1", f"chromaloc={site}"]
        if mastering := form.mastering:
            parameters += ["hdr10=1", "hdr10-opt=1", f"master-display={_as_x265(mastering)}"]
            parameters.append("max-cll={},{}".format(*PLACEHOLDER))
        options["x265-params"] = ":".join(parameters)
    if form.encoder == "libsvtav1":
        options["chroma_sample_location"] = "topleft" if form.site == TOP_LEFT else "left"
        if mastering := form.mastering:
            levels = "content-light={},{}".format(*PLACEHOLDER)
            options["svtav1-params"] = f"mastering-display={_as_svt(mastering)}:{levels}"
    if form.encoder == "libx264":
        options["x264-params"] = f"chromaloc={0 if form.site == LEFT else 2}"
    return options


def _as_x265(mastering: Mastering) -> str:
    points = {"G": mastering.green, "B": mastering.blue, "R": mastering.red, "WP": mastering.white}
    placed = "".join(f"{name}({round(x * 50_000)},{round(y * 50_000)})" for name, (x, y) in points.items())
    return f"{placed}L({round(mastering.highest * 10_000)},{round(mastering.lowest * 10_000)})"


def _as_svt(mastering: Mastering) -> str:
    points = {"G": mastering.green, "B": mastering.blue, "R": mastering.red, "WP": mastering.white}
    placed = "".join(f"{name}({x:.5f},{y:.5f})" for name, (x, y) in points.items())
    return f"{placed}L({mastering.highest:.4f},{mastering.lowest:.4f})"


def timecode_of(number: int, rate: Fraction) -> str:
    """The time code of a frame that is counted from 0, at whole frames a second, none dropped (SMPTE ST 12-1): the
    29.97 of video counts as 30. It starts again after 24 hours."""
    whole = round(rate)
    seconds, frames = divmod(number % (whole * 86_400), whole)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}:{frames:02}"


def _write_light_levels(path: Path, levels: tuple[int, int], form: VideoForm) -> None:
    """Put the light levels into the stream, whose frames are all known now, and both kinds of metadata into the
    container, where the library writes neither."""
    # Two bytes of zeros in a row would need an escape that was not there: no picture is told darker than this.
    largest, average = max(1, min(levels[0], 65_535)), max(4, min(levels[1], 65_535))
    # Of H.265 message 144 of four bytes (D.2.35), of AV1 metadata of type 1 (6.7.3).
    message = b"\x90\x04" if form.encoder == "libx265" else b"\x01"
    mastering = form.mastering
    assert mastering
    wanted, told = (message + struct.pack(">HH", *pair) for pair in (PLACEHOLDER, (largest, average)))
    with path.open("r+b") as file, mmap.mmap(file.fileno(), 0) as content:
        place = first = content.find(wanted)
        while place >= 0:
            content[place : place + len(told)] = told
            place = content.find(wanted, place)
    if first < 0:
        raise BadInput("The video library left out how bright the frames are. Update the package av.")
    points = (mastering.green, mastering.blue, mastering.red, mastering.white)
    placed = [round(value * 50_000) for point in points for value in point]
    limits = round(mastering.highest * 10_000), round(mastering.lowest * 10_000)
    boxes = _box(b"mdcv", struct.pack(">8H2I", *placed, *limits)) + _box(b"clli", struct.pack(">HH", largest, average))
    with path.open("r+b") as file:
        start, contents = table_of_contents(file)
        file.seek(start)
        # The table stands last in the file, so that nothing is moved that it points at.
        file.write(_with_boxes(contents, boxes))


def table_of_contents(file: BinaryIO) -> tuple[int, bytes]:
    """Where the box `moov` of a container starts, and the rest of the file from there; empty where there is none."""
    start, end = 0, file.seek(0, os.SEEK_END)
    while start + 16 <= end:
        file.seek(start)
        size, name, large = struct.unpack(">I4sQ", file.read(16))
        size = large if size == 1 else size
        if name == b"moov":
            file.seek(start)
            return start, file.read(MOST_CONTENTS)
        if size < 8:
            break
        start += size
    return end, b""


def _box(name: bytes, content: bytes) -> bytes:
    return struct.pack(">I", 8 + len(content)) + name + content


_WITHIN = {b"moov": 8, b"trak": 8, b"mdia": 8, b"minf": 8, b"stbl": 8, b"stsd": 16, b"hvc1": 86, b"av01": 86}
"""Boxes (ISO/IEC 14496-12) that lead to the description of a video stream, with the bytes before what is in them."""


def _with_boxes(content: bytes, boxes: bytes) -> bytes:
    """A table of contents with boxes at the end of the description of its video stream."""
    grown, start, end = bytearray(content), 0, len(content)
    place = None
    while start + 8 <= end:
        size, name = struct.unpack_from(">I4s", grown, start)
        if size == 1:
            size = struct.unpack_from(">Q", grown, start + 8)[0]
        if name in _WITHIN:
            struct.pack_into(">I", grown, start, size + len(boxes))
            place, end, start = start + size, start + size, start + _WITHIN[name]
            continue
        if size < 8:
            break
        start += size
    if place is None:
        raise BadInput("The video library wrote a file of a form that is not known. Update the package av.")
    return bytes(grown[:place]) + boxes + bytes(grown[place:])
