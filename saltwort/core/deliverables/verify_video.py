"""Verify a video: what stream and container say, and whether the decoded frames fit that.

A codec scatters single pixels, and colour is shared by blocks of them. So light is judged where a whole block has it:
`block_peak` is the most light that every pixel of some block of BLOCK × BLOCK reaches.
"""

from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.deliverables.frames import numbers_told
from saltwort.core.deliverables.shown import Doubt
from saltwort.core.deliverables.told import coding_told
from saltwort.core.images.video import BT709, BT2020, VideoForm, from_planes
from saltwort.core.images.video_reading import VideoFacts, decoded, video_facts
from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import by_code_points
from saltwort.core.spaces.gamuts import P3_D65, REC709, Gamut, rgb_to_xyz

MEASURED_FRAMES = 240
"""Frames of a video that are decoded to be measured, evenly spread over it."""
PQ_POINTS = 16
OUTSIDE = 1e-3
"""Of the light of a pixel, by which it lies outside a gamut: less is rounding."""
BLOCK = 5
TOO_BRIGHT, TOO_BRIGHT_BY = 1.3, 10.0
"""Times, and cd/m² more, that a block may be brighter than is told: noise at the edges of lamps was up to 1.2 times, in
scenes made at random, coded for review."""
TOO_DIM = 5.0
"""Times by which no pixel may be dimmer than MaxCLL tells: lamps of one pixel lose up to two thirds."""
MOST_MEAN, LEAST_MEAN, LEAST_MEAN_OF_POINTS = 1.1, 0.7, 0.4
"""How the largest mean of a frame may be to MaxFALL: sharing colours takes up to a sixth from noisy frames, and more
from those whose light is single pixels, where no block reaches a third of MaxCLL."""
ODD_TIMES, ODD_BY = 8.0, 0.03
"""How much more than is usual from frame to frame, and in parts of white, an odd frame differs from both beside it."""
THUMBNAIL_ROWS = 54


def verify_video(path: Path) -> tuple[dict[str, Any], dict[str, Any], list[Doubt]]:
    """What a video says, what its frames hold, and the doubts. Raises BadInput for a file that is not a
    video."""
    video = video_facts(path)
    form = _form_of_file(video)
    says = asdict(video)
    doubts = list(_of_tags(video))
    if form is None:
        return says, {}, doubts
    measured = _measured(path, video, form)
    doubts += [*_of_light(video, measured), *_of_range(video, measured), *_of_frames(measured)]
    return says, measured.told, doubts


def _form_of_file(video: VideoFacts) -> VideoForm | None:
    """How the frames of a file are coded, as far as they can be measured here."""
    # With a j FFmpeg names 8 bits of full range.
    known = {"yuv420p": 8, "yuvj420p": 8, "yuv422p": 8, "yuvj422p": 8, "yuv420p10le": 10, "yuv422p10le": 10}
    if video.pixel_format not in known or video.stream[2] not in (BT709, BT2020):
        return None
    return VideoForm("", video.pixel_format, known[video.pixel_format], *video.stream)


def _of_tags(video: VideoFacts) -> Iterator[Doubt]:
    if video.container is None:
        yield Doubt("container-untagged", "The container says nothing of its colour; some players read it alone.")
    elif video.container != video.stream:
        yield Doubt(
            "container-disagrees",
            f"The stream says {coding_told(video.stream)}, the container {coding_told(video.container)}.",
        )
    if video.container_range and video.container_range != video.stream_range:
        yield Doubt("range-disagrees", f"The stream says {video.stream_range} range, the container the other.")
    if 2 in video.stream[:2]:
        yield Doubt("untagged", "The stream does not say what its colour is, so each player takes it as it likes.")
    if video.codec == "prores":
        return  # its stream has no place for what follows
    if video.stream[1] == PQ_POINTS and video.light_levels is None:
        yield Doubt("no-light-levels", "It is PQ and does not say how bright its frames are (MaxCLL, MaxFALL).")
    if video.stream[1] == PQ_POINTS and video.mastering is None:
        yield Doubt("no-mastering-display", "It is PQ and does not say what display it was made on.")
    if video.light_levels and video.container_light_levels not in (None, video.light_levels):
        yield Doubt("light-levels-disagree", "Stream and container tell different light levels.")


@dataclass
class _Measured:
    """Of frames spread evenly over a video. Light is in cd/m², of the brightest channel; codes are on 0–1."""

    frames: int = 0
    is_all: bool = True
    numbers: list[int] = field(default_factory=list)
    lowest: float = 1.0
    peak: float = 0.0
    beyond: float = 0.0
    ends: list[tuple[float, float]] = field(default_factory=list)
    """Of each frame the luma of 8 bits below and above which a thousandth of it lies."""
    pixel_peak: float = 0.0
    block_peak: float = 0.0
    brightest_frame: int = 0
    average: float = 0.0
    outside: list[dict[str, float]] = field(default_factory=list)
    small: list[NDArray[np.float32]] = field(default_factory=list)

    @property
    def told(self) -> dict[str, Any]:
        shares = {name: float(np.mean([each[name] for each in self.outside])) for name in (self.outside or [{}])[0]}
        light = {"brightest_area": self.block_peak, "brightest_pixel": self.pixel_peak, "max_fall": self.average}
        return {
            "measured_frames": self.frames,
            "lowest": self.lowest,
            "peak": self.peak,
            "beyond_video_levels": self.beyond / max(1, self.frames),
            **(light if self.pixel_peak else {}),
            **shares,
        }


