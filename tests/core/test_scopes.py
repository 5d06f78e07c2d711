"""Scopes against values that are known, and the engine's GPU program."""

from unittest import TestCase

import numpy as np

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.gpu import FUNCTION, gpu_program
from saltwort.core.errors import BadInput
from saltwort.core.views.scopes import HEIGHT, SIDE, WIDTH, on_stops, parade, scope, vectorscope, waveform
from tests.samples import ACES_SDR, GAMUT_COMPRESSION, SRGB_DISPLAY, UNTONED, project_config


def flat(*colour: float) -> np.ndarray:
    return np.broadcast_to(np.array(colour, np.float32), (40, 60, 3)).copy()


class Scopes(TestCase):
    def lit_row(self, picture: np.ndarray, column: int) -> float:
        """The value, 0–1, at which a column of a waveform is lit."""
        (row,) = np.flatnonzero(picture[:, column].max(axis=1))
        return 1 - (row + 0.5) / HEIGHT

    def test_a_waveform_shows_luma_over_the_width(self) -> None:
        ramp = np.repeat(np.linspace(0, 1, 600, dtype=np.float32)[None, :, None], 3, axis=2)
        shown = waveform(np.repeat(ramp, 20, axis=0))
        self.assertEqual(shown.shape, (HEIGHT, WIDTH, 3))
        for column in (10, WIDTH // 2, WIDTH - 10):
            values = 1 - (np.flatnonzero(shown[:, column, 0]) + 0.5) / HEIGHT
            self.assertAlmostEqual(float(values.mean()), (column + 0.5) / WIDTH, delta=1.5 / HEIGHT)
        self.assertAlmostEqual(self.lit_row(waveform(flat(1, 0, 0)), 5), 0.2126, delta=1 / HEIGHT)

    def test_a_parade_shows_each_channel(self) -> None:
        shown = parade(flat(0.9, 0.5, 0.1))
        third = WIDTH // 3
        for part, value in enumerate((0.9, 0.5, 0.1)):
            self.assertAlmostEqual(self.lit_row(shown, part * third + 20), value, delta=1 / HEIGHT)

    def test_a_vectorscope_shows_chroma_by_the_standard(self) -> None:
        for colour in ((0.5, 0.5, 0.5), (1, 0, 0), (0, 0, 1), (0.2, 0.7, 0.3)):
            luma = np.dot(colour, (0.2126, 0.7152, 0.0722))
            expected = ((colour[2] - luma) / 1.8556, (colour[0] - luma) / 1.5748)  # ITU-R BT.709, Cb and Cr
            rows, columns = np.nonzero(vectorscope(flat(*colour)).max(axis=2))
            found = ((columns + 0.5) / SIDE - 0.5, 0.5 - (rows + 0.5) / SIDE)
            for place, wanted in zip(found, expected, strict=True):
                self.assertAlmostEqual(float(place.mean()), wanted, delta=1.01 / SIDE)

    def test_light_stands_in_stops_around_the_middle(self) -> None:
        found = on_stops(np.array([0.18, 0.18 * 2**4, 0.18 / 2**4, 0.0, -1.0, 1e9], np.float32))
        np.testing.assert_allclose(found, [0.5, 0.75, 0.25, 0, 0, 1], atol=1e-6)

    def test_what_is_no_number_or_no_scope(self) -> None:
        broken = flat(np.nan, np.inf, -np.inf)
        self.assertTrue(np.isfinite(scope("parade", broken)).all())
        self.assertTrue(np.isfinite(scope("waveform", np.zeros((1, 1, 3), np.float32))).all())
        with self.assertRaisesRegex(BadInput, "no scope"):
            scope("radar", flat(0, 0, 0))


class GpuPrograms(TestCase):
    """That they give the engine's colours is held in Chromium, in tests/browser/test_compare.py."""

    def test_every_view_has_one_with_its_textures(self) -> None:
        config = project_config()
        for display in config.getDisplays():
            for view in config.getViews(display):
                made = gpu_program(config, ViewChoice(display, view))
                self.assertIn(f"vec4 {FUNCTION}(", made.glsl)
                for texture in made.textures:
                    self.assertIn(texture.sampler, made.glsl)
                    self.assertEqual(texture.values.shape, (np.prod(texture.size), texture.channels))

    def test_a_look_is_a_part_of_it(self) -> None:
        plain = gpu_program(project_config(), UNTONED)
        with_look = gpu_program(project_config(), ViewChoice(SRGB_DISPLAY, UNTONED.view, GAMUT_COMPRESSION))
        self.assertNotEqual(plain.glsl, with_look.glsl)
        with self.assertRaises(BadInput):
            gpu_program(project_config(), ViewChoice(SRGB_DISPLAY, ACES_SDR.view, "no such look"))
