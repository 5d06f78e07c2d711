"""Videos: the right colour in stream and container, HDR10 with its light measured, gaps; and verified files."""

import os
from dataclasses import asdict, replace
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import skipUnless

import av
import numpy as np
from PIL import Image, ImageCms
from scipy import ndimage

from saltwort.core.deliverables import Source, deliverables
from saltwort.core.deliverables.verify import against, verify
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_pixels, write_image
from saltwort.core.images.video import (
    BT709,
    BT2020,
    Mastering,
    VideoForm,
    from_planes,
    timecode_of,
    to_planes,
    writing_video,
)
from saltwort.core.images.video_reading import video_facts, video_frame
from saltwort.core.spaces.gamuts import REC2020
from tests.core.test_deliverables import CHOSEN, DeliverableTestCase
from tests.samples import ACES_SDR, SRGB_DISPLAY, light, write, write_damaged

HDR = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (P3 D65)"}
SDR709 = {"display": "Rec.1886 Rec.709 - Display", "view": ACES_SDR.view}


def smooth(height: int, width: int, peak: float, shift: int = 0) -> np.ndarray:
    """Light as renders have it, without noise that no codec keeps."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32) / width
    base = np.exp2(6 * np.sin(3 * x + shift / 9) * np.cos(2 * y))
    return np.stack([base, base * 0.6, base * 0.3 + 0.02], -1).astype(np.float32) * (peak / base.max())


SEED = int(os.environ.get("SALTWORT_SEED", "20261205"))


def night(rng: np.random.Generator, height: int, width: int) -> np.ndarray:
    """Light in cd/m² of a noisy picture with lamps of all sizes and colours."""
    y, x = np.mgrid[:height, :width]
    base = ndimage.gaussian_filter(rng.random((height, width, 3)), (6, 6, 0))
    found = (base - base.min()) / np.ptp(base) * 10 ** rng.uniform(0, 2.3) + 0.01
    for _ in range(int(rng.integers(2, 30))):
        far = (y - rng.integers(0, height)) ** 2 + (x - rng.integers(0, width)) ** 2
        found[far <= rng.uniform(0.4, 12) ** 2] = 10 ** rng.uniform(2, 3.9) * rng.uniform(0.02, 1, 3)
    top, left = rng.integers(0, height - 12), rng.integers(0, width - 12)
    found *= np.exp(rng.normal(0, rng.uniform(0, 0.2), (height, width, 1)))
    brightest = 10 ** rng.uniform(2.7, 4)
    found[top : top + 12, left : left + 12] = brightest
    return np.minimum(found, brightest)


def pq_codes(light: np.ndarray) -> np.ndarray:
    """SMPTE ST 2084, 5.2, of cd/m²."""
    m1, m2, c1, c2, c3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
    raised = (np.clip(light, 0, 10_000) / 10_000) ** m1
    return (((c1 + c2 * raised) / (1 + c3 * raised)) ** m2).astype(np.float32)


class MovieTestCase(DeliverableTestCase):
    COUNT = 10

    def setUp(self) -> None:
        super().setUp()
        self.frames = tuple(
            Source(self.frame(number, smooth(54, 96, 12.0, number)), "ACEScg", number=number)
            for number in range(1, self.COUNT + 1)
        )

    def frame(self, number: int, pixels: np.ndarray) -> Path:
        return write(self.folder / "frames" / f"quay.{number:04}.exr", pixels, "half")

    def decoded(self, file: Path) -> list[np.ndarray]:
        """Frames as R′G′B′ on 0–1, by the arithmetic of FFmpeg and not of ours."""
        with av.open(str(file)) as container:
            return [
                frame.to_ndarray(format="rgb48le").astype(np.float32) / 65535 for frame in container.decode(video=0)
            ]


class Planes(MovieTestCase):
    def test_the_values_of_the_standards(self) -> None:
        """BT.709 and BT.2020 in narrow range: black, white and pure red, in 8 and 10 bits."""
        for matrix, red_luma in ((BT709, 0.2126), (BT2020, 0.2627)):
            for bits in (8, 10):
                form = VideoForm("", "yuv420p", bits, 1, 1, matrix)
                step = 1 << (bits - 8)
                for colour, luma, cr in (((0, 0, 0), 0, 0), ((1, 1, 1), 1, 0), ((1, 0, 0), red_luma, 0.5)):
                    planes = to_planes(np.full((4, 4, 3), colour, np.float32), form)
                    self.assertEqual(planes[0][0, 0], np.floor((luma * 219 + 16) * step + 0.5))
                    self.assertEqual(planes[2][0, 0], np.floor((cr * 224 + 128) * step + 0.5))
                    self.assertEqual([plane.shape for plane in planes], [(4, 4), (2, 2), (2, 2)])

    def test_colour_is_sited_where_it_says(self) -> None:
        """A red step between two columns: left sites weigh the column itself twice as much as its neighbours."""
        codes = np.zeros((8, 8, 3), np.float32)
        codes[:, 4:] = (1, 0, 0)
        form = VideoForm("", "yuv420p", 8, 1, 1, BT709)
        half = (to_planes(codes, form)[2][0].astype(float) - 128) / 224
        np.testing.assert_allclose(half, (0, 0, 0.375, 0.5), atol=0.003)
        upright = np.ascontiguousarray(codes.transpose(1, 0, 2))
        between = (to_planes(upright, form)[2][:, 0].astype(float) - 128) / 224
        np.testing.assert_allclose(between, (0, 0, 0.5, 0.5), atol=0.003)
        top_left = replace(form, matrix=BT2020)
        sited = (to_planes(upright, top_left)[2][:, 0].astype(float) - 128) / 224
        np.testing.assert_allclose(sited, (0, 0, 0.375, 0.5), atol=0.003)

    def test_there_and_back(self) -> None:
        codes = np.repeat(np.repeat(np.random.default_rng(3).random((12, 16, 3), np.float32), 4, 0), 4, 1)
        for matrix in (BT709, BT2020):
            form = VideoForm("", "yuv422p10le", 10, 1, 1, matrix)
            inside = np.abs(from_planes(to_planes(codes, form), form) - codes)[:, 2::4]
            self.assertLess(inside.max(), 3 / 876)  # a step of luma and two of colour


class Movies(MovieTestCase):
    def test_every_codec_says_and_shows_what_was_meant(self) -> None:
        """Against the engine, through FFmpeg's own decoding: mean error by codec, on pictures without noise."""
        meant = {
            frame.number: np.clip(
                apply(view_processor(self.config, "ACEScg", ViewChoice(**SDR709)), read_pixels(frame.file)), 0, 1
            )
            for frame in self.frames
        }
        for codec, bound in (("h264", 0.012), ("hevc", 0.012), ("av1", 0.012), ("prores", 0.008)):
            with self.subTest(codec):
                target, written = self.make("movie", self.frames, codec=codec, fps="23.976", **SDR709)
                self.assertTrue(written.agrees)
                facts = video_facts(target)
                self.assertEqual((facts.stream, facts.container), ((1, 1, 1), (1, 1, 1)))
                self.assertEqual((facts.rate, facts.frames, facts.stream_range), ("24000/1001", self.COUNT, "narrow"))
                frames = self.decoded(target)
                self.assertEqual(len(frames), self.COUNT)
                for number, frame in enumerate(frames, start=1):
                    self.assertLess(np.abs(frame - meant[number]).mean(), bound)
                self.assertLess(written.mean_error, bound)

    def test_the_timecode_is_that_of_the_first_frame(self) -> None:
        shot = tuple(replace(frame, number=frame.number + 1000) for frame in self.frames)
        for codec, fps, asked, expected in (
            ("h264", "24", {}, "00:00:41:17"),
            ("hevc", "25", {}, "00:00:40:01"),
            ("av1", "29.97", {}, "00:00:33:11"),
            ("prores", "23.976", {}, "00:00:41:17"),
            ("h264", "24", {"slate": True}, "00:00:40:17"),
            ("h264", "24", {"timecode": False}, ""),
        ):
            with self.subTest(codec, fps=fps, asked=asked):
                target, _ = self.make("movie", shot[:3], codec=codec, fps=fps, **SDR709, **asked)
                self.assertEqual(video_facts(target).timecode, expected)
                self.assertEqual(verify(target).doubts, ())
        for number, rate, told in (
            (0, Fraction(24), "00:00:00:00"),
            (86_400 * 24 + 5, Fraction(24), "00:00:00:05"),
            (-24, Fraction(24), "23:59:59:00"),
            (3_600 * 60 + 61, Fraction(60_000, 1001), "01:00:01:01"),
        ):
            self.assertEqual(timecode_of(number, rate), told)

    def test_colour_samples_of_av1_lie_where_they_are_made(self) -> None:
        for asked, site in ((SDR709, 1), (HDR, 2)):
            target, _ = self.make("movie", self.frames[:3], codec="av1", **asked)
            self.assertEqual(video_facts(target).chroma_site, site)

    def test_hdr10_tells_the_light_of_the_frames_themselves(self) -> None:
        for codec in ("hevc-hdr10", "av1"):
            with self.subTest(codec):
                self.check_light_levels(codec)

    def check_light_levels(self, codec: str) -> None:
        target, written = self.make("movie", self.frames, codec=codec, **HDR)
        choice, largest, average = ViewChoice(**HDR), 0.0, 0.0
        for frame in self.frames:
            codes = np.clip(apply(view_processor(self.config, "ACEScg", choice), read_pixels(frame.file)), 0, 1)
            brightest = codes.max(axis=2).astype(np.float64)
            powered = np.maximum(brightest, 0) ** (1 / 78.84375)  # ST 2084, written out here once more
            nits = 10_000 * (np.maximum(powered - 0.8359375, 0) / (18.8515625 - 18.6875 * powered)) ** (
                1 / 0.1593017578125
            )
            largest, average = max(largest, nits.max()), max(average, nits.mean())
        facts = video_facts(target)
        self.assertEqual(facts.light_levels, (round(largest), round(average)))
        self.assertEqual(facts.container_light_levels, facts.light_levels)
        self.assertTrue(facts.container_has_mastering)
        self.assertAlmostEqual(facts.mastering["highest"], 1000, delta=10)
        np.testing.assert_allclose(facts.mastering["red"], (0.680, 0.320), atol=1e-4)
        np.testing.assert_allclose(facts.mastering["white"], (0.3127, 0.3290), atol=1e-4)
        self.assertEqual((facts.profile, facts.stream), ("Main 10" if codec != "av1" else "Main", (9, 16, 9)))
        self.assertEqual(written.video["light_levels"], facts.light_levels)
        with av.open(str(target)) as container:
            tag = "av01" if codec == "av1" else "hvc1"
            self.assertEqual(container.streams.video[0].codec_context.codec_tag, tag)
            self.assertEqual(sum(1 for _ in container.decode(video=0)), self.COUNT, "it is whole after its boxes grew")
        _, dimmer = self.make("movie", self.frames, codec=codec, peak=600, exposure=-3.0, **HDR)
        self.assertEqual(dimmer.video["mastering"]["highest"], 600)
        self.assertLess(dimmer.light_levels[0], written.light_levels[0])

    @skipUnless(hasattr(os, "sched_getscheduler"), "only Linux has such threads")
    def test_no_encoder_makes_threads_real_time(self) -> None:
        """As root, SVT-AV1 does; it would hold up all else that runs on the machine, and for good."""
        planes = to_planes(np.zeros((64, 64, 3), np.float32), VideoForm("", "yuv420p", 8, BT709, BT709, BT709))
        for encoder in ("libsvtav1", "libx264", "libx265"):
            form = VideoForm(encoder, "yuv420p", 8, BT709, BT709, BT709)
            with self.subTest(encoder), writing_video(self.folder / "one.mp4", (64, 64), Fraction(24), form) as writer:
                writer.write(planes)
                threads = [int(task.name) for task in Path("/proc/self/task").iterdir()]
                self.assertEqual({os.sched_getscheduler(thread) for thread in threads}, {os.SCHED_OTHER})

    def test_few_frames_have_their_times(self) -> None:
        """x265 leaves the decoding time of one or two frames uninitialised: most such files were refused."""
        for encoder in ("libsvtav1", "libx264", "libx265"):
            form = VideoForm(encoder, "yuv420p", 8, BT709, BT709, BT709)
            planes = to_planes(np.zeros((64, 64, 3), np.float32), form)
            for count in (1, 2, 3) * (6 if encoder == "libx265" else 1):
                target = self.folder / "few.mp4"
                with writing_video(target, (64, 64), Fraction(24), form) as writer:
                    for _ in range(count):
                        writer.write(planes)
                with self.subTest(encoder, count=count), av.open(str(target)) as container:
                    packets = [packet for packet in container.demux(video=0) if packet.size]
                    times = sorted(float(packet.pts * packet.time_base) for packet in packets)
                    np.testing.assert_allclose(np.subtract(times, times[0]), np.arange(count) / 24, atol=1e-3)
                    self.assertTrue(all(-3 / 24 <= (p.dts - p.pts) * p.time_base <= 0 for p in packets))

    def test_missing_and_broken_frames(self) -> None:
        without = (*self.frames[:3], *self.frames[5:])
        with self.assertRaisesRegex(BadInput, "Frames are missing: 4, 5"):
            self.make("movie", without)
        _, held = self.make("movie", without, gaps="hold")
        self.assertEqual((held.video["frames"], held.held), (self.COUNT, (4, 5)))
        _, closed = self.make("movie", without, gaps="close up")
        self.assertEqual(closed.video["frames"], self.COUNT - 2)
        write_damaged(self.frames[6].file, light(200, 200), "half")
        with self.assertRaisesRegex(BadInput, "quay.0007.exr"):
            self.make("movie", self.frames)
        _, held = self.make("movie", self.frames, gaps="hold")
        self.assertEqual((held.video["frames"], held.held), (self.COUNT, (7,)))
        _, closed = self.make("movie", self.frames, gaps="close up")
        self.assertEqual((closed.video["frames"], closed.left_out), (self.COUNT - 1, (7,)))

    def test_stopped_it_leaves_no_file(self) -> None:
        made = deliverables()["movie"]
        settings = made.settings_from({}, CHOSEN)
        target = self.folder / "out" / "a.mp4"

        def stop(share: float, doing: str) -> None:
            if share > 0.3:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            made.write(self.config, self.frames, settings, target, stop)
        self.assertEqual(list(target.parent.iterdir()), [])

    def test_frame_numbers_are_burnt_into_sdr_alone(self) -> None:
        plain, _ = self.make("movie", self.frames, width=320)
        before = self.decoded(plain)[0]
        burnt, _ = self.make("movie", self.frames, width=320, burn_in=True)
        after = self.decoded(burnt)[0]
        foot, rest = np.abs(after - before)[-20:], np.abs(after - before)[:-24]
        self.assertGreater(foot.mean(), 0.1)
        self.assertLess(rest.mean(), 0.01)
        self.refused("movie", "SDR review copies", codec="hevc-hdr10", burn_in=True, **HDR)

    def test_refusals(self) -> None:
        for words, asked in (
            ("HDR10 is Rec.2100 PQ", {"codec": "hevc-hdr10", **SDR709}),
            ("H.264 is for SDR", {"codec": "h264", **HDR}),
            ("choose H.265 HDR10", {"codec": "hevc", **HDR}),
            ("no code points", {"display": SRGB_DISPLAY, "view": "Raw"}),
            ("no code points", {"display": "Gamma 2.6 P3-D65 - Display", "view": ACES_SDR.view}),
        ):
            with self.subTest(asked):
                self.refused("movie", words, **asked)


