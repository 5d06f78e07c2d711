"""A video of a sequence through a view: SDR and HLG for looking, HDR10 with its light measured, AV1 and ProRes."""

import os
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from PIL import Image, ImageDraw, ImageFont

from saltwort.core.configs.matching import encoding_of
from saltwort.core.deliverables.options import DISPLAY, LOOK, VIEW, option
from saltwort.core.deliverables.registry import FRAMES, Defaults, Deliverable, deliverable
from saltwort.core.deliverables.shown import FITS, LARGEST_SIDE, WITHIN, Source, picture_of
from saltwort.core.deliverables.told import Facts, points_told
from saltwort.core.deliverables.writing import Progress
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.engine.measured import space_of_view
from saltwort.core.engine.processors import LARGEST_EXPOSURE, check_view
from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video import (
    BT709,
    BT2020,
    FRAME_RATES,
    Mastering,
    VideoFacts,
    VideoForm,
    decoded,
    from_planes,
    to_planes,
    video_facts,
    writing_video,
)
from saltwort.core.names import slug
from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import Encoding
from saltwort.core.spaces.gamuts import P3_D65, REC2020, rgb_to_xyz
from saltwort.core.views.grade import NO_GRADE, Grade, check_grade
from saltwort.core.views.tone import display_xyz

H264, HEVC, HDR10, AV1, PRORES = "h264", "hevc", "hevc-hdr10", "av1", "prores"
CODECS = {
    H264: "H.264, 8-bit 4:2:0",
    HEVC: "H.265, SDR 8-bit or HLG 10-bit",
    HDR10: "H.265 HDR10, 10-bit PQ",
    AV1: "AV1, 10-bit 4:2:0",
    PRORES: "ProRes 422 HQ, 10-bit",
}
GRADES = {"high": "high", "review": "for review, smaller"}
STOP, HOLD, CLOSE_UP = "stop", "hold", "close up"
GAPS = {STOP: "stop and say which", HOLD: "hold the frame before", CLOSE_UP: "close up"}
LOOKED_AT = 24
"""Frames that are decoded again and compared with what was meant."""
BRIGHT = 1e5
"""Light far above what any view still tells apart."""
DARKEST = 0.0001
"""cd/m² that HDR10 displays are said to reach; nothing in a config tells it."""


@dataclass(frozen=True)
class MovieSettings:
    codec: str = option(H264, "Codec", choices=CODECS)
    display: str = option("", "Display", kind=DISPLAY)
    view: str = option("", "View", kind=VIEW)
    look: str = option("", "Look", kind=LOOK)
    fps: str = option("24", "Frames a second", choices={rate: rate for rate in FRAME_RATES})
    exposure: float = option(0.0, "Exposure", limits=(-LARGEST_EXPOSURE, LARGEST_EXPOSURE), unit="stops")
    quality: str = option("high", "Quality", choices=GRADES)
    use_grade: bool = option(False, "Grade of Compare", use="The grade as it stands there when this is made.")
    gaps: str = option(STOP, "Missing and broken frames", choices=GAPS)
    peak: int = option(
        0,
        "Peak of the display",
        limits=(0, 10_000),
        unit="cd/m²",
        use="For HDR10. 0 for the brightest that the view gives.",
        only={"codec": (HDR10,)},
    )
    burn_in: bool = option(False, "Burn in frame number and file name", use="On SDR review copies only.")
    width: int = option(0, "Width", limits=(0, LARGEST_SIDE), unit="pixels", use="0 keeps the picture’s own.")
    height: int = option(0, "Height", limits=(0, LARGEST_SIDE), unit="pixels", use="0 keeps the picture’s shape.")
    fit: str = option(WITHIN, "Fitted", choices=FITS)
    crop: str = option("", "Crop", use="x y width height in pixels, before it is sized.")
    grade: Grade = field(default=NO_GRADE)

    @property
    def choice(self) -> ViewChoice:
        return ViewChoice(self.display, self.view, self.look)


@dataclass(frozen=True)
class WrittenMovie:
    """A video as it was decoded again. `video` is what stream and container say; `agrees` whether both say what was
    meant. Errors are of R′G′B′ on 0–1 over `looked_at` frames, to what was meant after subsampling; `held` are
    frames that stand for missing or broken ones. `light_levels` are MaxCLL and MaxFALL of the frames themselves."""

    video: dict[str, Any]
    agrees: bool
    looked_at: int
    mean_error: float
    largest_error: float
    held: tuple[int, ...]
    left_out: tuple[int, ...]
    light_levels: tuple[float, float] | None
    bytes: int


