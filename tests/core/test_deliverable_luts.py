"""LUTs, profiles and grades as deliverables."""

import os
import warnings
from dataclasses import asdict, replace
from pathlib import Path

import colour
import numpy as np
import PyOpenColorIO as ocio
from PIL import Image, ImageCms
from scipy.interpolate import RegularGridInterpolator

from saltwort.core.deliverables import Source
from saltwort.core.deliverables.lut_errors import MIXED_COLOURS, OTHER_COLOURS
from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.views.grade import AFTER, BEFORE, Grade
from saltwort.core.views.tone import display_xyz
from tests.core.test_deliverables import GRADE, DeliverableTestCase
from tests.samples import ACES_SDR, SRGB_DISPLAY, write

SEED = int(os.environ.get("SALTWORT_SEED", "20261207"))


class Luts(DeliverableTestCase):
    def through(self, file: Path, colours: np.ndarray) -> np.ndarray:
        """Colours through a LUT file as the engine reads it from disk, with nothing of ours between."""
        ocio.ClearAllCaches()
        transform = ocio.FileTransform(str(file), interpolation=ocio.INTERP_TETRAHEDRAL)
        return apply(ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor(), colours)

    def test_every_format_gives_the_view(self) -> None:
        colours = np.random.default_rng(2).random((1, 4000, 3), np.float32)
        stops = (2.0 ** (colours * 12 - 8)).astype(np.float32)
        for file_format, source, fed in (
            ("cube", "ACEScg", stops),
            ("csp", "ACEScg", stops),
            ("clf", "ACEScg", stops),
            ("ctf", "ACEScg", stops),
            ("cube", "ACEScct", colours),
            ("3dl", "ACEScct", colours),
            ("spi3d", "ACEScct", colours),
        ):
            with self.subTest(file_format, source=source):
                target, written = self.make("lut", format=file_format, source=source, size=65)
                off = np.abs(self.through(target, fed) - apply(view_processor(self.config, source, ACES_SDR), fed)).max(
                    axis=2
                )
                self.assertLess(np.percentile(off, 99), 0.05)
                self.assertLess(off.mean(), 0.005)
                self.assertEqual(written.error.colours, MIXED_COLOURS + 3 * OTHER_COLOURS)
                self.assertLess(written.error.mean, 0.2)

    def test_a_second_interpreter_reads_what_the_engine_reads(self) -> None:
        """colour-science parses and applies the files of the formats that it knows."""
        colours = np.random.default_rng(SEED).random((1, 4000, 3), np.float32)
        stops = (2.0 ** (colours * 12 - 8)).astype(np.float32)
        curve = {"source": "sRGB Encoded Rec.709 (sRGB)", "to": "Linear Rec.709 (sRGB)", "size": 4096}
        cube = {"source": "ACEScct", "size": 33}
        for file_format, asked, fed in (
            ("cube", cube, colours),
            ("cube", {"source": "ACEScg", "size": 33}, stops),
            ("csp", cube, colours),
            ("csp", {"source": "ACEScg", "size": 33}, stops),
            ("spi3d", cube, colours),
            ("cube-1d", curve, colours),
            ("spi1d", curve, colours),
        ):
            with self.subTest(file_format, **asked):
                target, _ = self.make("lut", format=file_format, **asked)
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    read = colour.read_LUT(str(target))
                parts = list(read) if isinstance(read, colour.LUTSequence) else [read]
                found = fed[0].astype(float)
                for part in parts:
                    by_tetrahedra = {"interpolator": colour.algebra.table_interpolation_tetrahedral}
                    found = part.apply(found, **(by_tetrahedra if isinstance(part, colour.LUT3D) else {}))
                np.testing.assert_allclose(found, self.through(target, fed)[0], atol=2e-3)

    def test_curves(self) -> None:
        colours = np.random.default_rng(2).random((1, 4000, 3), np.float32)
        asked = {"source": "sRGB Encoded Rec.709 (sRGB)", "to": "Linear Rec.709 (sRGB)", "size": 4096}
        meant = apply(space_processor(self.config, asked["source"], asked["to"]), colours)
        for file_format in ("cube-1d", "spi1d"):
            with self.subTest(file_format):
                target, written = self.make("lut", format=file_format, **asked)
                np.testing.assert_allclose(self.through(target, colours), meant, atol=2e-5)
                self.assertIsNone(written.error.measure)

    def test_a_hald_image_is_the_cube_that_it_stands_for(self) -> None:
        """Read by the rule that the format is known by: red runs fastest, then green, then blue."""
        target, _ = self.make("lut", format="hald", source="ACEScct", size=16)
        picture = read_pixels(target).reshape(-1, 3)
        self.assertEqual(read_pixels(target).shape, (64, 64, 3))
        for red, green, blue in ((0, 0, 0), (15, 0, 3), (2, 9, 15)):
            code = np.array([[[red, green, blue]]], np.float32) / 15
            meant = np.clip(apply(view_processor(self.config, "ACEScct", ACES_SDR), code)[0, 0], 0, 1)
            np.testing.assert_allclose(picture[red + 16 * green + 256 * blue], meant, atol=1e-4)
        self.refused("lut", "nodes a side", format="hald", source="ACEScct", size=33)

    def test_its_error_is_printed_and_a_size_suggested(self) -> None:
        """The error that is told is the error of the file, measured here once more on colours of our own."""
        target, written = self.make("lut", within=1.0)
        stops = 2.0 ** np.random.default_rng(9).uniform(-9, 3, (1, 20_000, 1))
        colours = (stops * 2.0 ** np.random.default_rng(8).uniform(-3, 0, (1, 20_000, 3))).astype(np.float32)
        off = np.abs(self.through(target, colours) - apply(view_processor(self.config, "ACEScg", ACES_SDR), colours))
        self.assertLessEqual(np.percentile(off, 99.9), written.error.largest_number)
        tried = dict(written.tried)
        self.assertEqual(written.suggested, min(size for size, p99 in tried.items() if p99 <= 1.0))
        self.assertAlmostEqual(tried[33], written.error.p99, delta=0.05)
        self.assertEqual(sorted(tried.values(), reverse=True), list(tried.values()), "more nodes are closer")

    def test_errors_of_both_readings_hold_for_fresh_colours(self) -> None:
        """`.cube` parsed and read here, trilinear by SciPy; colours of our own, of each sort."""
        rng = np.random.default_rng(SEED)
        print(f"fresh colours from seed {SEED}")
        for asked in ({"source": "ACEScct", "size": 17}, {"source": "ACEScct", "view": ACES_SDR.view, "size": 33}):
            target, written = self.make("lut", **asked)
            rows = [line.split() for line in target.read_text().splitlines() if line[:1] in "-0123456789"]
            edge = asked["size"]
            cube = np.array(rows, float).reshape(edge, edge, edge, 3).transpose(2, 1, 0, 3)
            axes = [np.linspace(0, 1, edge)] * 3
            trilinear = RegularGridInterpolator(axes, cube)
            codes = rng.random((60_000, 3))
            sorts = {
                "mixed": codes,
                "saturated": codes * np.where(np.arange(3) == rng.integers(0, 3, (60_000, 1)), 1, 0.03),
                "dark": codes * 0.35,
                "neutral": np.repeat(codes[:, :1], 3, axis=1),
            }
            exact = view_processor(self.config, "ACEScct", ACES_SDR)
            told = {(one.sort, one.reading): one for one in written.error.sorts}
            self.assertEqual(len(told), 8)
            for sort, values in sorts.items():
                fed = np.ascontiguousarray(values, np.float32)[None]
                meant = np.clip(apply(exact, fed)[0], 0, 1).astype(float)
                by_reading = {"trilinear": trilinear(values), "tetrahedral": self.through(target, fed)[0]}
                for reading, found in by_reading.items():
                    shown = [display_xyz(self.config, ACES_SDR, np.clip(each, 0, 1)) for each in (found, meant)]
                    off = delta_e_2000(*shown)
                    of_sort = told[sort, reading]
                    self.assertLessEqual(off.max(), of_sort.largest, (sort, reading))
                    if sort != "saturated":  # ours are others
                        self.assertAlmostEqual(np.percentile(off, 99) / of_sort.p99, 1, delta=0.15, msg=(sort, reading))
            worse = max(written.error.sorts, key=lambda one: one.p99)
            self.assertEqual((written.error.p99, worse.reading), (worse.p99, "trilinear"))

    def test_a_hot_pixel_does_not_decide_the_range(self) -> None:
        random = np.random.default_rng(12)
        light = (0.18 * 2.0 ** random.normal(0, 1.5, (60, 60, 1)) * random.uniform(0.6, 1, (60, 60, 3))).astype(
            np.float32
        )
        found = {}
        for name, hot in (("without", None), ("bright", 3e4), ("infinite", np.inf)):
            pixels = light.copy()
            if hot is not None:
                pixels[7, 9] = hot
            file = write(self.folder / f"{name}.exr", pixels, "float")
            target, written = self.make("lut", (Source(file, "ACEScg"),), size=33)
            assert written.picture
            found[name] = written
            shown = self.through(target, light)
            off = np.abs(shown - apply(view_processor(self.config, "ACEScg", ACES_SDR), light))
            self.assertLess(float(np.percentile(off, 99)), 0.02, name)
        for name in ("bright", "infinite"):
            self.assertAlmostEqual(found[name].picture.clipped, 1 / 3600 + found["without"].picture.clipped, delta=1e-3)
            self.assertLess(found[name].held[1], 2 * found["without"].held[1])
            self.assertLess(found[name].picture.p99, 1.5 * found["without"].picture.p99)

    def test_the_range_is_that_of_the_picture(self) -> None:
        bright = Source(write(self.folder / "bright.exr", self.light * 40, "float"), "ACEScg")
        _, written = self.make("lut", (bright,))
        peak = float((self.light * 40).max())
        self.assertGreaterEqual(written.held[1], peak)
        self.assertLess(written.held[1], peak * 1.2)
        self.assertEqual(written.picture.clipped, 0.0)
        _, narrow = self.make("lut", (bright,), shaper="log", highest=2.0)
        self.assertGreater(narrow.picture.clipped, 0.1)
        self.assertEqual(narrow.held[1], 0.18 * 4)

    def test_black_stays_black_through_the_shaper(self) -> None:
        black = np.zeros((1, 1, 3), np.float32)
        meant = apply(view_processor(self.config, "ACEScg", ACES_SDR), black)
        for file_format in ("cube", "csp", "clf", "ctf"):
            target, _ = self.make("lut", format=file_format)
            np.testing.assert_allclose(self.through(target, black), meant, atol=1e-5)

    def test_what_goes_in_and_comes_out_stands_in_the_file(self) -> None:
        for file_format in ("cube", "csp", "clf"):
            target, _ = self.make("lut", format=file_format)
            text = target.read_text()
            self.assertIn("Input: ACEScg", text)
            self.assertIn("Add no view", text)

    def test_hdr_is_measured_as_hdr(self) -> None:
        hdr = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (P3 D65)"}
        _, written = self.make("lut", format="clf", **hdr)
        self.assertEqual(written.error.measure, "ΔE ITP")

    def test_refusals(self) -> None:
        for words, asked in (
            ("holds no shaper", {"format": "3dl"}),
            ("holds no shaper", {"format": "spi3d", "source": "ACEScct", "shaper": "log"}),
            ("no view", {"view": "Lost"}),
            ("no colour space", {"source": "Nowhere"}),
            ("no colour space", {"to": "Nowhere"}),
            ("up to 129", {"size": 200}),
        ):
            with self.subTest(asked):
                self.refused("lut", words, **asked)


