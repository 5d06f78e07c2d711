"""Textures converted to new files: the engine's numbers, headers, alpha, data, and refusals."""

from contextlib import contextmanager
from unittest.mock import patch

import numpy as np
import OpenImageIO as oiio

from saltwort.core.engine import space_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_header, survey, writing_parts
from saltwort.core.images.reading import read_strips
from saltwort.core.spaces.gamuts import AP1
from saltwort.core.textures import converting
from saltwort.core.textures.conversion_plans import FORMATS, converted_name, part_of
from saltwort.core.textures.converting import convert
from saltwort.core.textures.foreseeing import foresee
from saltwort.demo.textures import noise, normals
from tests.core.test_images import ImageTestCase
from tests.samples import LINEAR_REC709, SRGB, base_config, light, write


def stored(path) -> np.ndarray:
    return np.concatenate([strip for _, strip in read_strips(path)])


@contextmanager
def rows_off_by_a_percent(*asked, **more):
    """A disk that does not keep what it is given."""
    with writing_parts(*asked, **more) as write:
        yield lambda rows: write(rows * 0.99)


class Converting(ImageTestCase):
    def converted(self, source, source_space: str, space: str, format_name: str = "exr-float", name: str = "out"):
        target = self.folder / f"{name}{FORMATS[format_name].suffix}"
        return convert(base_config(), source, source_space, space, format_name, target)

    def test_every_format_holds_the_engines_numbers(self) -> None:
        source = write(self.folder / "wall.png", light(peak=1.0), "uint16")
        expected = stored(source).copy()
        space_processor(base_config(), SRGB, LINEAR_REC709).applyRGB(expected)
        # Half a step of 16 bits; of half floats below 1, 2⁻¹².
        for format_name, tolerance in (("exr-float", 0), ("exr-half", 2**-12), ("tif-16", 1e-5), ("png-16", 1e-5)):
            with self.subTest(format_name):
                done = self.converted(source, SRGB, LINEAR_REC709, format_name)
                error = np.abs(stored(self.folder / f"out{FORMATS[format_name].suffix}") - expected).max()
                self.assertLessEqual(error, tolerance)
                self.assertAlmostEqual(done.largest_error, error, places=6)
                (self.folder / f"out{FORMATS[format_name].suffix}").unlink()

    def test_the_header_says_what_is_in_it(self) -> None:
        source = write(self.folder / "wall.png", light(peak=1.0), "uint8")
        self.converted(source, SRGB, "ACEScg", "exr-half")
        tags = read_header(self.folder / "out.exr").tags
        self.assertEqual(tags["colorInteropID"], "lin_ap1_scene")
        np.testing.assert_allclose(tags["chromaticities"], AP1.chromaticities, atol=1e-6)

    def test_what_does_not_fit_is_counted(self) -> None:
        bright = write(self.folder / "sky.exr", light(peak=9.0), "float")
        done = self.converted(bright, "ACEScg", "ACEScg", "tif-16")
        self.assertEqual(done.clipped, int((light(peak=9.0) > 1).sum()))
        huge = np.full((4, 4, 3), 1e6, np.float32)
        done = self.converted(write(self.folder / "huge.exr", huge, "float"), "ACEScg", "ACEScg", "exr-half", "huge2")
        self.assertEqual(done.clipped, huge.size)
        green = np.zeros((4, 4, 3), np.float32)
        green[..., 1] = 1
        wide = write(self.folder / "green.exr", green, "float")
        self.assertGreater(self.converted(wide, "ACES2065-1", LINEAR_REC709, name="narrow").negative, 0)

    def test_data_keeps_every_number(self) -> None:
        source = write(self.folder / "rough.png", light(peak=1.0)[..., :1], "uint16")
        self.converted(source, "Raw", "ACEScg")
        np.testing.assert_array_equal(stored(self.folder / "out.exr"), stored(source))

    def test_green_is_flipped_in_normals_alone(self) -> None:
        unsigned = normals(noise(3, (48, 64), 6))
        codes = np.round(unsigned * 65535).astype(np.uint16)
        for written, pixels, sample_type, flip in (
            ("rope_normal.png", codes / 65535, "uint16", lambda green: 1 - green),
            ("rope_normal.exr", unsigned * 2 - 1, "float", lambda green: -green),
        ):
            source = write(self.folder / written, pixels.astype(np.float32), sample_type)
            for format_name in ("exr-float", "png-16") if sample_type == "uint16" else ("exr-float", "tx-float"):
                with self.subTest(written, into=format_name):
                    target = self.folder / f"out{FORMATS[format_name].suffix}"
                    convert(base_config(), source, "Raw", "Raw", format_name, target, flip_green=True)
                    found, before = (oiio.ImageBuf(str(file)).get_pixels(oiio.FLOAT) for file in (target, source))
                    np.testing.assert_array_equal(found[..., ::2], before[..., ::2])
                    np.testing.assert_allclose(found[..., 1], flip(before[..., 1]), atol=1e-6)
                    target.unlink()
        wall = write(self.folder / "wall.png", light(peak=1.0), "uint16")
        for file, space, why in ((wall, "Raw", "not vectors of length 1"), (source, SRGB, "Have it read as data")):
            with self.assertRaisesRegex(BadInput, why):
                convert(base_config(), file, space, space, "exr-float", self.folder / "no.exr", flip_green=True)
        self.assertFalse((self.folder / "no.exr").exists())

    def test_alpha_is_multiplied_in_where_the_format_has_it_so(self) -> None:
        rgba = np.concatenate([light(peak=1.0), np.full((24, 40, 1), 0.5, np.float32)], axis=2)
        source = write(self.folder / "leaf.png", rgba, "uint16", **{"oiio:UnassociatedAlpha": 1})
        self.converted(source, SRGB, LINEAR_REC709)
        exr = stored(self.folder / "out.exr")
        plain = stored(source)[..., :3].copy()
        space_processor(base_config(), SRGB, LINEAR_REC709).applyRGB(plain)
        np.testing.assert_allclose(exr[..., :3], plain * exr[..., 3:], atol=1e-6)
        back = self.converted(self.folder / "out.exr", LINEAR_REC709, SRGB, "png-16", "back")
        np.testing.assert_allclose(stored(self.folder / "back.png"), stored(source), atol=2 / 65535)
        self.assertLess(back.largest_error, 1e-5)

    def test_a_texture_has_tiles_all_mip_levels_and_the_same_numbers(self) -> None:
        source = write(self.folder / "wall.png", light(150, 260, peak=1.0), "uint8")
        done = self.converted(source, SRGB, "ACEScg", "tx-half")
        tiled = oiio.ImageInput.open(str(self.folder / "out.tx"))
        sizes = []
        while tiled.seek_subimage(0, len(sizes)):
            sizes.append((tiled.spec().width, tiled.spec().height))
        tiled.close()
        self.assertEqual((sizes[:3], sizes[-1], len(sizes)), ([(260, 150), (130, 75), (65, 37)], (1, 1), 9))
        self.assertEqual(read_header(self.folder / "out.tx").tags["colorInteropID"], "lin_ap1_scene")
        expected = stored(source).copy()
        space_processor(base_config(), SRGB, "ACEScg").applyRGB(expected)
        self.assertLessEqual(np.abs(stored(self.folder / "out.tx") - expected).max(), 2**-12)
        self.assertLessEqual(done.largest_error, 2**-12)

    def test_values_that_are_no_numbers_stay_what_they_are(self) -> None:
        broken = light()
        broken[3, 4] = (np.inf, 0.5, 0.5)
        broken[5, 6] = np.nan
        source = write(self.folder / "broken.exr", broken, "float")
        for number, format_name in enumerate(("exr-half", "exr-float")):
            self.converted(source, "ACEScg", "ACEScg", format_name, str(number))
            found = stored(self.folder / f"{number}{FORMATS[format_name].suffix}")
            np.testing.assert_array_equal(np.isfinite(found), np.isfinite(broken))
        with self.assertRaisesRegex(BadInput, "4 values that are no numbers, and mip levels would spread"):
            self.converted(source, "ACEScg", "ACEScg", "tx-half")

    def test_after_a_crash_a_file_that_is_done_is_taken_and_another_is_not(self) -> None:
        source = write(self.folder / "wall.png", light(peak=1.0), "uint8")
        target = self.folder / "out.exr"
        first = self.converted(source, SRGB, "ACEScg", "exr-half")
        self.assertEqual(convert(base_config(), source, SRGB, "ACEScg", "exr-half", target, again=True), first)
        for source_space in ("ACEScg", "Raw"):
            with self.assertRaisesRegex(BadInput, "nothing is overwritten"):
                convert(base_config(), source, source_space, "ACEScg", "exr-half", target, again=True)

    def test_a_file_that_reads_back_otherwise_is_taken_away(self) -> None:
        source = write(self.folder / "wall.png", light(peak=1.0), "uint8")
        with (
            patch.object(converting, "writing_parts", rows_off_by_a_percent),
            self.assertRaisesRegex(BadInput, "did not read back"),
        ):
            self.converted(source, SRGB, "ACEScg")
        self.assertFalse((self.folder / "out.exr").exists())

    def test_what_is_foreseen_comes_true(self) -> None:
        for number, (peak, into, format_name) in enumerate(
            ((9.0, "ACEScg", "tif-16"), (1.0, SRGB, "png-16"), (1.0, LINEAR_REC709, "exr-half"))
        ):
            source = write(self.folder / f"{number}.exr", light(90, 120, peak=peak), "half")
            found = survey(source)
            told = foresee(base_config(), (part_of(found.facts.header),), found.sample, "ACES2065-1", into, format_name)
            done = self.converted(source, "ACES2065-1", into, format_name, f"out{number}")
            self.assertAlmostEqual(told.clipped, done.clipped / done.samples, delta=0.02)
            self.assertAlmostEqual(told.negative, done.negative / done.samples, delta=0.02)
            self.assertGreater(done.clipped + done.negative, 0)

    def test_precision_lost_is_told_in_the_numbers_of_the_source(self) -> None:
        source = survey(write(self.folder / "wall.png", light(peak=1.0), "uint8"))
        lost = {
            name: foresee(base_config(), (part_of(source.facts.header),), source.sample, SRGB, "ACEScg", name).lost
            for name in FORMATS
        }
        self.assertLess(lost["exr-float"], 2e-5)  # a curve and its inverse, in float32
        self.assertLess(lost["exr-half"], 1.5 / 255)  # most where a dark channel stands beside a bright one
        self.assertLess(lost["tif-16"], lost["exr-half"])  # halves are the coarser of the two near 1
        told = foresee(base_config(), (part_of(source.facts.header),), source.sample, SRGB, "ACEScg", "exr-half")
        self.assertEqual(told.bytes, 5760)

    def test_names(self) -> None:
        config = base_config()
        for path, name in (
            ("lamp_basecolor.1001.exr", "lamp_basecolor_ACEScg.1001.exr"),
            ("lamp_basecolor_1002.exr", "lamp_basecolor_ACEScg_1002.exr"),
            ("rope.0042.exr", "rope_ACEScg.0042.exr"),
            ("rope_u1_v2.png", "rope_ACEScg_u1_v2.exr"),
            ("wall_v012.png", "wall_v012_ACEScg.exr"),
        ):
            self.assertEqual(converted_name(path, config, "ACEScg", "exr-half"), name)
        self.assertEqual(converted_name("a/wall.png", config, "ACEScg", "exr-half"), "wall_ACEScg.exr")
        self.assertEqual(converted_name("wall.png", config, SRGB, "tif-16", "{name}"), "wall.tif")
        for pattern in ("{space}", "../{name}", "a\\{name}"):
            with self.assertRaisesRegex(BadInput, "A name pattern"):
                converted_name("wall.png", config, "ACEScg", "exr-half", pattern)

    def test_refusals_leave_everything_as_it_is(self) -> None:
        source = write(self.folder / "wall.png", light(peak=1.0), "uint8")
        (self.folder / "out.exr").write_text("mine")
        with self.assertRaisesRegex(BadInput, "nothing is overwritten"):
            self.converted(source, SRGB, "ACEScg")
        self.assertEqual((self.folder / "out.exr").read_text(), "mine")
        with self.assertRaisesRegex(BadInput, "no colour space"):
            self.converted(source, SRGB, "Nowhere", name="b")
        nine = write(self.folder / "nine.exr", np.zeros((4, 4, 9), np.float32), "half")
        with self.assertRaisesRegex(BadInput, "nine.exr: PNG holds 1, 2, 3 or 4 channels, and there are 9"):
            self.converted(nine, "ACEScg", SRGB, "png-16", name="c")
        with self.assertRaisesRegex(BadInput, "no format"):
            convert(base_config(), source, SRGB, "ACEScg", "bmp", self.folder / "d.bmp")
        self.assertEqual(sorted(path.name for path in self.folder.iterdir()), ["nine.exr", "out.exr", "wall.png"])
