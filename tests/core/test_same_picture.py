"""Finished files held against what their recipe makes of a render: right ones pass, damaged ones do not."""

import os
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import colour
import numpy as np
import OpenImageIO as oiio
from PIL import Image

from saltwort.core.deliverables import Source, deliverables
from saltwort.core.deliverables.kinds.movie import form_of
from saltwort.core.images.video import BT2020, to_planes, writing_video
from tests.core.test_deliverables import CHOSEN
from tests.core.test_video import HDR, SDR709, MovieTestCase, night
from tests.samples import light, write

SEED = int(os.environ.get("SALTWORT_SEED", "20261206"))


class SamePictureTestCase(MovieTestCase):
    COUNT = 8

    def doubts(self, kind: str, file: Path, sources: Any, **asked: Any) -> list[str]:
        made = deliverables()[kind]
        settings = made.settings_from(asked, CHOSEN)
        return [doubt.code for doubt in made.differs(self.config, tuple(sources), settings, file)]


class Stills(SamePictureTestCase):
    def test_every_format_and_a_damaged_copy(self) -> None:
        rng = np.random.default_rng(SEED)
        print(f"damaged stills from seed {SEED}")
        pixels = np.concatenate([light(60, 80, 4.0), np.clip(rng.random((60, 80, 1)) * 1.4, 0, 1)], axis=2)
        pixels[..., :3] *= pixels[..., 3:]
        sources = (Source(write(self.folder / "lamp.exr", pixels.astype(np.float32), "half"), "ACEScg"),)
        for number, asked in enumerate(
            (
                {"format": "png"},
                {"format": "png", "bits": "8", "alpha": "keep"},
                {"format": "png", "bits": "8", "dither": False, "width": 50},
                {"format": "tiff", "bits": "half", "alpha": "keep"},
                {"format": "tiff", "bits": "16", "alpha": "over", "over": "#446688"},
                {"format": "exr", "bits": "float", "alpha": "keep"},
                {"format": "exr"},
                {"format": "jpeg", "quality": 60},
                {"format": "jpeg", "quality": 95},
                {"format": "avif", "quality": 80},
                {"format": "jxl"},
                {"format": "png", "exposure": 1.0, "crop": "10 10 40 30"},
            )
        ):
            with self.subTest(asked):
                target, _ = self.make("still", sources, **asked)
                self.assertEqual(self.doubts("still", target, sources, **asked), [])
                self.assertEqual(
                    self.doubts("still", target, sources, **{**asked, "exposure": 1.02}), ["other-picture"]
                )
                if asked["format"] in ("avif", "jxl"):
                    continue  # what writes them here would lose its tags
                damaged = self.folder / f"damaged{number}{target.suffix}"
                buffer = oiio.ImageBuf(str(target))
                values = buffer.get_pixels(oiio.FLOAT)
                y, x = (int(rng.integers(0, side - 8)) for side in values.shape[:2])
                side = 8 if asked["format"] == "jpeg" else 1
                values[y : y + side, x : x + side, :3] = 1 - np.clip(values[y : y + side, x : x + side, :3], 0, 1)
                values[y, x, 0] = 0.0 if values[y, x, 0] > 0.5 else 1.0
                if asked["format"] == "jpeg":
                    codes = np.round(values * 255).astype(np.uint8)
                    Image.fromarray(codes).save(damaged, quality=asked["quality"], subsampling=0)
                else:
                    spec = buffer.spec()
                    output = oiio.ImageOutput.create(str(damaged))
                    output.open(str(damaged), spec)
                    output.write_image(values)
                    output.close()
                self.assertEqual(self.doubts("still", damaged, sources, **asked), ["other-picture"])

    def test_another_render_and_another_size(self) -> None:
        one, other = (
            (Source(write(self.folder / f"{seed}.exr", light(40, 60, 3.0, seed=seed), "half"), "ACEScg"),)
            for seed in (1, 2)
        )
        target, _ = self.make("still", one)
        self.assertEqual(self.doubts("still", target, other), ["other-picture"])
        self.assertEqual(self.doubts("still", target, one, width=30), ["other-size"])
        with_alpha = np.concatenate([light(40, 60, 3.0), np.full((40, 60, 1), 0.5, np.float32)], axis=2)
        source = (Source(write(self.folder / "alpha.exr", with_alpha, "half"), "ACEScg"),)
        target, _ = self.make("still", source, alpha="none")
        self.assertEqual(self.doubts("still", target, source, alpha="keep"), ["other-alpha"])