class Profiles(DeliverableTestCase):
    def test_spaces_linear_ones_too_as_littlecms_reads_them(self) -> None:
        """To sRGB in 8 bits, within two steps of the engine: one of rounding, one of the reader's own tables."""
        codes = np.random.default_rng(4).integers(40, 216, (16, 16, 3), np.uint8)
        for space in ("ACEScg", "Linear Rec.709 (sRGB)", "sRGB Encoded Rec.709 (sRGB)", "Display P3 - Display"):
            for version in ("2", "4"):
                with self.subTest(space, version=version):
                    target, written = self.make("icc", space=space, version=version)
                    self.assertLess(written.mean, 0.4)
                    self.assertEqual(target.read_bytes()[8], int(version))
                    flags = ImageCms.Flags.NOOPTIMIZE
                    shown = ImageCms.applyTransform(
                        Image.fromarray(codes),
                        ImageCms.buildTransform(
                            ImageCms.ImageCmsProfile(str(target)),
                            ImageCms.createProfile("sRGB"),
                            "RGB",
                            "RGB",
                            ImageCms.Intent.RELATIVE_COLORIMETRIC,
                            flags,
                        ),
                    )
                    self.assertEqual(np.asarray(shown).shape, codes.shape)
                    if space == "sRGB Encoded Rec.709 (sRGB)":
                        self.assertLessEqual(np.abs(np.asarray(shown).astype(int) - codes).max(), 2)

    def test_a_view_as_a_table(self) -> None:
        for version in ("2", "4"):
            _, written = self.make("icc", space="ACEScct", version=version, **{"view": ACES_SDR.view})
            self.assertIn("table", written.profile)
            self.assertLess(written.mean, 0.6)
            self.assertIn(ACES_SDR.view, written.description)

    def test_refusals(self) -> None:
        hdr = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (P3 D65)"}
        for words, asked in (
            ("is data", {"space": "Raw"}),
            ("known kind", {"space": "ACEScct"}),
            ("is HDR", {"space": "Rec.2100-PQ - Display"}),
            ("is HDR", {"space": "ACEScct", **hdr}),
            ("is light", {"space": "ACEScg", "view": ACES_SDR.view, "display": SRGB_DISPLAY}),
        ):
            with self.subTest(asked):
                self.refused("icc", words, **asked)


class Grades(DeliverableTestCase):
    def test_each_format_holds_what_it_says(self) -> None:
        curve = (0.0, 0.3, 0.5, 0.8, 1.0)
        for grade in (
            GRADE,
            replace(GRADE, exposure=0.5),
            replace(GRADE, log=True),
            replace(GRADE, log=True, exposure=-1.0, curve=curve),
            replace(GRADE, place=AFTER, curve=curve),
        ):
            for file_format in ("cc", "ccc", "cdl", "clf", "cube"):
                if file_format == "cube" and grade.place == BEFORE and not grade.log:
                    continue
                with self.subTest(file_format, grade=grade):
                    _, written = self.make("grade", format=file_format, grade=asdict(grade))
                    is_sampled = file_format == "cube" or (file_format == "clf" and grade.place == AFTER)
                    self.assertLess(written.largest, 0.03 if is_sampled else 5e-5)
                    lacks = file_format in ("cc", "ccc", "cdl") and grade.curve == curve
                    self.assertEqual(any("curve" in each for each in written.lost), lacks)

    def test_refusals(self) -> None:
        self.refused("grade", "no grade yet", grade=asdict(Grade()))
        self.refused("grade", "linear light", format="cube")
