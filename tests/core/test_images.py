"""Image files: hostile ones are refused by their header, good ones are measured and written exactly."""

import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.images import (
    encode_png,
    measure,
    read_box,
    read_header,
    read_pixels,
    read_reduced,
    reduce_pixels,
    survey,
    write_image,
    write_texture,
)
from saltwort.core.images.lettering import MISSING, lettering
from saltwort.core.images.reading import read_strips
from tests.samples import light, write, write_absurd_png, write_damaged


class ImageTestCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class Reading(ImageTestCase):
    def test_formats_and_sample_types(self) -> None:
        cases = {
            "a.exr": ("half", "EXR", "half"),
            "b.exr": ("float", "EXR", "float"),
            "c.png": ("uint8", "PNG", "8-bit"),
            "d.png": ("uint16", "PNG", "16-bit"),
            "e.tif": ("uint16", "TIFF", "16-bit"),
            "f.jpg": ("uint8", "JPEG", "8-bit"),
            "g.hdr": ("float", "HDR", "float"),
        }
        for name, (sample_type, label, bits) in cases.items():
            header = read_header(write(self.folder / name, light(peak=1.0), sample_type))
            with self.subTest(name):
                self.assertEqual((header.format, header.bit_depth), (label, bits))
                self.assertEqual((header.width, header.height, header.channels), (40, 24, 3))

    def test_a_float_file_comes_back_to_the_bit(self) -> None:
        pixels = light()
        np.testing.assert_array_equal(read_pixels(write(self.folder / "a.exr", pixels, "float")), pixels)

    def test_integers_are_rounded_to_the_nearest_step(self) -> None:
        pixels = light(peak=1.0)
        for name, sample_type, steps in (
            ("a.png", "uint8", 255),
            ("b.png", "uint16", 65535),
            ("c.tif", "uint16", 65535),
        ):
            read = read_pixels(write(self.folder / name, pixels, sample_type))
            self.assertLessEqual(np.abs(read - pixels).max(), 0.5 / steps + 1e-7)

    def test_one_channel_is_repeated_and_alpha_is_dropped_unmultiplied(self) -> None:
        grey = write(self.folder / "grey.png", np.full((4, 4, 1), 0.5, np.float32), "uint16")
        self.assertEqual(read_pixels(grey).shape, (4, 4, 3))
        rgba = np.full((4, 4, 4), 0.5, np.float32)
        rgba_file = write(self.folder / "rgba.png", rgba, "uint16", **{"oiio:UnassociatedAlpha": 1})
        np.testing.assert_allclose(read_pixels(rgba_file), 0.5, atol=1e-5)

    def test_tags_that_speak_of_colour_are_read(self) -> None:
        chromaticities = (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)
        file = write(
            self.folder / "a.exr", light(), "half", chromaticities=chromaticities, colorInteropID="lin_ap1_scene"
        )
        tags = read_header(file).tags
        self.assertEqual(tags["colorInteropID"], "lin_ap1_scene")
        np.testing.assert_allclose(tags["chromaticities"], chromaticities, atol=1e-6)

    def test_a_reduced_picture_is_the_mean_of_whole_blocks(self) -> None:
        pixels = light(height=301, width=500)
        reduced = read_reduced(write(self.folder / "a.exr", pixels, "float"), 100)
        self.assertEqual(reduced.shape, (60, 100, 3))
        expected = pixels[:300].reshape(60, 5, 100, 5, 3).mean(axis=(1, 3))
        np.testing.assert_allclose(reduced, expected, rtol=1e-5, atol=1e-5)

    def test_a_small_picture_is_not_enlarged(self) -> None:
        file = write(self.folder / "a.exr", light(3, 5), "float")
        self.assertEqual(read_reduced(file, 100).shape, (3, 5, 3))
        self.assertEqual(reduce_pixels(light(3, 5), 100).shape, (3, 5, 3))
        self.assertEqual(reduce_pixels(light(30, 50), 10).shape, (6, 10, 3))
        self.assertEqual(read_reduced(write(self.folder / "thin.exr", light(1, 900), "float"), 100).shape, (1, 900, 3))

    def test_large_files_are_read_in_strips(self) -> None:
        file = write(self.folder / "a.exr", light(2000, 400), "half")
        strips = list(read_strips(file))
        self.assertGreater(len(strips), 2)
        self.assertEqual(sum(len(strip) for _, strip in strips), 2000)


