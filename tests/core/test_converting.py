"""Textures converted to new files: the engine's numbers, headers, alpha, data, and refusals."""

import numpy as np

from saltwort.core.engine import space_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import read_header
from saltwort.core.images.reading import read_strips
from saltwort.core.spaces.gamuts import AP1
from saltwort.core.textures.converting import FORMATS, convert, converted_name
from tests.core.test_images import ImageTestCase
from tests.samples import LINEAR_REC709, SRGB, base_config, light, write


def stored(path) -> np.ndarray:
    return np.concatenate([strip for _, strip in read_strips(path)])


class Converting(ImageTestCase):
    def converted(self, source, source_space: str, space: str, format_name: str = "exr-float", name: str = "out"):
        target = self.folder / f"{name}{FORMATS[format_name][0]}"
        return convert(base_config(), source, source_space, space, format_name, target)

    def test_every_format_holds_the_engines_numbers(self) -> None:
        source = write(self.folder / "wall.png", light(peak=1.0), "uint16")
        expected = stored(source).copy()
        space_processor(base_config(), SRGB, LINEAR_REC709).applyRGB(expected)
        # Half a step of 16 bits; of half floats below 1, 2⁻¹².
        for format_name, tolerance in (("exr-float", 0), ("exr-half", 2**-12), ("tif-16", 1e-5), ("png-16", 1e-5)):
            with self.subTest(format_name):
                done = self.converted(source, SRGB, LINEAR_REC709, format_name)
                error = np.abs(stored(self.folder / f"out{FORMATS[format_name][0]}") - expected).max()
                self.assertLessEqual(error, tolerance)
                self.assertAlmostEqual(done.largest_error, error, places=6)
                (self.folder / f"out{FORMATS[format_name][0]}").unlink()

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

    def test_names(self) -> None:
        config = base_config()
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
        with self.assertRaisesRegex(BadInput, "9 channels"):
            self.converted(nine, "ACEScg", SRGB, name="c")
        with self.assertRaisesRegex(BadInput, "no format"):
            convert(base_config(), source, SRGB, "ACEScg", "bmp", self.folder / "d.bmp")
        self.assertEqual(sorted(path.name for path in self.folder.iterdir()), ["nine.exr", "out.exr", "wall.png"])
