"""Files of every odd sort: each is either measured, shown and converted as it is, or refused in a sentence."""

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.images import read_pixels, read_reduced, survey
from saltwort.core.textures.converting import convert
from tests.core.test_images import ImageTestCase
from tests.samples import (
    LINEAR_REC709,
    SRGB,
    base_config,
    light,
    write,
    write_absurd_png,
    write_cmyk_jpeg,
    write_damaged,
    write_deep,
    write_parts,
    write_png,
)


class OddImages(ImageTestCase):
    def assert_usable(self, file, size: tuple[int, int]):
        """Measured, reduced and converted; gives the facts back."""
        found = survey(file)
        header = found.facts.header
        self.assertEqual((header.width, header.height), size)
        self.assertEqual(read_reduced(file, 64).shape[2], 3)
        self.assertEqual(read_pixels(file).shape, (size[1], size[0], 3))
        if header.channels <= 4:
            done = convert(base_config(), file, SRGB, LINEAR_REC709, "exr-half", self.folder / f"{file.stem}_out.exr")
            self.assertLess(done.largest_error, 2**-11)
        return found.facts

    def assert_refused(self, file, words: str) -> None:
        for action in (survey, read_pixels, lambda path: read_reduced(path, 64)):
            with self.assertRaisesRegex(BadInput, words):
                action(file)

    def test_one_pixel(self) -> None:
        facts = self.assert_usable(write(self.folder / "a.png", np.full((1, 1, 3), 0.5, np.float32), "uint8"), (1, 1))
        self.assertAlmostEqual(facts.stats.median[0], 128 / 255)

    def test_one_two_and_nine_channels(self) -> None:
        for channels in (1, 2, 9):
            pixels = np.random.default_rng(channels).random((6, 5, channels)).astype(np.float32)
            facts = self.assert_usable(write(self.folder / f"{channels}.exr", pixels, "half"), (5, 6))
            self.assertEqual((facts.header.channels, len(facts.stats.min)), (channels, channels))
        with self.assertRaisesRegex(BadInput, "there are 9"):
            convert(base_config(), self.folder / "9.exr", SRGB, "ACEScg", "png-16", self.folder / "out.png")

    def test_a_header_that_promises_too_much(self) -> None:
        for side in (30_000, 60_000, 2**31 - 1):
            self.assert_refused(
                write_absurd_png(self.folder / "a.png", side), "30000 × 30000|header cannot be read|60000 × 60000"
            )

    def test_a_header_that_promises_more_than_there_is(self) -> None:
        self.assert_refused(write_absurd_png(self.folder / "a.png", 8_000), "damaged or ends too early")

    def test_truncated_and_empty(self) -> None:
        for number, (name, kind) in enumerate(
            (("a.exr", "half"), ("a.png", "uint8"), ("a.tif", "uint16"), ("a.hdr", "float"))
        ):
            for share in (0.6, 0.05):
                file = write_damaged(self.folder / f"{number}-{share}-{name}", light(200, 300, peak=1.0), kind, share)
                self.assert_refused(file, "damaged")
        (self.folder / "none.png").touch()
        self.assert_refused(self.folder / "none.png", "is empty")

    def test_the_content_counts_and_not_the_extension(self) -> None:
        for source, name, label in (
            (("a.exr", "half"), "b.png", "EXR"),
            (("a.png", "uint8"), "b.exr", "PNG"),
            (("a.tif", "uint8"), "b.jpg", "TIFF"),
        ):
            file = write(self.folder / source[0], light(peak=1.0), source[1]).rename(self.folder / name)
            self.assertEqual(self.assert_usable(file, (40, 24)).header.format, label)
            file.unlink()
            (self.folder / f"{file.stem}_out.exr").unlink()

    def test_of_several_parts_the_first_is_read(self) -> None:
        first, second = light(6, 8), light(6, 8, seed=2)
        file = write_parts(self.folder / "a.exr", {"beauty": first, "albedo": second})
        self.assertEqual(self.assert_usable(file, (8, 6)).header.parts, 2)
        np.testing.assert_allclose(read_pixels(file), first.astype(np.float16), rtol=1e-6)

    def test_deep_pixels_are_refused(self) -> None:
        self.assert_refused(write_deep(self.folder / "a.exr"), "deep pixels.*Flatten it")

    def test_nothing_but_broken_numbers(self) -> None:
        for number, value in enumerate((np.nan, np.inf, -np.inf)):
            for kind in ("half", "float"):
                pixels = np.full((9, 11, 3), value, np.float32)
                facts = self.assert_usable(write(self.folder / f"{number}{kind}.exr", pixels, kind), (11, 9))
                self.assertEqual(facts.stats.non_finite, 9 * 11 * 3)
                self.assertEqual(facts.stats.max, (None, None, None))

    def test_four_inks_come_as_red_green_and_blue(self) -> None:
        facts = self.assert_usable(write_cmyk_jpeg(self.folder / "a.jpg"), (8, 8))
        self.assertEqual((facts.header.channels, facts.header.tags["jpeg:ColorSpace"]), (3, "CMYK"))

    def test_one_bit_and_a_palette(self) -> None:
        bits = write_png(self.folder / "bits.png", (8, 2), 1, 0, b"\0\xaa\0\x55")
        facts = self.assert_usable(bits, (8, 2))
        self.assertEqual((facts.stats.levels, facts.stats.mean[0]), (2, 0.5))
        palette = write_png(self.folder / "palette.png", (4, 1), 8, 3, b"\0\0\1\0\1", bytes((255, 0, 0, 0, 0, 255)))
        self.assert_usable(palette, (4, 1))
        np.testing.assert_array_equal(read_pixels(palette)[0, :2], ((1, 0, 0), (0, 0, 1)))

    def test_names_of_all_sorts(self) -> None:
        for name in ("with space", "quote'\"", "<b>&amp;", "燈", "😀", "x" * 246, "-rf", "%s{0}", "a.b.c"):
            file = write(self.folder / f"{name}.png", light(4, 5, peak=1.0), "uint8")
            self.assert_usable(file, (5, 4)) if len(name) < 200 else survey(file)