class HostileFiles(ImageTestCase):
    def assert_refused(self, path: Path, words: str) -> None:
        with self.subTest(path.name), self.assertRaisesRegex(BadInput, words) as refused:
            measure(path)
        self.assertNotIn("\n", str(refused.exception))

    def test_no_image(self) -> None:
        for name, content in (("notes.txt", b"hello"), ("fake.exr", b"not an exr"), ("page.png", b"<html>")):
            (self.folder / name).write_bytes(content)
            self.assert_refused(self.folder / name, "not an image that Saltwort reads")

    def test_empty_missing_and_folder(self) -> None:
        (self.folder / "empty.png").touch()
        self.assert_refused(self.folder / "empty.png", "is empty")
        self.assert_refused(self.folder / "nowhere.png", "cannot be read")
        self.assert_refused(self.folder, "cannot be read")

    def test_truncated(self) -> None:
        for name, sample_type in (("a.exr", "half"), ("b.png", "uint8"), ("c.tif", "uint16"), ("d.hdr", "float")):
            self.assert_refused(write_damaged(self.folder / name, light(200, 200), sample_type), "damaged")

    def test_a_header_alone(self) -> None:
        self.assert_refused(write_damaged(self.folder / "a.exr", light(200, 200), "half", share=0.001), "damaged")

    def test_absurd_size_is_refused_by_the_header(self) -> None:
        self.assert_refused(write_absurd_png(self.folder / "huge.png"), "60000 × 60000|header cannot be read")

    def test_a_wrong_extension_does_not_matter(self) -> None:
        file = write(self.folder / "a.exr", light(), "half")
        renamed = file.rename(self.folder / "a.png")
        self.assertEqual(measure(renamed).header.format, "EXR")


class Windows(ImageTestCase):
    def test_a_window_is_what_the_whole_has_there(self) -> None:
        pixels = light(150, 130, peak=1.0)
        flat = write(self.folder / "a.exr", pixels, "half")
        write_texture(flat, self.folder / "a.tx")
        for file in (flat, self.folder / "a.tx", write(self.folder / "a.png", pixels, "uint16")):
            whole = read_pixels(file)
            for x, y, size in ((0, 0, 1), (129, 149, 1), (64, 63, 5), (100, 140, 40)):
                np.testing.assert_array_equal(read_box(file, x, y, size, size), whole[y : y + size, x : x + size])
            with self.assertRaisesRegex(BadInput, "130 × 150 pixels, so none at 130, 0"):
                read_box(file, 130, 0, 1, 1)

    def test_many_channels_are_read_in_thin_strips(self) -> None:
        pixels = np.random.default_rng(2).random((40, 2048, 160)).astype(np.float32)
        file = write(self.folder / "many.exr", pixels, "half")
        strips = [strip for _, strip in read_strips(file)]
        self.assertLess(max(strip.nbytes for strip in strips), 40 << 20)
        # The format sorts channels by their names.
        np.testing.assert_allclose(np.concatenate(strips).sum(axis=2), pixels.sum(axis=2), rtol=1e-3)