def _measured(path: Path, video: VideoFacts, form: VideoForm) -> _Measured:
    from scipy import ndimage  # slow to import, seldom needed

    wanted = {round(place) for place in np.linspace(0, max(0, video.frames - 1), MEASURED_FRAMES)}
    known = by_code_points(form.primaries, form.transfer)
    gamut, curve = known[0] if known else (REC709, Curve(curves.SRGB))
    found = _Measured(is_all=len(wanted) >= video.frames)
    for number, planes in decoded(path, wanted, form):
        codes = from_planes(planes, form)
        found.frames += 1
        found.numbers.append(number + 1)
        found.lowest, found.peak = min(found.lowest, float(codes.min())), max(found.peak, float(codes.max()))
        luma = planes[0].astype(np.float32) / (1 << (form.bits - 8))
        areas = ndimage.uniform_filter(luma, BLOCK)  # a codec rings beyond both ends, around the same mean
        found.beyond += float(np.mean((areas < 15) | (areas > 236)))
        low, high = np.percentile(luma, (0.1, 99.9))
        found.ends.append((float(low), float(high)))
        step = max(1, luma.shape[0] // THUMBNAIL_ROWS)
        found.small.append((luma[::step, ::step] / 255).astype(np.float32))
        if curve.kind == curves.PQ:
            _add_light(found, np.clip(codes, 0, 1).max(axis=2), number + 1)
        if known and gamut != REC709:
            few = np.clip(codes, 0, 1).reshape(-1, 3)[:: max(1, codes.size // 60_000)].astype(np.float64)
            found.outside.append(outside(curve.decode(few), gamut))
    return found


def _add_light(found: _Measured, brightest: NDArray[np.float32], number: int) -> None:
    from scipy import ndimage  # slow to import, seldom needed

    light = Curve(curves.PQ).decode(brightest.astype(np.float64)) * curves.SDR_WHITE
    of_block = float(ndimage.minimum_filter(light, BLOCK).max())
    if of_block > found.block_peak:
        found.block_peak, found.brightest_frame = of_block, number
    found.pixel_peak = max(found.pixel_peak, float(light.max()))
    found.average = max(found.average, float(light.mean()))


def outside(light: NDArray[np.float64], gamut: Gamut) -> dict[str, float]:
    """How much of light, (n, 3), in the primaries of a gamut lies outside Rec.709, and outside P3, as shares 0–1."""
    xyz = light @ rgb_to_xyz(gamut).T
    shares = {}
    for name, smaller in (("outside_rec709", REC709), ("outside_p3", P3_D65)):
        inside = xyz @ np.linalg.inv(rgb_to_xyz(smaller)).T
        shares[name] = float(np.mean(inside.min(axis=1) < -OUTSIDE * np.maximum(inside.max(axis=1), 1e-6)))
    return shares


def _of_light(video: VideoFacts, measured: _Measured) -> Iterator[Doubt]:
    """Whether the light levels of HDR10, and the display it was made on, fit the frames."""
    if not measured.pixel_peak:
        return
    peak, average = measured.block_peak, measured.average
    if video.light_levels:
        told, mean = video.light_levels
        if peak > TOO_BRIGHT * told + TOO_BRIGHT_BY:
            yield Doubt(
                "max-cll-understated",
                f"MaxCLL is {told} cd/m², but frame {measured.brightest_frame} has an area of {peak:.0f}.",
            )
        elif measured.is_all and told > TOO_DIM * measured.pixel_peak:
            yield Doubt(
                "max-cll-overstated", f"MaxCLL is {told} cd/m², but its brightest pixel has {measured.pixel_peak:.0f}."
            )
        least = LEAST_MEAN_OF_POINTS if peak < told / 3 else LEAST_MEAN
        if average > MOST_MEAN * mean + 1:
            yield Doubt("max-fall-understated", f"MaxFALL is {mean} cd/m², but a frame has {average:.0f} in the mean.")
        elif measured.is_all and average + 1 < least * mean:
            yield Doubt(
                "max-fall-overstated", f"MaxFALL is {mean} cd/m², but no frame is above {average:.0f} in the mean."
            )
    if video.mastering and peak > TOO_BRIGHT * video.mastering["highest"] + TOO_BRIGHT_BY:
        yield Doubt(
            "brighter-than-mastering",
            f"It says it was made on a display of {video.mastering['highest']:.0f} cd/m², but frame "
            f"{measured.brightest_frame} has an area of {peak:.0f}.",
        )


def _of_range(video: VideoFacts, measured: _Measured) -> Iterator[Doubt]:
    if video.stream_range == "narrow" and measured.told["beyond_video_levels"] > 0.02:
        yield Doubt("full-range", "It says video levels, and much of it lies beyond them: it may be full range.")
    lows, highs = zip(*measured.ends, strict=True) if measured.ends else ((255.0,), (0.0,))
    if video.stream_range == "full" and 14 <= min(lows) <= 18 and 232 <= max(highs) <= 237:
        yield Doubt("video-levels", "It says full range, and its values end at 16 and 235: they are video levels.")


def _of_frames(measured: _Measured) -> Iterator[Doubt]:
    """Single frames that are unlike both beside them, while these are like each other."""
    small = measured.small
    steps = [float(np.abs(one - next_one).mean()) for one, next_one in pairwise(small)]
    if not measured.is_all or len(steps) < ODD_FEWEST:
        return
    usual = float(np.median(steps))
    odd = [
        measured.numbers[place]
        for place in range(1, len(small) - 1)
        if min(steps[place - 1], steps[place]) > ODD_TIMES * usual + ODD_BY
        and float(np.abs(small[place - 1] - small[place + 1]).mean()) < min(steps[place - 1], steps[place]) / 2
    ]
    if odd:
        yield Doubt("odd-frames", f"Unlike the frames before and after: {numbers_told(odd)}. Look at them.")


ODD_FEWEST = 6
"""Steps from frame to frame from which can be told what is usual."""
