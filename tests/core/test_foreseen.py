"""What an output will cost and lose, held against what it did once it was made."""

import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from saltwort.core.deliverables import Defaults, Source, deliverables
from saltwort.core.deliverables.foreseen import Foreseen, Subject
from saltwort.core.errors import BadInput
from saltwort.core.images import measure, read_pixels
from saltwort.core.images.independent import read_back
from saltwort.core.images.reading import Pixels
from tests.samples import ACES_SDR, UNTONED, light, project_config, write

SEED = 20261127
CHOSEN = Defaults(ACES_SDR, "ACEScg")


def quietly(share: float, doing: str) -> None:
    pass


class ForeseenOutputs(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def subject(self, file: Path) -> Subject:
        return Subject(measure(file), "ACEScg", read_pixels(file).reshape(1, -1, 3))

    def both(self, kind: str, pixels: Pixels, **asked: object) -> tuple[Foreseen, dict[str, object]]:
        """What was foreseen of a picture, and what was found in the file."""
        made, config = deliverables()[kind], project_config()
        file = write(self.folder / "in.exr", pixels, "float")
        settings = made.settings_from(asked, CHOSEN)
        made.check(config, settings)
        foreseen = made.foresee(config, settings, self.subject(file))
        target = self.folder / f"out{made.endings(settings)[0]}"
        written = vars(made.write(config, [Source(file, "ACEScg")], settings, target, quietly))
        self.assertLessEqual(target.stat().st_size, foreseen.bytes, (kind, asked))
        return foreseen, written

    def test_no_file_is_larger_than_was_told(self) -> None:
        random = np.random.default_rng(SEED)
        print(f"seed {SEED}", end=" ")
        noise = random.random((48, 64, 3), dtype=np.float32)
        for kind, choices in {
            "still": [
                {"format": form, "bits": bits}
                for form, each in (("png", "8 16"), ("tiff", "8 16 half float"), ("exr", "half float"), ("jxl", "8 16"))
                for bits in each.split()
            ]
            + [{"format": "jpeg", "quality": 100}, {"format": "avif", "quality": 100, "bits": "10"}],
            "light": [
                {"sample": sample, "compression": packed}
                for sample in ("half", "float")
                for packed in ("none", "zip", "piz", "dwaa")
            ],
        }.items():
            for asked in choices:
                with self.subTest(kind, **asked):
                    self.both(kind, noise * random.uniform(0.2, 3), **asked)

    def test_what_is_cut_is_told_before(self) -> None:
        random = np.random.default_rng(SEED)
        for _ in range(4):
            pixels = random.random((30, 40, 3), dtype=np.float32) * np.float32(random.uniform(0.5, 3.0))
            foreseen, written = self.both("still", pixels, **vars(UNTONED), bits="16")
            told = [loss for loss in foreseen.losses if "are cut" in loss]
            share = float(written["clipped"])  # type: ignore[arg-type]
            self.assertEqual(bool(told), share > 0)
            if told:
                self.assertAlmostEqual(float(told[0].partition("%")[0]) / 100, share, delta=1e-4)

    def test_white_without_detail(self) -> None:
        pixels = light(20, 20)
        pixels[:10] = 500.0
        foreseen, _ = self.both("still", pixels)
        self.assertIn("50.00% of the picture is pure white, with no detail.", foreseen.losses)

    def test_half_float_and_its_end(self) -> None:
        pixels = light(8, 8)
        foreseen, _ = self.both("light", pixels, sample="half")
        self.assertTrue(any("11 bits" in loss for loss in foreseen.losses))
        pixels[0, 0] = 1e5
        foreseen, written = self.both("light", pixels, sample="half")
        self.assertTrue(any("65,504" in loss for loss in foreseen.losses))
        self.assertGreater(float(written["clipped"]), 0)  # type: ignore[arg-type]
        foreseen, _ = self.both("light", pixels, sample="float")
        self.assertEqual(foreseen.losses, ())

    def test_colours_outside_the_space(self) -> None:
        pixels = np.zeros((4, 4, 3), np.float32)
        pixels[..., 1] = 1.0  # the green of ACEScg lies outside Rec.709
        foreseen, _ = self.both("light", pixels, space="Linear Rec.709 (sRGB)")
        self.assertTrue(any("are negative in Linear Rec.709" in loss for loss in foreseen.losses), foreseen.losses)

    def test_alpha_layers_and_size(self) -> None:
        made, config = deliverables()["still"], project_config()
        file = write(self.folder / "a.exr", np.concatenate([light(8, 12), np.ones((8, 12, 1), np.float32)], 2), "half")
        subject = Subject(measure(file), "ACEScg", read_pixels(file).reshape(1, -1, 3))
        losses = made.foresee(config, made.settings_from({"width": 6}, CHOSEN), subject).losses
        self.assertIn("The alpha is left out.", losses)
        self.assertIn("It is 6 × 4 of 12 × 8 pixels.", losses)
        kept = made.foresee(config, made.settings_from({"alpha": "keep"}, CHOSEN), subject).losses
        self.assertNotIn("The alpha is left out.", kept)

    def test_every_kind_tells(self) -> None:
        file = write(self.folder / "a.exr", light(8, 12), "half")
        for kind, made in deliverables().items():
            with self.subTest(kind):
                asked = {"source": "ACEScct"} if kind == "lut" else {}
                settings = made.settings_from(asked, CHOSEN)
                try:
                    found = made.foresee(project_config(), settings, self.subject(file))
                except BadInput as error:
                    self.fail(str(error))
                self.assertGreater(found.bytes, 0)


class HdrAvif(TestCase):
    def test_8_bits_are_refused_for_hdr_and_10_are_read_back_by_another_codec(self) -> None:
        made, config = deliverables()["still"], project_config()
        view = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (P3 D65)", "format": "avif"}
        with self.assertRaisesRegex(BadInput, "too few for HDR"):
            made.check(config, made.settings_from(view, CHOSEN))
        settings = made.settings_from({**view, "bits": "10", "quality": 98}, CHOSEN)
        made.check(config, settings)
        with tempfile.TemporaryDirectory() as folder:
            file = write(Path(folder) / "a.exr", smooth(63, 97), "half")
            written = made.write(config, [Source(file, "ACEScg")], settings, Path(folder) / "a.avif", quietly)
        self.assertEqual((written.reader, written.tags["CICP"]), ("dav1d", (9, 16, 9, 1)))
        self.assertEqual((written.width, written.height), (97, 63))
        self.assertLess(written.mean_error, 0.001)  # one step of ten bits

    def test_alpha_is_kept(self) -> None:
        made, config = deliverables()["still"], project_config()
        asked = {"format": "avif", "bits": "10", "quality": 100, "alpha": "keep"}
        alpha = np.linspace(0.25, 1, 51, dtype=np.float32)[None, :, None].repeat(33, 0)
        light = np.concatenate([smooth(33, 51) * alpha, alpha], axis=-1)
        with tempfile.TemporaryDirectory() as folder:
            file = write(Path(folder) / "a.exr", light, "half")
            settings = made.settings_from(asked, CHOSEN)
            made.check(config, settings)
            made.write(config, [Source(file, "ACEScg")], settings, Path(folder) / "a.avif", quietly)
            found = read_back(Path(folder) / "a.avif").rows()
        self.assertEqual(found.shape, (33, 51, 4))
        self.assertLess(float(np.abs(found[..., 3:] - alpha).max()), 2 / 1023)  # half a step, and what half floats lose


def smooth(height: int, width: int) -> Pixels:
    """Light that changes slowly, as pictures do, up to 8."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    return np.stack([8 * x / width, 8 * y / height, 4 * (x + y) / (width + height)], axis=-1)