class Measuring(ImageTestCase):
    def test_statistics_by_hand(self) -> None:
        pixels = np.zeros((2, 5, 3), np.float32)
        pixels[0, 0] = (-1.0, 0.5, 2.0)
        pixels[0, 1] = (0.25, np.nan, np.inf)
        stats = measure(write(self.folder / "a.exr", pixels, "float")).stats
        self.assertEqual(stats.min, (-1.0, 0.0, 0.0))
        self.assertEqual(stats.max, (0.25, 0.5, 2.0))
        np.testing.assert_allclose(stats.mean, (-0.075, 0.5 / 9, 2.0 / 9), atol=1e-7)
        self.assertEqual(stats.non_finite, 2)
        self.assertAlmostEqual(stats.below_zero, 1 / 30)
        self.assertAlmostEqual(stats.above_one, 2 / 30)  # infinity is above one too

    def test_every_sample_type_is_measured_as_by_plain_arithmetic(self) -> None:
        """The shortcuts for bytes and halves against float64, with negative zeros, tiny, huge and broken values."""
        rng = np.random.default_rng(4)
        plain = rng.random((300, 50, 3)).astype(np.float32)
        signed = rng.normal(size=(300, 50, 3)).astype(np.float32) * 100
        signed[7, 7] = (-0.0, 6e-8, 60000)
        broken = signed.copy()
        broken[5, :3, 0] = (np.nan, np.inf, -np.inf)
        below_zero = -np.abs(signed) - 1
        cases = [(plain, kind) for kind in ("uint8", "uint16", "half", "float")]
        cases += [(pixels, kind) for pixels in (signed, broken, below_zero) for kind in ("half", "float")]
        for number, (pixels, kind) in enumerate(cases):
            file = write(self.folder / f"{number}{'.tif' if kind[0] == 'u' else '.exr'}", pixels, kind)
            stored = read_pixels(file).astype(np.float64)
            finite = np.where(np.isfinite(stored), stored, np.nan)
            found = survey(file)
            stats = found.facts.stats
            with self.subTest(kind=kind, number=number):
                np.testing.assert_allclose(stats.min, np.nanmin(finite, axis=(0, 1)), rtol=1e-6)
                np.testing.assert_allclose(stats.max, np.nanmax(finite, axis=(0, 1)), rtol=1e-6)
                np.testing.assert_allclose(stats.mean, np.nanmean(finite, axis=(0, 1)), rtol=1e-5, atol=1e-5)
                self.assertAlmostEqual(stats.below_zero, np.mean(stored < 0))
                self.assertAlmostEqual(stats.above_one, np.mean(stored > 1))
                self.assertEqual(stats.non_finite, np.count_nonzero(~np.isfinite(stored)))
                blocks = np.nan_to_num(finite)[:300, :48].reshape(100, 3, 16, 3, 3).mean(axis=(1, 3))
                # What is not finite counts as 0 in the thumbnail.
                np.testing.assert_allclose(found.thumbnail, blocks, rtol=1e-4, atol=1e-3)

    def test_nothing_but_nan(self) -> None:
        stats = measure(write(self.folder / "a.exr", np.full((4, 4, 3), np.nan, np.float32), "float")).stats
        self.assertEqual((stats.min, stats.max, stats.mean), ((None,) * 3,) * 3)
        self.assertEqual(stats.non_finite, 48)

    def test_statistics_over_many_strips_are_those_of_the_whole(self) -> None:
        pixels = light(1500, 700, seed=9)
        stats = measure(write(self.folder / "a.exr", pixels, "float")).stats
        np.testing.assert_allclose(stats.mean, pixels.reshape(-1, 3).mean(axis=0, dtype=np.float64), rtol=1e-9)
        np.testing.assert_array_equal(stats.max, pixels.reshape(-1, 3).max(axis=0))
        self.assertAlmostEqual(stats.above_one, float((pixels > 1).mean()), places=12)

    def test_unit_vectors_are_counted(self) -> None:
        vectors = np.random.default_rng(3).normal(size=(64, 64, 3)) * (0.3, 0.3, 0.1) + (0, 0, 1)
        vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
        normals = ((vectors + 1) / 2).astype(np.float32)
        self.assertEqual(measure(write(self.folder / "n.png", normals, "uint8")).stats.unit_vectors, 1.0)
        self.assertLess(measure(write(self.folder / "c.png", light(64, 64, 1.0), "uint8")).stats.unit_vectors, 0.5)


class Writing(ImageTestCase):
    def test_a_failed_write_leaves_the_old_file_and_no_other(self) -> None:
        file = write(self.folder / "a.png", light(peak=1.0), "uint8")
        before = file.read_bytes()
        with self.assertRaises(BadInput):
            write_image(file, np.zeros((4, 4, 700), np.float32), "uint8")  # PNG holds four channels at the most
        self.assertEqual(file.read_bytes(), before)
        self.assertEqual(list(self.folder.iterdir()), [file])

    def test_unknown_formats_and_folders_that_cannot_be_made(self) -> None:
        with self.assertRaisesRegex(BadInput, "its name ends with"):
            write_image(self.folder / "a.webp", light(), "uint8")
        (self.folder / "taken").touch()
        with self.assertRaisesRegex(BadInput, "cannot be written"):
            write_image(self.folder / "taken" / "a.png", light(), "uint8")

    def test_a_screen_png_holds_the_nearest_eight_bit_steps(self) -> None:
        pixels = light(peak=1.0)
        (self.folder / "a.png").write_bytes(encode_png(pixels))
        np.testing.assert_array_equal(
            np.round(read_pixels(self.folder / "a.png") * 255), np.round(np.clip(pixels, 0, 1) * 255)
        )


class Lettering(TestCase):
    def test_names_of_artists_in_many_scripts_have_letters_and_not_boxes(self) -> None:
        for name in ("Lantern Quay", "Żółć", "Λιμάνι", "Причал", "提灯の岸", "燈籠碼頭", "灯笼码头", "등불 부두"):
            font = lettering(name, 32)
            drawn = [bytes(font.getmask(letter)) for letter in (*set(name), MISSING)]
            with self.subTest(name=name):
                self.assertEqual(len(set(drawn)), len(drawn))
