"""Every kind of deliverable keeps the contract; stills and light hold what they say, as other libraries read them."""

import io
import json
import tempfile
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from PIL import Image, ImageCms

from saltwort.core.deliverables import OF_PICTURES, Defaults, Source, deliverables, options_of, read_options
from saltwort.core.deliverables.options import CHOICE, NUMBER, WHOLE
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_pixels
from saltwort.core.structured import structured
from saltwort.core.views.grade import BEFORE, Grade
from tests.samples import ACES_SDR, PQ_ACES, light, project_config, write

GRADE = Grade(BEFORE, slope=(1.2, 1.0, 0.9), offset=(0.0, 0.01, 0.0), power=(1.0, 1.1, 1.0), saturation=0.8)
CHOSEN = Defaults(ACES_SDR, "ACEScg", GRADE)


class DeliverableTestCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.config = project_config()
        self.light = light(48, 64, 12.0)
        self.source = Source(write(self.folder / "light.exr", self.light, "half"), "ACEScg")

    def make(self, kind: str, sources: tuple[Source, ...] | None = None, /, **asked: Any) -> tuple[Path, Any]:
        made = deliverables()[kind]
        settings = made.settings_from(asked, CHOSEN)
        made.check(self.config, settings)
        target = self.folder / made.named("dusk", 3, settings)
        if sources is None:
            sources = (self.source,) if made.takes in OF_PICTURES else ()
        return target, made.write(self.config, sources, settings, target, lambda share, doing: None)

    def refused(self, kind: str, words: str, **asked: Any) -> None:
        with self.assertRaisesRegex(BadInput, words):
            self.make(kind, **asked)


class EveryKind(DeliverableTestCase):
    def test_says_what_it_is(self) -> None:
        for kind, made in deliverables().items():
            with self.subTest(kind):
                self.assertEqual(made.kind, kind)
                self.assertTrue(made.label and made.use.endswith("."))
                for each in options_of(made.settings):
                    self.assertTrue(each.label, each.key)
                    known = {other.key for other in options_of(made.settings)}
                    self.assertLessEqual({key for key, _ in each.only}, known)

    def test_settings_through_json_and_as_they_are_typed(self) -> None:
        for kind, made in deliverables().items():
            settings = made.settings_from({}, CHOSEN)
            with self.subTest(kind):
                stored = json.loads(json.dumps(asdict(settings)))
                self.assertEqual(structured(made.settings, stored), settings)
                typed = {each.typed: str(getattr(settings, each.key)) for each in options_of(made.settings)}
                self.assertEqual(made.settings_from(read_options(made.settings, typed), CHOSEN), settings)
                for junk in ({"weather": "fog"}, *({name: {"no": 1}} for name in stored)):
                    with self.assertRaises(BadInput):
                        made.settings_from(junk, CHOSEN)
                with self.assertRaisesRegex(BadInput, "no setting “weather”"):
                    read_options(made.settings, {"weather": "fog"})

    def test_each_setting_refuses_what_it_cannot_be(self) -> None:
        for kind, made in deliverables().items():
            settings = made.settings_from({}, CHOSEN)
            for each in options_of(made.settings):
                wrong: list[Any] = ["fog"] if each.kind == CHOICE else []
                if each.kind in (NUMBER, WHOLE):
                    assert each.lowest is not None and each.highest is not None, f"{kind}: {each.key} has no limits"
                    wrong = [each.lowest - 1, each.highest + 1] + [float("nan")] * (each.kind == NUMBER)
                for value in wrong:
                    with self.subTest(kind, key=each.key, value=value), self.assertRaises(BadInput) as refused:
                        made.check(self.config, replace(settings, **{each.key: value}))
                    self.assertEqual(refused.exception.field, each.key)

    def test_planned_written_and_read_back(self) -> None:
        for kind, made in deliverables().items():
            settings = made.settings_from({}, CHOSEN)
            told: list[float] = []
            with self.subTest(kind):
                made.check(self.config, settings)
                target = self.folder / made.named("dusk", 3, settings)
                self.assertRegex(target.name, r"^[a-z0-9_-]+_r3\.[a-z0-9]+$")
                sources = [self.source] if made.takes in OF_PICTURES else []
                written = made.write(
                    self.config, sources, settings, target, lambda share, doing, told=told: told.append(share)
                )
                self.assertEqual(told, sorted(told))
                self.assertTrue(target.stat().st_size)
                kept = json.loads(json.dumps(asdict(written), allow_nan=False))
                for facts in (made.facts(self.config, settings), made.told(kept)):
                    self.assertTrue(facts)
                    self.assertTrue(all(isinstance(value, str) and value for value in facts.values()), facts)


