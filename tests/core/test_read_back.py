"""Every format that is written is read by another library, and these say the same of it."""

import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

import numpy as np
from PIL import Image

from saltwort.core.deliverables.kinds.contact_sheet import PAGE, RESOLUTION, ContactSheetSettings, _read_again
from saltwort.core.errors import BadInput
from saltwort.core.images.independent import SAME, _by_image_library, pdf_pages, read_back
from tests.samples import light, write

KINDS = {
    "exr": ("half", "float"),
    "png": ("uint8", "uint16"),
    "tif": ("uint8", "uint16", "half", "float"),
    "jxl": ("uint8", "uint16", "half", "float"),
    "jpg": ("uint8",),
}
LOSSY = {"jpg": 3 / 255, "jxl": 1e-4}
"""Most that two decoders may differ by: JPEG's rounding of chroma, and floats in JPEG XL of a quality."""


class ReadBackTestCase(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class Pictures(ReadBackTestCase):
    def test_two_readers_agree_on_every_format_and_layout(self) -> None:
        """To the bit, where nothing is lossy; 1e-7 is the rounding of whole numbers over 255 in float32."""
        for suffix, samples in KINDS.items():
            for sample in samples:
                for channels in (3, 4):
                    if suffix == "jpg" and channels == 4:
                        continue
                    with self.subTest(suffix=suffix, sample=sample, channels=channels):
                        pixels = np.dstack([light(24, 40, 1.0, seed) for seed in (1, 2)])[..., :channels]
                        if channels == 4:
                            pixels[..., 3] = 1.0  # so that straight and associated colours are one
                        file = write(self.folder / f"a_{sample}{channels}.{suffix}", pixels, sample)
                        found = read_back(file)
                        self.assertNotEqual(found.reader, SAME)
                        self.assertEqual(found.stored.shape, pixels.shape)
                        np.testing.assert_allclose(
                            found.rows(), _by_image_library(file), atol=LOSSY.get(suffix, 1e-7), rtol=0
                        )

    def test_light_above_one_in_float_tiff(self) -> None:
        file = write(self.folder / "bright.tif", light(24, 40, 80.0), "float")
        found = read_back(file)
        self.assertEqual((found.reader, found.stored.dtype), ("tifffile", np.float32))
        self.assertGreater(found.rows().max(), 10)

    def test_what_ends_too_early(self) -> None:
        for suffix, sample in (("tif", "float"), ("jxl", "uint8"), ("png", "uint8"), ("exr", "half")):
            file = write(self.folder / f"cut.{suffix}", light(60, 80, 1.0), sample)
            file.write_bytes(file.read_bytes()[: file.stat().st_size // 3])
            with self.subTest(suffix), self.assertRaises(BadInput):
                read_back(file)


class Pages(ReadBackTestCase):
    def test_a_page_is_seen_as_it_was_meant(self) -> None:
        meant = np.full((PAGE[1], PAGE[0], 3), 58, np.uint8)
        meant[300:900, 400:1200] = (220, 40, 30)
        file = self.folder / "page.pdf"
        Image.fromarray(meant).save(file, "PDF", resolution=RESOLUTION, quality=92)
        self.assertEqual(_read_again(file, ContactSheetSettings("", "", format="pdf"), meant), PAGE)
        (page,) = pdf_pages(file, RESOLUTION)
        np.testing.assert_allclose(page[600, 800], (220, 40, 30), atol=2)

    def test_another_page_is_refused(self) -> None:
        meant = np.full((PAGE[1], PAGE[0], 3), 58, np.uint8)
        file = self.folder / "page.pdf"
        Image.fromarray(meant + 9).save(file, "PDF", resolution=RESOLUTION)
        settings = ContactSheetSettings("", "", format="pdf")
        with self.assertRaisesRegex(BadInput, "reads back otherwise"):
            _read_again(file, settings, meant)
        file.write_bytes(b"%PDF-1.4 and nothing more")
        with self.assertRaisesRegex(BadInput, "no PDF"):
            _read_again(file, settings, meant)
        no_page = patch("saltwort.core.deliverables.kinds.contact_sheet.pdf_pages", return_value=[])
        with no_page, self.assertRaisesRegex(BadInput, "reads back otherwise"):
            _read_again(file, settings, meant)