class Videos(SamePictureTestCase):
    def test_every_codec_and_damaged_copies(self) -> None:
        rng = np.random.default_rng(SEED)
        print(f"damaged videos from seed {SEED}")
        noisy = tuple(
            Source(self.frame(100 + number, night(rng, 90, 120).astype(np.float32) / 100), "ACEScg", number=number)
            for number in range(1, 4)
        )
        for sources, asked in (
            (self.frames, {"codec": "h264", **SDR709}),
            (self.frames, {"codec": "h264", "quality": "review", **SDR709, "slate": True, "burn_in": True}),
            (self.frames, {"codec": "hevc", **SDR709}),
            (self.frames, {"codec": "hevc-hdr10", **HDR}),
            (self.frames, {"codec": "av1", "quality": "review", **SDR709}),
            (self.frames, {"codec": "prores", **SDR709}),
            (noisy, {"codec": "h264", "quality": "review", **SDR709}),
            (noisy, {"codec": "hevc-hdr10", "quality": "review", **HDR}),
        ):
            with self.subTest(asked):
                target, _ = self.make("movie", sources, **asked)
                self.assertEqual(self.doubts("movie", target, sources, **asked), [])
                self.assertEqual(self.doubts("movie", target, sources, **{**asked, "exposure": 0.5}), ["other-picture"])

    def test_gaps_are_those_of_the_recipe(self) -> None:
        with_gap = (*self.frames[:3], *self.frames[4:])
        for gaps, count in (("close up", 7), ("hold", 8)):
            target, written = self.make("movie", with_gap, codec="h264", gaps=gaps, **SDR709)
            self.assertEqual(written.video["frames"], count)
            self.assertEqual(self.doubts("movie", target, with_gap, codec="h264", gaps=gaps, **SDR709), [])
            other = "hold" if gaps == "close up" else "close up"
            self.assertNotEqual(self.doubts("movie", target, with_gap, codec="h264", gaps=other, **SDR709), [])

    def test_a_patch_a_frame_a_matrix_and_a_second_encoding(self) -> None:
        made = deliverables()["movie"]
        asked = {"codec": "h264", **SDR709}
        settings = made.settings_from(asked, CHOSEN)
        form = form_of(self.config, settings)
        right = [np.concatenate(list(settings.picture(self.config, source).strips())) for source in self.frames]
        patched = [frame.copy() for frame in right]
        patched[3][20:30, 30:44] = 0.9
        other_frame = [*right[:5], right[0], *right[6:]]
        twice = [np.clip(frame, 0, 1) ** (1 / 2.4) for frame in right]
        for name, frames, coded in (
            ("right", right, form),
            ("patch", patched, form),
            ("frame", other_frame, form),
            ("matrix", right, replace(form, matrix=BT2020)),
            ("twice", twice, form),
            ("fewer", right[:-1], form),
        ):
            target = self.folder / f"{name}.mp4"
            planes = [to_planes(frame, coded) for frame in frames]
            with writing_video(target, (96, 54), Fraction(24), form) as writer:
                for each in planes:
                    writer.write(each)
            expected = {"right": [], "fewer": ["other-frames"]}.get(name, ["other-picture"])
            self.assertEqual(self.doubts("movie", target, self.frames, **asked), expected, name)

    def test_a_wrong_matrix_is_named_below_what_a_codec_does(self) -> None:
        made = deliverables()["movie"]
        rng = np.random.default_rng(SEED + 1)
        noisy = tuple(
            Source(self.frame(200 + number, night(rng, 90, 120).astype(np.float32) / 100), "ACEScg", number=number)
            for number in range(1, 4)
        )
        for sources, asked in (
            (self.frames[:4], {"codec": "h264", "quality": "review", **SDR709}),
            (noisy, {"codec": "h264", "quality": "review", **SDR709}),
            (self.frames[:4], {"codec": "hevc-hdr10", "quality": "review", **HDR}),
        ):
            settings = made.settings_from(asked, CHOSEN)
            form = form_of(self.config, settings)
            frames = [np.concatenate(list(settings.picture(self.config, source).strips())) for source in sources]
            own = "BT.2020" if form.matrix == BT2020 else "BT.709"
            for other in ("BT.601", "BT.709", "BT.2020"):
                with self.subTest(asked, other=other):
                    # The standards' weights by the image library of colour science, not by our own matrices.
                    coded, decoded = (colour.WEIGHTS_YCBCR[f"ITU-R {name}"] for name in (other, own))
                    target = self.folder / "recoded.mp4"
                    with writing_video(target, frames[0].shape[1::-1], Fraction(24), form) as writer:
                        for frame in frames:
                            ycbcr = colour.RGB_to_YCbCr(frame[..., :3], coded, out_legal=False)
                            shown = colour.YCbCr_to_RGB(ycbcr, decoded, in_legal=False)
                            writer.write(to_planes(np.asarray(shown, np.float32), form))
                    doubts = list(made.differs(self.config, tuple(sources), settings, target))
                    if other == own:
                        self.assertEqual(doubts, [])
                    else:  # where areas are off by more than a codec does, these are told
                        self.assertRegex(doubts[0].sentence, f"coded as Y′CbCr by {other}, decoded by {own}|areas by")