class Stills(DeliverableTestCase):
    def meant(self, choice: ViewChoice = ACES_SDR, exposure: float = 0.0) -> np.ndarray:
        processor = view_processor(self.config, "ACEScg", choice, exposure)
        return apply(processor, read_pixels(self.source.file))

    def test_every_format_and_sample_type(self) -> None:
        """What was meant, to half a step of the samples; with dither one and a half; lossy ones by their mean."""
        half_steps = {"8": 0.5 / 255, "16": 0.5 / 65535, "half": 2**-11, "float": 0.0}
        cases = {
            "png": ("8", "16"),
            "tiff": ("8", "16", "half", "float"),
            "jxl": ("8", "16", "half", "float"),
            "exr": ("half", "float"),
        }
        for file_format, bits in cases.items():
            for samples in bits:
                with self.subTest(file_format, bits=samples):
                    _, written = self.make("still", format=file_format, bits=samples, dither=False)
                    self.assertLessEqual(written.largest_error, half_steps[samples] * 1.01 + 1e-6)
                    self.assertEqual((written.width, written.height), (64, 48))
                    self.assertTrue(written.tags, "the file says which display it is for")
        for file_format in ("jpeg", "avif"):
            with self.subTest(file_format):
                _, written = self.make("still", format=file_format, quality=100)
                self.assertLess(written.mean_error, 3 / 255)
        for file_format, bits in (("png", "half"), ("jpeg", "16"), ("avif", "16"), ("exr", "8")):
            self.refused("still", "samples here", format=file_format, bits=bits)

    def test_pillow_reads_what_was_meant(self) -> None:
        target, _ = self.make("still", format="png", bits="8", dither=False)
        read = np.asarray(Image.open(target), np.float32) / 255
        self.assertLessEqual(np.abs(read - np.clip(self.meant(), 0, 1)).max(), 0.5 / 255 + 1e-6)

    def test_dither_hides_steps_and_leaves_no_error_in_the_mean(self) -> None:
        ramp = np.repeat(np.linspace(0.2, 0.21, 256, dtype=np.float32)[None, :, None], 128, 0).repeat(3, 2)
        source = Source(write(self.folder / "ramp.exr", ramp, "float"), "ACEScg")
        means = {}
        for dither in (False, True):
            target, _ = self.make("still", (source,), bits="8", dither=dither)
            columns = np.asarray(Image.open(target), np.float64)[..., 1].mean(axis=0)
            meant = apply(view_processor(self.config, "ACEScg", ACES_SDR), ramp)[0, :, 1] * 255
            means[dither] = float(np.abs(columns - meant).mean())
        self.assertGreater(means[False], 0.15)
        self.assertLess(means[True], 0.06)  # of 128 rows: the noise of one step over the root of 128

    def test_black_white_and_raw_numbers_are_not_dithered(self) -> None:
        flat = np.zeros((32, 32, 3), np.float32)
        flat[:, 16:] = 100.0
        source = Source(write(self.folder / "flat.exr", flat, "float"), "ACEScg")
        target, _ = self.make("still", (source,), bits="8")
        self.assertEqual(len(np.unique(np.asarray(Image.open(target))[:, :16])), 1)
        target, written = self.make("still", bits="8", view="Raw")
        self.assertEqual(written.tags, {})
        self.assertLessEqual(written.largest_error, 0.5 / 255 + 1e-6)

    def test_smaller_in_light_with_no_ringing(self) -> None:
        """A lamp of 500 over black: its neighbours are nowhere below black, and the mean of the light stays."""
        lamp = np.zeros((64, 64, 3), np.float32)
        lamp[30:34, 30:34] = 500.0
        source = Source(write(self.folder / "lamp.exr", lamp, "float"), "ACEScg")
        target, _ = self.make("still", (source,), format="exr", bits="float", view="Raw", width=16)
        read = read_pixels(target)
        self.assertEqual(read.shape[:2], (16, 16))
        self.assertGreaterEqual(read.min(), 0.0)
        np.testing.assert_allclose(read.mean(), lamp.mean(), rtol=0.01)

    def test_sizes_and_crops(self) -> None:
        for asked, size in (
            ({"width": 32}, (32, 24)),
            ({"height": 12}, (16, 12)),
            ({"width": 32, "height": 32}, (32, 24)),
            ({"width": 32, "height": 32, "fit": "fill"}, (32, 32)),
            ({"width": 32, "height": 32, "fit": "exact"}, (32, 32)),
            ({"crop": "4, 5, 20, 10"}, (20, 10)),
            ({"crop": "4 5 20 10", "width": 40}, (40, 20)),
        ):
            with self.subTest(asked):
                _, written = self.make("still", **asked)
                self.assertEqual((written.width, written.height), size)
        target, _ = self.make("still", crop="4 5 20 10", format="exr", bits="float")
        np.testing.assert_array_equal(read_pixels(target), self.meant()[5:15, 4:24])
        for crop in ("1 2 3", "0 0 65 10", "a b c d", "0 0 0 5"):
            with self.subTest(crop):
                self.refused("still", "crop", crop=crop)

    def test_alpha_is_left_out_kept_or_laid_over(self) -> None:
        """A light of 0.5 under half an alpha, associated: straight it is 1, and over white the mean of both."""
        pixels = np.full((8, 8, 4), 0.5, np.float32)
        source = Source(write(self.folder / "alpha.exr", pixels, "float"), "ACEScg")
        shown = apply(view_processor(self.config, "ACEScg", ACES_SDR), np.ones((1, 1, 3), np.float32))[0, 0]
        kept, _ = self.make("still", (source,), format="png", alpha="keep", dither=False)
        over, _ = self.make("still", (source,), format="tiff", bits="float", alpha="over", over="#ffffff")
        none, _ = self.make("still", (source,), format="exr", bits="float", alpha="none")
        self.assertEqual(oiio.ImageBuf(str(kept)).nchannels, 4)
        read = np.asarray(Image.open(kept).convert("RGBA"))[0, 0]
        self.assertLessEqual(np.abs(read[:3] / 255 - shown).max(), 1 / 255)
        self.assertEqual(read[3], 128)
        np.testing.assert_allclose(read_pixels(over)[0, 0], shown * 0.5 + 0.5, atol=1e-5)
        dark = apply(view_processor(self.config, "ACEScg", ACES_SDR), np.full((1, 1, 3), 0.5, np.float32))[0, 0]
        np.testing.assert_allclose(read_pixels(none)[0, 0], dark, atol=1e-3)
        self.refused("still", "no alpha", format="jpeg", alpha="keep")
        self.refused("still", "hex colour", alpha="over", over="red")

    def test_exposure_look_and_grade(self) -> None:
        target, _ = self.make("still", format="exr", bits="float", exposure=1.0)
        np.testing.assert_array_equal(read_pixels(target), self.meant(exposure=1.0))
        target, _ = self.make("still", format="exr", bits="float", use_grade=True)
        changed = read_pixels(self.source.file) * np.float32(GRADE.slope) + np.float32(GRADE.offset)
        changed = np.where(changed > 0, np.maximum(changed, 1e-10) ** np.float32(GRADE.power), changed)
        luma = changed @ np.float32([0.2126, 0.7152, 0.0722])
        changed = luma[..., None] + np.float32(0.8) * (changed - luma[..., None])
        shown = apply(view_processor(self.config, "ACEScg", ACES_SDR), changed.astype(np.float32))
        np.testing.assert_allclose(read_pixels(target), shown, atol=2e-4)  # float32 in another order

    def test_a_display_referred_exr_is_not_taken_for_light(self) -> None:
        target, _ = self.make("still", format="exr")
        self.assertIn("_display", target.name)
        header = OpenEXR.File(str(target)).header()
        self.assertNotIn("chromaticities", header)
        self.assertEqual(header["colorInteropID"], "srgb_rec709_display")
        self.assertIn("no linear values", header["comments"])

    def test_hdr_jpeg_xl_says_so_by_code_points(self) -> None:
        target, written = self.make("still", format="jxl", **vars(PQ_ACES))
        self.assertEqual(tuple(written.tags["CICP"][:2]), (9, 16))
        said = oiio.ImageBuf(str(target)).spec().getattribute("CICP")
        self.assertEqual(tuple(said[:2]), (9, 16))

    def test_p3_pictures_say_so_to_phones(self) -> None:
        """By code points in AVIF and PNG, and by a profile that LittleCMS knows in JPEG."""
        p3 = {"display": "Display P3 - Display", "view": "ACES 2.0 - SDR 100 nits (P3 D65)"}
        for file_format in ("png", "avif"):
            _, written = self.make("still", format=file_format, **p3)
            self.assertEqual(tuple(written.tags["CICP"][:2]), (12, 13))
        target, _ = self.make("still", format="jpeg", **p3)
        profile = ImageCms.ImageCmsProfile(io.BytesIO(Image.open(target).info["icc_profile"]))
        red = profile.profile.red_primary[1][:2]
        np.testing.assert_allclose(red, (0.680, 0.320), atol=0.02)  # under D50
        self.assertEqual(Image.open(target).layers, 3)
        self.assertEqual({layer[1:3] for layer in Image.open(target).layer}, {(1, 1)}, "no colour is subsampled")