@deliverable
class Movie(Deliverable[MovieSettings]):
    kind = "movie"
    label = "Video"
    use = "A sequence through a view, with the right colour in stream and container."
    takes = FRAMES
    settings = MovieSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {**vars(chosen.view), "grade": vars(chosen.grade)}

    def plan(self, config: ocio.Config, settings: MovieSettings) -> None:
        check_view(config, settings.choice)
        encoding = _encoding(config, settings)
        is_pq, is_hlg = (encoding.curve.kind == kind for kind in (curves.PQ, curves.HLG))
        if settings.codec == HDR10 and (not is_pq or encoding.gamut != REC2020):
            raise BadInput("HDR10 is Rec.2100 PQ. Choose a display of that kind, such as Rec.2100-PQ.", "display")
        if settings.codec == H264 and (is_pq or is_hlg):
            raise BadInput("H.264 is for SDR here. Choose H.265 HDR10 for PQ, H.265 for HLG, AV1 or ProRes.", "codec")
        if settings.codec == HEVC and is_pq:
            raise BadInput("For PQ choose H.265 HDR10, which says how bright the frames are.", "codec")
        if settings.burn_in and (is_pq or is_hlg):
            raise BadInput("Text is burnt into SDR review copies only.", "burn_in")
        if settings.use_grade:
            check_grade(settings.grade)

    def named(self, stem: str, revision: int, settings: MovieSettings) -> str:
        suffix = "mov" if settings.codec == PRORES else "mp4"
        return f"{stem}_{slug(settings.view)}_{settings.codec}_r{revision}.{suffix}"

    def facts(self, config: ocio.Config, settings: MovieSettings) -> Facts:
        encoding = _encoding(config, settings)
        assert encoding.code_points
        return {
            "codec": CODECS[settings.codec],
            "view": f"{settings.view} on {settings.display}",
            "look": settings.look or "look of the view",
            "frames a second": settings.fps,
            "colour": f"{points_told(*encoding.code_points)}, video levels",
            "exposure": f"{settings.exposure:+.2f} stops",
        }

    def write(
        self,
        config: ocio.Config,
        sources: Sequence[Source],
        settings: MovieSettings,
        target: Path,
        progress: Progress,
    ) -> WrittenMovie:
        form = form_of(config, settings)
        wanted, held, left_out = _in_order(sources, settings)
        shown = _Frames(config, settings, target.stem, form)
        size = shown.size(next(source for source in wanted if source is not None))
        levels = _LightLevels() if form.mastering else None
        looked_at = sorted({round(place) for place in np.linspace(0, len(wanted) - 1, LOOKED_AT)})
        kept: dict[int, tuple[Any, Any, Any]] = {}
        with writing_video(target, size, FRAME_RATES[settings.fps], form) as writer:
            last: Pixels | None = None
            for number, made in enumerate(_ahead(wanted, shown.made)):
                frame = made
                if isinstance(made, BadInput):
                    frame = None
                    _note_broken(made, wanted[number], number, settings, held, left_out)
                if frame is None:
                    frame = None if settings.gaps == CLOSE_UP else last
                if frame is None:
                    continue
                assert isinstance(frame, np.ndarray)
                last = frame
                if levels:
                    levels.add(frame)
                planes = to_planes(frame, form)
                if number in looked_at:
                    kept[number] = planes
                writer.write(planes)
                progress(0.9 * (number + 1) / len(wanted), f"Frame {number + 1:,} of {len(wanted):,}")
            if levels:
                writer.light_levels = levels.rounded
        progress(0.9, "Decoding it again")
        return _compared(target, form, kept, held, left_out, levels, settings)

    def told(self, written: Mapping[str, Any]) -> Facts:
        video = written["video"]
        points = tuple(video["stream"])
        levels = written["light_levels"]
        return {
            "size": f"{video['width']} × {video['height']}, {video['frames']:,} frames, {video['rate']} a second",
            "coded as": f"{video['codec']}, {video['profile']}, {video['pixel_format']}".replace(", ,", ","),
            "stream says": f"{points_told(points[0], points[1])}, matrix {points[2]}, {video['stream_range']} range",
            "container": "says the same" if written["agrees"] else "says something else than the stream",
            **({"MaxCLL, MaxFALL": f"{levels[0]:.0f}, {levels[1]:.0f} cd/m²"} if levels else {}),
            **({"made on": f"up to {video['mastering']['highest']:.0f} cd/m²"} if video["mastering"] else {}),
            **({"held": _numbers(written["held"])} if written["held"] else {}),
            **({"left out": _numbers(written["left_out"])} if written["left_out"] else {}),
            "mean error": f"{written['mean_error']:.2g}, over {written['looked_at']} frames",
            "largest error": f"{written['largest_error']:.2g}",
        }