class Reading(MovieTestCase):
    def test_colour_lies_where_its_samples_do(self) -> None:
        """Left by BT.709, upper left by BT.2020, of SDR and PQ: a slope of colour comes back where it was."""
        x = np.linspace(0, 1, 128, dtype=np.float32)
        slope = 0.5 + 0.35 * np.sin(12 * x)
        codes = np.stack([np.tile(slope, (96, 1)), np.full((96, 128), 0.5), np.tile(1 - slope, (96, 1))], axis=2)
        for matrix, transfer in ((1, 1), (9, 14), (9, 16)):
            form = VideoForm("libx264", "yuv420p", 8, 1, transfer, matrix, {"crf": "4"})
            for turned in (codes, np.swapaxes(codes, 0, 1)):
                picture = np.ascontiguousarray(turned, np.float32)
                path = self.folder / "slope.mp4"
                with writing_video(path, (picture.shape[1], picture.shape[0]), Fraction(24), form) as video:
                    video.write(to_planes(picture, form))
                moved = video_frame(path, 1) - picture
                steps = np.abs(np.diff(picture, axis=0 if turned is not codes else 1)).max()
                with self.subTest(transfer=transfer, across=turned is codes):
                    # Half a pixel off would be half a step of the slope.
                    self.assertLess(float(np.percentile(np.abs(moved[8:-8, 8:-8]), 90)), 0.25 * float(steps))