class Light(DeliverableTestCase):
    def setUp(self) -> None:
        super().setUp()
        spec = oiio.ImageSpec(64, 48, 7, "half")
        spec.channelnames = ("R", "G", "B", "key.R", "key.G", "key.B", "Z")
        spec.channelformats = tuple(map(oiio.TypeDesc, ("half",) * 6 + ("float",)))
        spec.attribute("smpte:TimeCode", oiio.TypeDesc("timecode"), (18356486, 0))
        spec.attribute("comments", "take three")
        spec.x, spec.y, spec.full_width, spec.full_height = 10, 5, 100, 60
        self.key, self.depth = light(48, 64, 3.0, seed=4), light(48, 64, 30.0)[..., :1]
        output = oiio.ImageOutput.create("x.exr")
        output.open(str(self.folder / "many.exr"), spec)
        output.write_image(np.concatenate([self.light, self.key, self.depth], axis=2))
        output.close()
        self.many = Source(self.folder / "many.exr", "ACEScg")

    def channels(self, file: Path, part: int = 0) -> dict[str, np.ndarray]:
        with OpenEXR.File(str(file), separate_channels=True) as opened:
            return {name: np.array(channel.pixels) for name, channel in opened.channels(part).items()}

    def test_light_in_the_same_space_is_the_same_to_the_bit(self) -> None:
        for compression in ("zip", "zips", "piz", "none"):
            for sample in ("half", "float"):
                with self.subTest(compression, sample=sample):
                    target, written = self.make("light", compression=compression, sample=sample)
                    self.assertEqual(written.largest_error, 0.0)
                    channels = self.channels(target)
                    np.testing.assert_array_equal(
                        np.stack([channels[name] for name in "RGB"], -1), read_pixels(self.source.file)
                    )
                    self.assertEqual(channels["R"].dtype, np.float16 if sample == "half" else np.float32)

    def test_another_space_is_the_engines(self) -> None:
        target, _ = self.make("light", space="ACES2065-1", sample="float")
        meant = apply(space_processor(self.config, "ACEScg", "ACES2065-1"), read_pixels(self.source.file))
        channels = self.channels(target)
        np.testing.assert_array_equal(np.stack([channels[name] for name in "RGB"], -1), meant)

    def test_what_dwa_costs_is_measured(self) -> None:
        _, gentle = self.make("light", compression="dwaa", dwa_level=20.0)
        target, strong = self.make("light", compression="dwab", dwa_level=400.0)
        self.assertLess(0, gentle.relative_error)
        self.assertLess(gentle.relative_error, strong.relative_error)
        channels = self.channels(target)
        read = np.stack([channels[name] for name in "RGB"], -1).astype(np.float32)
        self.assertAlmostEqual(strong.largest_error, float(np.abs(read - read_pixels(self.source.file)).max()), 5)

    def test_layers_are_chosen_renamed_and_made_parts(self) -> None:
        target, _ = self.make("light", (self.many,), layers="key=lamp, Z")
        channels = self.channels(target)
        self.assertEqual(sorted(channels), ["Z", "lamp.B", "lamp.G", "lamp.R"])
        np.testing.assert_array_equal(channels["Z"], self.depth[..., 0])
        self.assertEqual(channels["Z"].dtype, np.float32)
        target, _ = self.make("light", (self.many,), layers="all", space="ACES2065-1", sample="float")
        channels = self.channels(target)
        meant = apply(space_processor(self.config, "ACEScg", "ACES2065-1"), read_pixels(self.many.file, "key"))
        shown = np.stack([channels[f"key.{name}"] for name in "RGB"], -1)
        np.testing.assert_array_equal(shown, meant[5:53, 10:74])
        np.testing.assert_array_equal(channels["Z"], self.depth[..., 0], "numbers are not converted")
        target, _ = self.make("light", (self.many,), layers="all", parts=True)
        with OpenEXR.File(str(target), separate_channels=True) as file:
            self.assertEqual([sorted(part.channels) for part in file.parts], [["B", "G", "R"], ["Z"], ["B", "G", "R"]])
        for layers, words in (("fog", "no layer “fog”"), ("key=a, Z=a", "same name")):
            with self.subTest(layers), self.assertRaisesRegex(BadInput, words):
                self.make("light", (self.many,), layers=layers)

    def test_whole_numbers_stay_whole_numbers(self) -> None:
        file = self.folder / "numbered.exr"
        shown = {name: np.full((8, 8), 0.5, np.float16) for name in "RGB"}
        numbers = np.random.default_rng(7).integers(0, 1 << 32, (8, 8), np.uint32)
        with OpenEXR.File({}, {**shown, "id.hash": numbers}) as numbered:
            numbered.write(str(file))
        source = Source(file, "ACEScg")
        for settings in ({"layers": "all"}, {"layers": "id"}, {"layers": "all", "parts": True}):
            with self.subTest(settings):
                target, written = self.make("light", (source,), **settings)
                with OpenEXR.File(str(target), separate_channels=True) as made:
                    found = {name: at.pixels for part in made.parts for name, at in part.channels.items()}
                (name,) = [name for name in found if "hash" in name]
                self.assertEqual(found[name].dtype, np.uint32)
                np.testing.assert_array_equal(found[name], numbers)
                self.assertIn("whole numbers", written.data["id"])
        with self.assertRaisesRegex(BadInput, "DWA would change the numbers of id.hash"):
            self.make("light", (source,), layers="all", compression="dwaa")

    def test_data_window_time_code_and_comments_stay(self) -> None:
        target, written = self.make("light", (self.many,))
        ours, theirs = (OpenEXR.File(str(file)).header() for file in (target, self.many.file))
        for name in ("timeCode", "comments"):
            self.assertEqual(str(ours[name]), str(theirs[name]))
        for name in ("dataWindow", "displayWindow"):
            np.testing.assert_array_equal(ours[name], theirs[name])
        self.assertEqual((written.width, written.height), (100, 60))

    def test_the_aces_container_keeps_its_rules(self) -> None:
        target, _ = self.make("light", (self.many,), aces=True, space="ACES2065-1", compression="none")
        header = OpenEXR.File(str(target)).header()
        self.assertEqual(header["acesImageContainerFlag"], 1)
        np.testing.assert_allclose(
            header["chromaticities"], (0.7347, 0.2653, 0.0, 1.0, 0.0001, -0.077, 0.32168, 0.33767), atol=1e-6
        )
        self.assertEqual(header["compression"], OpenEXR.NO_COMPRESSION)
        good = {"aces": True, "space": "ACES2065-1", "compression": "none"}
        for wrong, words in (
            ({"space": "ACEScg"}, "ACES2065-1"),
            ({"sample": "float"}, "half"),
            ({"compression": "zip"}, "not compressed"),
            ({"layers": "all"}, "one picture"),
        ):
            self.refused("light", words, **{**good, **wrong})

    def test_straight_alpha_is_multiplied_in(self) -> None:
        rgba = np.full((4, 4, 4), 0.5, np.float32)
        source = Source(write(self.folder / "straight.png", rgba, "uint16"), "ACEScg")
        target, _ = self.make("light", (source,), sample="float")
        channels = self.channels(target)
        np.testing.assert_allclose(channels["R"], 0.25, atol=1e-4)
        np.testing.assert_allclose(channels["A"], 0.5, atol=1e-4)