def _numbers(numbers: Sequence[int]) -> str:
    shown = ", ".join(map(str, numbers[:8]))
    return f"{shown} and {len(numbers) - 8} more" if len(numbers) > 8 else shown


def _encoding(config: ocio.Config, settings: MovieSettings) -> Encoding:
    """What the view writes. Raises BadInput for numbers that no code points of video stand for."""
    space = space_of_view(config, settings.choice)
    encoding = encoding_of(config, space) if space else None
    if encoding is None or encoding.code_points is None:
        raise BadInput(
            f"“{settings.view}” on {settings.display} gives numbers that video has no code points for, so players "
            "would show them wrongly. Choose another display or view.",
            "view",
        )
    return encoding


def form_of(config: ocio.Config, settings: MovieSettings) -> VideoForm:
    """How the frames are coded."""
    encoding = _encoding(config, settings)
    assert encoding.code_points
    primaries, transfer = encoding.code_points
    matrix = BT2020 if primaries == BT2020 else BT709
    is_high, is_hlg = settings.quality == "high", encoding.curve.kind == curves.HLG
    encoder, pixel_format, options = {
        H264: ("libx264", "yuv420p", {"crf": "14" if is_high else "21", "preset": "medium"}),
        HEVC: ("libx265", "yuv420p10le" if is_hlg else "yuv420p", {"crf": "14" if is_high else "22", "preset": "fast"}),
        HDR10: ("libx265", "yuv420p10le", {"crf": "14" if is_high else "22", "preset": "fast"}),
        AV1: ("libsvtav1", "yuv420p10le", {"crf": "18" if is_high else "32", "preset": "8"}),
        PRORES: ("prores_ks", "yuv422p10le", {"profile": "3" if is_high else "2"}),
    }[settings.codec]
    bits = 10 if "10" in pixel_format else 8
    mastering = _mastering(config, settings) if settings.codec == HDR10 else None
    return VideoForm(encoder, pixel_format, bits, primaries, transfer, matrix, options, mastering)


def _mastering(config: ocio.Config, settings: MovieSettings) -> Mastering:
    """The display that the view is made for: the brightest white it gives, and P3 where all its colours lie in that."""
    colours = np.vstack([np.ones(3), np.eye(3), 1 - np.eye(3)]) * BRIGHT
    mixed = np.random.default_rng(1).random((2_000, 3)) * 2.0 ** np.random.default_rng(2).uniform(-6, 8, (2_000, 1))
    light = np.vstack([colours, mixed]).astype(np.float32)
    codes = apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, settings.choice), light[None])[0]
    xyz = display_xyz(config, settings.choice, np.clip(np.nan_to_num(codes), 0, 1).astype(np.float64))
    in_p3 = xyz @ np.linalg.inv(rgb_to_xyz(P3_D65)).T
    gamut = P3_D65 if in_p3.min() > -0.002 * in_p3.max() else REC2020
    peak = settings.peak or round(float(xyz[0, 1]) * 100)
    return Mastering(gamut.red, gamut.green, gamut.blue, gamut.white, DARKEST, float(peak))


def _in_order(sources: Sequence[Source], settings: MovieSettings) -> tuple[list[Source | None], list[int], list[int]]:
    """The frames in order, None where one is missing and is to be held. Raises BadInput where that stops the work."""
    numbers = [source.number for source in sources]
    held: list[int] = []
    left_out: list[int] = []
    if settings.gaps == CLOSE_UP or any(number is None for number in numbers):
        return list(sources), held, left_out
    by_number = {source.number: source for source in sources}
    known = [number for number in numbers if number is not None]
    step = min((after - before for before, after in pairwise(known)), default=1) or 1
    missing = [number for number in range(min(known), max(known), step) if number not in by_number]
    if missing and settings.gaps == STOP:
        raise BadInput(f"Frames are missing: {_numbers(missing)}. Render them, or choose to hold or close up.", "gaps")
    held.extend(missing)
    return [by_number.get(number) for number in range(min(known), max(known) + 1, step)], held, left_out


def _note_broken(
    error: BadInput, source: Source | None, place: int, settings: MovieSettings, held: list[int], left_out: list[int]
) -> None:
    """List a frame that cannot be read. Raises BadInput where that stops the work."""
    if settings.gaps == STOP:
        raise BadInput(f"{error} To go on without it, choose to hold the frame before, or to close up.", "gaps")
    number = source.number if source and source.number is not None else place
    (held if settings.gaps == HOLD else left_out).append(number)