class Verifying(MovieTestCase):
    def doubts(self, file: Path, recipe: tuple[Any, Any] | None = None) -> set[str]:
        found = verify(file)
        if recipe:
            found = against(found, file, self.config, *recipe)
        return {doubt.code for doubt in found.doubts}

    def test_what_was_made_here_leaves_no_doubt(self) -> None:
        for kind, asked in (
            ("still", {"format": "png"}),
            ("still", {"format": "tiff", "bits": "8"}),
            ("still", {"format": "jpeg"}),
            ("still", {"format": "avif"}),
            ("still", {"format": "exr"}),
            ("light", {}),
            ("movie", SDR709),
            ("movie", {"codec": "hevc-hdr10", **HDR}),
            ("movie", {"codec": "av1", **HDR}),
            ("movie", {"codec": "prores", **SDR709}),
            ("movie", {"codec": "prores", **HDR}),
        ):
            with self.subTest(kind, asked=asked):
                made = deliverables()[kind]
                target, _ = self.make(kind, self.frames if kind == "movie" else self.frames[:1], **asked)
                recipe = (made, made.settings_from(asked, CHOSEN))
                self.assertEqual(self.doubts(target), set())
                if kind != "light":
                    self.assertEqual(self.doubts(target, recipe), set())

    def test_pictures_that_do_not_fit_together(self) -> None:
        shown = np.clip(smooth(40, 60, 1.0), 0, 1)
        eight = (shown * 255).astype(np.uint8)
        cases: dict[str, Path] = {
            name: self.folder / name for name in ("bare.png", "once8.png", "legal.png", "nan.exr")
        }
        write_image(cases["bare.png"], shown, "uint8")
        write_image(cases["once8.png"], eight.astype(np.uint16) * 257, "uint16", {"CICP": (1, 13, 0, 1)})
        broken = shown.copy()
        broken[0, 0] = np.nan
        write_image(cases["nan.exr"], broken, "float", {"colorInteropID": "lin_ap1_scene"})
        for name, code in (
            ("bare.png", "untagged"),
            ("once8.png", "eight-bit-steps"),
            ("nan.exr", "not-finite"),
        ):
            self.assertIn(code, self.doubts(cases[name]), name)
        picture = np.zeros((8, 8, 3), np.uint8) + 16
        picture[4:] = 235
        write_image(cases["legal.png"], picture, "uint8", {"CICP": (1, 13, 0, 1)})
        self.assertIn("legal-range", self.doubts(cases["legal.png"]))
        display = self.folder / "display.exr"
        write_image(
            display,
            shown,
            "half",
            {
                "colorInteropID": "srgb_rec709_display",
                "chromaticities": (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329),
            },
        )
        self.assertIn("taken-for-light", self.doubts(display))

    def test_videos_that_do_not_fit_together(self) -> None:
        codes = np.clip(smooth(54, 96, 1.0), 0, 1)
        form = VideoForm("libx264", "yuv420p", 8, 1, 1, BT709, {"crf": "14"})
        good = self.folder / "good.mp4"
        with writing_video(good, (96, 54), Fraction(24), form) as writer:
            for _ in range(4):
                writer.write(to_planes(codes, form))
        self.assertEqual(self.doubts(good), set())
        other = self.folder / "other.mp4"
        content = good.read_bytes()
        place = content.find(b"colrnclx")
        other.write_bytes(content[: place + 8] + b"\x00\x09\x00\x10\x00\x09" + content[place + 14 :])
        self.assertIn("container-disagrees", self.doubts(other))
        pq = replace(
            form, encoder="libx265", pixel_format="yuv420p10le", bits=10, primaries=9, transfer=16, matrix=BT2020
        )
        bare = self.folder / "bare.mp4"
        with writing_video(bare, (96, 54), Fraction(24), pq) as writer:
            writer.write(to_planes(codes, pq))
        self.assertLessEqual({"no-light-levels", "no-mastering-display"}, self.doubts(bare))
        target, written = self.make("movie", self.frames, codec="hevc-hdr10", **HDR)
        told = b"\x90\x04" + int(written.video["light_levels"][0]).to_bytes(2, "big")
        target.write_bytes(target.read_bytes().replace(told, b"\x90\x04\x00\x64"))
        self.assertLessEqual({"max-cll-understated", "light-levels-disagree"}, self.doubts(target))
        measured = verify(target).pixels
        for name in ("brightest_area", "brightest_pixel"):
            self.assertAlmostEqual(measured[name], written.light_levels[0], delta=0.15 * written.light_levels[0])

    def test_light_levels_are_judged_with_what_a_codec_does(self) -> None:
        rng = np.random.default_rng(SEED)
        print(f"HDR10 from seed {SEED}")
        for number in range(12):
            height, width = ((54, 96), (180, 320))[number % 2]
            frames = [night(rng, height, width) for _ in range(3)]
            peak, mean = round(max(map(np.max, frames))), round(max(each.max(axis=2).mean() for each in frames))
            for levels, mastered, code in (
                ((peak, mean), peak, None),
                ((peak // 3, mean), 10_000, "max-cll-understated"),
                ((peak * 20, mean), 10_000, "max-cll-overstated"),
                ((peak, mean * 2 + 10), 10_000, "max-fall-overstated"),
                ((peak, mean // 2), 10_000, "max-fall-understated"),
                ((peak, mean), peak // 3, "brighter-than-mastering"),
            ):
                # What is right is coded for review too, which is coarser.
                for crf in ("14", "24") if code is None else ("14",):
                    with self.subTest(number=number, levels=levels, crf=crf):
                        display = Mastering(
                            REC2020.red, REC2020.green, REC2020.blue, REC2020.white, 0.0001, float(mastered)
                        )
                        options = {"crf": crf, "preset": "fast"}
                        form = VideoForm("libx265", "yuv420p10le", 10, 9, 16, BT2020, options, display)
                        target = self.folder / f"{number}_{code}_{crf}.mp4"
                        with writing_video(target, (width, height), Fraction(24), form) as writer:
                            for frame in frames:
                                writer.write(to_planes(pq_codes(frame), form))
                            writer.light_levels = levels
                        self.assertEqual(self.doubts(target), {code} - {None})

    def test_one_bad_frame_and_wrong_levels(self) -> None:
        rng = np.random.default_rng(SEED)
        form = VideoForm("libx264", "yuv420p", 8, 1, 1, BT709, {"crf": "14"})
        wide = np.clip(smooth(54, 200, 1.0), 0, 1)
        shift = [wide[:, at : at + 96] for at in range(0, 100)]
        flicker = [frame * (0.6 + 0.4 * np.float32(rng.random())) for frame in shift[:40]]
        bad = [*shift[:61], shift[61][::-1], *shift[62:]]
        for name, frames, expected in (
            ("pan", shift, set()),
            ("flicker", flicker, set()),
            ("bad", bad, {"odd-frames"}),
        ):
            target = self.folder / f"{name}.mp4"
            with writing_video(target, (96, 54), Fraction(24), form) as writer:
                for frame in frames:
                    writer.write(to_planes(frame, form))
            self.assertEqual(self.doubts(target), expected, name)
        (doubt,) = verify(self.folder / "bad.mp4").doubts
        self.assertIn("62", doubt.sentence)
        legal = self.folder / "legal.jpg"
        codes = np.clip((smooth(80, 120, 1.0) - 0.1) * 1.6, 0, 1)
        Image.fromarray(np.round(16 + codes * 219).astype(np.uint8)).save(
            legal, quality=88, icc_profile=ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        )
        self.assertEqual(self.doubts(legal), {"legal-range"})
        full = self.folder / "full.jpg"
        Image.fromarray(np.round(codes * 255).astype(np.uint8)).save(
            full, quality=88, icc_profile=ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        )
        self.assertEqual(self.doubts(full), set())
        codes[:20, :30] = 1  # luma reaches its end in white alone
        flagged = self.folder / "flagged.mp4"
        self.write_flagged_full(flagged, codes)
        self.assertIn("video-levels", self.doubts(flagged))

    def write_flagged_full(self, target: Path, codes: np.ndarray) -> None:
        """A video whose frames have video levels and say full range, by the codec alone."""
        with av.open(str(target), "w") as container:
            stream = container.add_stream("libx264", 24, options={"crf": "12"})
            stream.width, stream.height, stream.pix_fmt = 120, 80, "yuv420p"
            context = stream.codec_context
            context.color_range, context.color_primaries, context.color_trc, context.colorspace = 2, 1, 1, 1
            form = VideoForm("libx264", "yuv420p", 8, 1, 1, BT709)
            for _ in range(8):
                frame = av.VideoFrame(120, 80, "yuv420p")
                frame.color_range, frame.color_primaries, frame.color_trc, frame.colorspace = 2, 1, 1, 1
                for plane, values in zip(frame.planes, to_planes(codes.astype(np.float32), form), strict=True):
                    padded = np.zeros((plane.height, plane.line_size), np.uint8)
                    padded[:, : plane.width] = values
                    plane.update(padded.tobytes())
                container.mux(stream.encode(frame))
            container.mux(stream.encode(None))

    def test_held_against_another_recipe(self) -> None:
        made = deliverables()["still"]
        target, _ = self.make("still", self.frames[:1], format="png", bits="8")
        for asked, code in (
            ({"bits": "16"}, "other-samples"),
            ({"format": "jpeg"}, "other-format"),
            ({"width": 40}, "other-size"),
            ({"display": "Display P3 - Display", "view": "ACES 2.0 - SDR 100 nits (P3 D65)"}, "other-colour"),
        ):
            with self.subTest(asked):
                recipe = (made, made.settings_from({"bits": "8", **asked}, CHOSEN))
                self.assertIn(code, self.doubts(target, recipe))

    def test_what_is_neither(self) -> None:
        for name in ("notes.png", "notes.mp4", "notes.avif"):
            (self.folder / name).write_text("hello")
            with self.subTest(name), self.assertRaises(BadInput):
                verify(self.folder / name)


class ContactSheets(MovieTestCase):
    def test_all_views_stages_and_many_pictures_on_one_page(self) -> None:
        views = sum(len(self.config.getViews(display)) for display in self.config.getDisplays())
        for what, count, sources in (("views", views, 1), ("stages", 4, 1), ("pictures", 10, 10)):
            with self.subTest(what):
                target, written = self.make("contact-sheet", self.frames[:sources], what=what)
                self.assertEqual(written.pictures, count)
                page = np.asarray(Image.open(target))
                self.assertEqual(page.shape, (written.height, written.width, 3))
                self.assertGreater(np.mean(np.ptp(page.astype(int), axis=2) > 8), 0.3, "pictures fill the page")

    def test_a_pdf_and_a_picture_that_cannot_be_read(self) -> None:
        write_damaged(self.frames[2].file, light(200, 200), "half")
        target, written = self.make("contact-sheet", self.frames, what="pictures", format="pdf", title="Quay")
        self.assertTrue(target.read_bytes().startswith(b"%PDF-"))
        self.assertEqual(len(written.unreadable), 1)
        self.assertIn("quay.0003.exr", written.unreadable[0])
        self.assertEqual(asdict(written)["pictures"], self.COUNT)
