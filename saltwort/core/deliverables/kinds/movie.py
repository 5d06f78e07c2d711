"""A video of a sequence through a view: SDR and HLG for looking, HDR10 with its light measured, AV1 and ProRes."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass
from itertools import chain
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from PIL import Image, ImageDraw

from saltwort.core.configs.matching import encoding_of
from saltwort.core.deliverables.foreseen import Foreseen, Subject, raw_bytes
from saltwort.core.deliverables.frames import GAPS, STOP, Frames, numbers_told
from saltwort.core.deliverables.options import option
from saltwort.core.deliverables.registry import FRAMES, Defaults, Deliverable, Progress, deliverable
from saltwort.core.deliverables.same_picture import (
    NOISE,
    ColourShift,
    largest_of_blocks,
    of_recoded_colours,
    of_shifted_colours,
)
from saltwort.core.deliverables.shown import Doubt, ShownSettings, Source, of_another_size, size_doubts
from saltwort.core.deliverables.told import Facts, coding_told, points_told
from saltwort.core.engine import apply, view_processor
from saltwort.core.engine.measured import space_of_view
from saltwort.core.errors import BadInput
from saltwort.core.images.lettering import lettering
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video import (
    BT709,
    BT2020,
    FRAME_RATES,
    Mastering,
    VideoForm,
    from_planes,
    timecode_of,
    to_planes,
    writing_video,
)
from saltwort.core.images.video_reading import VideoFacts, decoded, video_facts
from saltwort.core.names import slug
from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import Encoding
from saltwort.core.spaces.gamuts import P3_D65, REC2020, rgb_to_xyz
from saltwort.core.views.hdr import BRIGHT, peak_of_view
from saltwort.core.views.tone import display_xyz

H264, HEVC, HDR10, AV1, PRORES = "h264", "hevc", "hevc-hdr10", "av1", "prores"
CODECS = {
    H264: "H.264, 8-bit 4:2:0",
    HEVC: "H.265, SDR 8-bit or HLG 10-bit",
    HDR10: "H.265 HDR10, 10-bit PQ",
    AV1: "AV1, 10-bit 4:2:0",
    PRORES: "ProRes 422 HQ, 10-bit",
}
FFMPEG_NAMES = {"libx264": "h264", "libx265": "hevc", "libsvtav1": "av1", "prores_ks": "prores"}
"""What FFmpeg calls the codec that an encoder writes."""
GRADES = {"high": "high", "review": "for review, smaller"}
SLATE_GREY = 40
OTHER_FRAMES = Doubt("other-frames", "It has not as many frames as the recipe makes of this render.")
COMPARED = 120
"""Frames, evenly spread, that are held against those of the recipe."""
LOOKED_AT = 24
"""Frames that are decoded again and compared with what was meant."""
MOST_BITS, PRORES_BITS = 4.0, 6.0
"""Bits a pixel that frames take at most, by what was seen of noisy ones; ProRes HQ aims at 4.4."""
DARKEST = 0.0001
"""cd/m² that HDR10 displays are said to reach; nothing in a config tells it."""


@dataclass(frozen=True)
class MovieSettings(ShownSettings):
    codec: str = option(H264, "Codec", choices=CODECS, first=True)
    fps: str = option("24", "Frames a second", choices={rate: rate for rate in FRAME_RATES}, first=True)
    quality: str = option("high", "Quality", choices=GRADES)
    gaps: str = option(STOP, "Missing and broken frames", choices=GAPS)
    peak: int = option(
        0,
        "Peak of the display",
        limits=(0, 10_000),
        unit="cd/m²",
        use="For PQ. 0 for the brightest that the view gives.",
        only={"codec": (HDR10, AV1)},
    )
    timecode: bool = option(True, "Timecode", use="The number of the first frame, counted at its frames a second.")
    burn_in: bool = option(False, "Burn in frame number and file name", use="On SDR review copies only.")
    slate: bool = option(False, "Slate", use="A second that says what follows, on SDR review copies only.")


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
    verifies = compares = True
    settings = MovieSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {**vars(chosen.view), "grade": vars(chosen.grade)}

    def plan(self, config: ocio.Config, settings: MovieSettings) -> None:
        settings.check(config)
        encoding = _encoding(config, settings)
        is_pq, is_hlg = (encoding.curve.kind == kind for kind in (curves.PQ, curves.HLG))
        if settings.codec == HDR10 and (not is_pq or encoding.gamut != REC2020):
            raise BadInput("HDR10 is Rec.2100 PQ. Choose a display of that kind, such as Rec.2100-PQ.", "display")
        if settings.codec == H264 and (is_pq or is_hlg):
            raise BadInput("H.264 is for SDR here. Choose H.265 HDR10 for PQ, H.265 for HLG, AV1 or ProRes.", "codec")
        if settings.codec == HEVC and is_pq:
            raise BadInput("For PQ choose H.265 HDR10, which says how bright the frames are.", "codec")
        for name in ("burn_in", "slate"):
            if getattr(settings, name) and (is_pq or is_hlg):
                raise BadInput("Text is put into SDR review copies only.", name)

    def named(self, stem: str, revision: int, settings: MovieSettings) -> str:
        return f"{stem}_{slug(settings.view)}_{settings.codec}_r{revision}{self.endings(settings)[0]}"

    def endings(self, settings: MovieSettings) -> tuple[str, ...]:
        return (".mov",) if settings.codec == PRORES else (".mp4", ".mov")

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

    def foresee(self, config: ocio.Config, settings: MovieSettings, subject: Subject | None) -> Foreseen:
        assert subject
        form = form_of(config, settings)
        losses = [*settings.foreseen_losses(config, subject, 0.5 / ((1 << form.bits) - 1))]
        losses.append(f"{form.bits} bits, lossy; how much is measured once it is made.")
        halved = "4:2:2, half as wide" if settings.codec == PRORES else "4:2:0, half as wide and high"
        losses.append(f"Colour is {halved} as the picture.")
        bits = PRORES_BITS if settings.codec == PRORES else MOST_BITS
        return Foreseen(raw_bytes(_even(settings.foreseen_size(subject)), 1, bits / 8), tuple(losses))

    def make(
        self,
        config: ocio.Config,
        sources: Sequence[Source],
        settings: MovieSettings,
        target: Path,
        progress: Progress,
    ) -> WrittenMovie:
        form = form_of(config, settings)
        size = _size(config, sources, settings)
        frames = Frames(sources, settings.gaps, lambda source: _frame(config, source, settings, size, target.stem))
        levels = _LightLevels() if form.mastering else None
        slate = [slated(size, _slate_lines(target.stem, sources, settings))] if settings.slate else []
        before = slate * round(FRAME_RATES[settings.fps])
        count = len(before) + len(frames)
        looked_at = {round(place) for place in np.linspace(0, count - 1, LOOKED_AT)}
        kept: dict[int, tuple[Any, Any, Any]] = {}
        timecode = _timecode(frames, len(before), settings)
        with writing_video(target, size, FRAME_RATES[settings.fps], form, timecode) as writer:
            for number, frame in enumerate(chain(before, frames)):
                if levels:
                    levels.add(frame)
                planes = to_planes(frame, form)
                if number in looked_at:
                    kept[number] = planes
                writer.write(planes)
                progress(0.9 * (number + 1) / count, f"Frame {number + 1:,} of {count:,}")
            if levels:
                writer.light_levels = levels.rounded
        progress(0.9, "Decoding it again")
        return _compared(target, form, kept, frames, levels)

    def doubts(
        self, config: ocio.Config, settings: MovieSettings, says: Mapping[str, Any], file: Path
    ) -> Iterator[Doubt]:
        form = form_of(config, settings)
        codec = "av1" if "av1" in says["codec"] or "dav1d" in says["codec"] else says["codec"]
        if codec != FFMPEG_NAMES[form.encoder]:
            yield Doubt("other-codec", f"The recipe makes {FFMPEG_NAMES[form.encoder]}; this is {codec}.")
        if says["pixel_format"] != form.pixel_format:
            yield Doubt("other-samples", f"The recipe asks for {form.pixel_format}; this is {says['pixel_format']}.")
        meant, said = (form.primaries, form.transfer, form.matrix), tuple(says["stream"])
        if said != meant:
            yield Doubt("other-colour", f"The recipe’s display is {coding_told(meant)}; it says {coding_told(said)}.")
        rate = FRAME_RATES[settings.fps]
        if says["rate"] != f"{rate.numerator}/{rate.denominator}":
            yield Doubt("other-rate", f"The recipe has {settings.fps} frames a second; this has {says['rate']}.")
        yield from size_doubts(settings, says)

    def differs(
        self, config: ocio.Config, sources: Sequence[Source], settings: MovieSettings, file: Path
    ) -> list[Doubt]:
        form, video = form_of(config, settings), video_facts(file)
        size = _size(config, sources, settings)
        if (video.width, video.height) != size:
            return [of_another_size(size, (video.width, video.height))]
        before = round(FRAME_RATES[settings.fps]) if settings.slate else 0
        frames = Frames(sources, settings.gaps, lambda source: _frame(config, source, settings, size, file.stem))
        if not 0 < video.frames - before <= len(frames):
            return [OTHER_FRAMES]
        wanted = {before + round(place) for place in np.linspace(0, video.frames - before - 1, COMPARED)}
        off: dict[int, float] = {}
        is_av1_review = settings.codec == AV1 and settings.quality == "review"
        shift, noise = ColourShift(), NOISE["review of AV1" if is_av1_review else settings.quality]
        meant = enumerate(frames, start=before)
        for number, planes in decoded(file, wanted, form):
            shown = next((frame for place, frame in meant if place == number), None)
            if shown is None:
                return [OTHER_FRAMES]
            if settings.burn_in:  # the text holds the name that the file had
                foot = foot_of(size)
                shown[-foot:] = from_planes(planes, form)[-foot:]
            found, right = from_planes(planes, form), from_planes(to_planes(shown, form), form)
            shift.add(found, right)
            largest = largest_of_blocks(found, right)
            if largest > noise.block:
                off[number + 1] = largest
        if next(meant, None) is not None:  # how many frames are closed up is known at the end alone
            return [OTHER_FRAMES]
        if not off:
            if recoded := shift.recoded:
                return [of_recoded_colours(*recoded)]
            size_of_shift = shift.size
            return [of_shifted_colours(size_of_shift)] if size_of_shift > noise.colours else []
        numbers = numbers_told(list(off))
        places = f"frame {numbers} differs" if len(off) == 1 else f"frames {numbers} differ"
        return [
            Doubt(
                "other-picture",
                f"Of {len(wanted):,} frames compared, {places} from what the recipe makes of this render, areas by up "
                f"to {max(off.values()):.2g}.",
            )
        ]

    def told(self, written: Mapping[str, Any]) -> Facts:
        video = written["video"]
        levels = written["light_levels"]
        return {
            "size": f"{video['width']} × {video['height']}, {video['frames']:,} frames, {video['rate']} a second",
            "coded as": f"{video['codec']}, {video['profile']}, {video['pixel_format']}".replace(", ,", ","),
            **({"timecode": f"starts at {video['timecode']}"} if video.get("timecode") else {}),
            "stream says": coding_told(video["stream"], video["stream_range"]),
            "container": "says the same" if written["agrees"] else "says something else than the stream",
            **({"MaxCLL, MaxFALL": f"{levels[0]:.0f}, {levels[1]:.0f} cd/m²"} if levels else {}),
            **({"made on": f"up to {video['mastering']['highest']:.0f} cd/m²"} if video["mastering"] else {}),
            **({"held": numbers_told(written["held"])} if written["held"] else {}),
            **({"left out": numbers_told(written["left_out"])} if written["left_out"] else {}),
            "mean error": f"{written['mean_error']:.2g}, over {written['looked_at']} frames",
            "largest error": f"{written['largest_error']:.2g}",
        }


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
    is_pq = encoding.curve.kind == curves.PQ
    mastering = _mastering(config, settings) if is_pq and settings.codec in (HDR10, AV1) else None
    return VideoForm(encoder, pixel_format, bits, primaries, transfer, matrix, options, mastering)


def _timecode(frames: Frames, slate: int, settings: MovieSettings) -> str:
    """Of the first frame of the file; empty where it has no number, or none is wanted. A slate stands before."""
    first = frames.first_number
    if first is None or not settings.timecode:
        return ""
    return timecode_of(first - slate, FRAME_RATES[settings.fps])


def _mastering(config: ocio.Config, settings: MovieSettings) -> Mastering:
    """The display that the view is made for: the brightest white it gives, and P3 where all its colours lie in that."""
    colours = np.vstack([np.ones(3), np.eye(3), 1 - np.eye(3)]) * BRIGHT
    mixed = np.random.default_rng(1).random((2_000, 3)) * 2.0 ** np.random.default_rng(2).uniform(-6, 8, (2_000, 1))
    light = np.vstack([colours, mixed]).astype(np.float32)
    codes = apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, settings.choice), light[None])[0]
    xyz = display_xyz(config, settings.choice, np.clip(np.nan_to_num(codes), 0, 1).astype(np.float64))
    in_p3 = xyz @ np.linalg.inv(rgb_to_xyz(P3_D65)).T
    gamut = P3_D65 if in_p3.min() > -0.002 * in_p3.max() else REC2020
    peak = settings.peak or round(peak_of_view(config, settings.choice))
    return Mastering(gamut.red, gamut.green, gamut.blue, gamut.white, DARKEST, float(peak))


def _size(config: ocio.Config, sources: Sequence[Source], settings: MovieSettings) -> tuple[int, int]:
    """Width and height of the first frame that can be opened. Raises BadInput when none can."""
    for source in sources[:-1]:
        with suppress(BadInput):
            return _even(settings.picture(config, source).size)
    return _even(settings.picture(config, sources[-1]).size)


def _even(size: tuple[int, int]) -> tuple[int, int]:
    """Width and height as video has them. An odd one loses its last pixel."""
    if min(size) < 2:
        raise BadInput("A video needs two pixels each way.")
    return size[0] - size[0] % 2, size[1] - size[1] % 2


def _frame(config: ocio.Config, source: Source, settings: MovieSettings, size: tuple[int, int], name: str) -> Pixels:
    """A frame through the view. Raises BadInput for one that cannot be read, or has another size than the first."""
    picture = settings.picture(config, source)
    if _even(picture.size) != size:
        raise BadInput(f"{source.name} has another size than the first frame.")
    codes = np.concatenate(list(picture.strips()))[: size[1], : size[0]]
    number = "" if source.number is None else f"   {source.number}"
    return burnt_in(codes, f"{name}{number}") if settings.burn_in else codes


def foot_of(size: tuple[int, int]) -> int:
    """Rows that burnt-in text takes of a picture of a size (width, height)."""
    return 2 * max(10, size[1] // 36)


def burnt_in(codes: Pixels, text: str) -> Pixels:
    """A picture with a line of text at its foot, white on a dark bar."""
    height, width = codes.shape[:2]
    bar = Image.new("L", (width, foot_of((width, height))), 0)
    size = bar.height // 2
    ImageDraw.Draw(bar).text((size, size // 2), text, fill=255, font=lettering(text, size))
    words = np.asarray(bar, np.float32)[..., None] / 255
    result = codes.copy()
    foot = result[height - bar.height :]
    foot[:] = foot * np.float32(0.25) * (1 - words) + words
    return result


def _slate_lines(name: str, sources: Sequence[Source], settings: MovieSettings) -> list[str]:
    """What a slate says: the file, with its revision, the view, the frames and their rate."""
    numbers = [source.number for source in sources if source.number is not None]
    frames = f"frames {min(numbers)} to {max(numbers)}" if numbers else f"{len(sources)} frames"
    look = f", look {settings.look}" if settings.look else ""
    return [
        name,
        f"{settings.view} on {settings.display}{look}, exposure {settings.exposure:+.2f} stops",
        f"{frames} at {settings.fps} a second",
        *(["graded as in Compare"] if settings.use_grade else []),
    ]


def slated(size: tuple[int, int], lines: Sequence[str]) -> Pixels:
    """A dark page with lines of text, as code values, (height, width, 3) for a size (width, height)."""
    width, height = size
    page = Image.new("L", size, SLATE_GREY)
    draw = ImageDraw.Draw(page)
    for number, line in enumerate(lines):
        letters = max(10, height // (16 if number == 0 else 24))
        font = lettering(line, letters)
        while letters > 8 and draw.textlength(line, font) > 0.9 * width:
            letters -= 1
            font = lettering(line, letters)
        draw.text((width * 0.05, height * (0.3 + 0.13 * number)), line, fill=255, font=font)
    return np.repeat(np.asarray(page, np.float32)[..., None] / 255, 3, axis=2)


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
    frames: Frames,
    levels: _LightLevels | None,
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
        held=tuple(frames.held),
        left_out=tuple(frames.left_out),
        light_levels=(levels.largest, levels.average) if levels else None,
        bytes=target.stat().st_size,
    )


def _agrees(video: VideoFacts, form: VideoForm) -> bool:
    """Whether stream and container both say what was meant."""
    meant = (form.primaries, form.transfer, form.matrix)
    ranges = {video.stream_range, video.container_range} - {""}
    levels = video.light_levels == video.container_light_levels
    return video.stream == meant and video.container == meant and ranges == {"narrow"} and levels