class _Frames:
    """Frames through the view, on several threads: the engine and the image library let others work meanwhile."""

    def __init__(self, config: ocio.Config, settings: MovieSettings, name: str, form: VideoForm) -> None:
        self._config, self._settings, self._name, self._form = config, settings, name, form

    def size(self, source: Source) -> tuple[int, int]:
        """Width and height, both even, as video has them."""
        width, height = picture_of(self._config, source, self._settings).size
        if width < 2 or height < 2:
            raise BadInput("A video needs two pixels each way.")
        self._size = width - width % 2, height - height % 2
        return self._size

    def made(self, source: Source) -> Pixels:
        picture = picture_of(self._config, source, self._settings)
        codes = np.concatenate(list(picture.strips()))[: self._size[1], : self._size[0]]
        if codes.shape[:2] != self._size[::-1]:
            raise BadInput(f"{source.file.name} has another size than the first frame.")
        if self._settings.burn_in:
            number = "" if source.number is None else f"   {source.number}"
            codes = burnt_in(codes, f"{self._name}{number}")
        return codes


def _ahead(sources: Sequence[Source | None], make: Callable[[Source], Pixels]) -> Iterator[Pixels | BadInput | None]:
    """Frames in order, made a few ahead of the encoder; memory does not grow with their number."""
    ahead = (os.cpu_count() or 1) + 1
    with ThreadPoolExecutor(ahead) as pool:
        waiting: deque[Future[Pixels] | None] = deque()
        rest = iter(sources)

        def begin() -> bool:
            source = next(rest, "end")
            if source == "end":
                return False
            waiting.append(None if source is None else pool.submit(make, source))  # type: ignore[arg-type]
            return True

        try:
            while len(waiting) < ahead and begin():
                pass
            while waiting:
                future = waiting.popleft()
                begin()
                yield None if future is None else _result(future)
        finally:
            for future in waiting:
                if future:
                    future.cancel()


def _result(future: "Future[Pixels]") -> Pixels | BadInput:
    try:
        return future.result()
    except BadInput as error:
        return error


def burnt_in(codes: Pixels, text: str) -> Pixels:
    """A picture with a line of text at its foot, white on a dark bar."""
    height, width = codes.shape[:2]
    size = max(10, height // 36)
    bar = Image.new("L", (width, 2 * size), 0)
    ImageDraw.Draw(bar).text((size, size // 2), text, fill=255, font=ImageFont.load_default(size))
    words = np.asarray(bar, np.float32)[..., None] / 255
    result = codes.copy()
    foot = result[height - 2 * size :]
    foot[:] = foot * np.float32(0.25) * (1 - words) + words
    return result


class _LightLevels:
    """MaxCLL and MaxFALL (CTA-861.3, annex P): of the brightest channel of each pixel, in cd/m², the largest of all,
    and the largest mean of a frame."""

    def __init__(self) -> None:
        self.largest = self.average = 0.0

    def add(self, codes: Pixels) -> None:
        brightest = np.clip(np.nan_to_num(codes), 0, 1).max(axis=2)
        light = Curve(curves.PQ).decode(brightest.astype(np.float64)) * 100
        self.largest = max(self.largest, float(light.max()))
        self.average = max(self.average, float(light.mean()))

    @property
    def rounded(self) -> tuple[int, int]:
        return round(self.largest), round(self.average)


def _compared(
    target: Path,
    form: VideoForm,
    kept: Mapping[int, tuple[Any, Any, Any]],
    held: Sequence[int],
    left_out: Sequence[int],
    levels: _LightLevels | None,
    settings: MovieSettings,
) -> WrittenMovie:
    """What the file says and shows, decoded by another codec than wrote it where FFmpeg has one."""
    video = video_facts(target)
    total = largest = 0.0
    count = 0
    for number, planes in decoded(target, kept, form):
        error = np.abs(from_planes(planes, form) - from_planes(kept[number], form))
        total, count, largest = total + float(error.mean()), count + 1, max(largest, float(error.max()))
    return WrittenMovie(
        video=asdict(video),
        agrees=_agrees(video, form),
        looked_at=count,
        mean_error=total / max(1, count),
        largest_error=largest,
        held=tuple(held),
        left_out=tuple(left_out),
        light_levels=(levels.largest, levels.average) if levels else None,
        bytes=target.stat().st_size,
    )


def _agrees(video: VideoFacts, form: VideoForm) -> bool:
    """Whether stream and container both say what was meant."""
    meant = (form.primaries, form.transfer, form.matrix)
    ranges = {video.stream_range, video.container_range} - {""}
    levels = video.light_levels == video.container_light_levels
    return video.stream == meant and video.container == meant and ranges == {"narrow"} and levels
