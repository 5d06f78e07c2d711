"""Where views put light: curves against what the families promise, hues against an untouched one."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from saltwort.core.engine import ViewChoice, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import compose
from saltwort.core.views import AddedView
from saltwort.core.views.tone import SWEPT, sweep, tone_curve
from tests.samples import ACES_SDR, SRGB_DISPLAY, UNTONED, base_archive, project_config, sample_setup


def with_views():
    views = (AddedView(SRGB_DISPLAY, "AgX", "agx"), AddedView(SRGB_DISPLAY, "Filmic", "filmic"))
    return load_config(compose(base_archive(), replace(sample_setup(), added_views=views), "tone"))


class ToneCurves(TestCase):
    def test_light_as_it_is_until_it_is_cut(self) -> None:
        curve = tone_curve(project_config(), UNTONED)
        self.assertAlmostEqual(curve.grey, 0.18, places=3)
        self.assertAlmostEqual(curve.slope, 1.0, places=2)
        # log2(1 / 0.18), at the next eighth of a stop.
        self.assertAlmostEqual(curve.white_at or 0, 2.5, delta=0.13)
        light, stops = np.array(curve.light), np.array(curve.stops)
        inside = (stops > -6) & (stops < 2)
        np.testing.assert_allclose(light[inside], 0.18 * 2 ** stops[inside], rtol=2e-3)

    def test_the_families_show_grey_where_they_say(self) -> None:
        config = with_views()
        for view, grey in (("AgX", 0.22), ("Filmic", 0.18)):
            curve = tone_curve(config, ViewChoice(SRGB_DISPLAY, view))
            self.assertAlmostEqual(curve.grey, grey, delta=0.005)
            self.assertTrue((np.diff(curve.light) >= -1e-6).all(), "more light never shows less")
            self.assertAlmostEqual(curve.white_at or 0, 6.5, delta=1.0)  # the range of both ends there
            self.assertLess(curve.black_at or 0, -5, "shadows stay open for five stops")

    def test_a_rendering_rolls_off_what_a_matrix_cuts(self) -> None:
        soft, hard = tone_curve(project_config(), ACES_SDR), tone_curve(project_config(), UNTONED)
        self.assertGreater(soft.white_at or 99, (hard.white_at or 0) + 1)
        self.assertGreater(soft.slope, 1.0)

    def test_numbers_that_are_no_light_are_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, "does not output the colours of a display"):
            tone_curve(project_config(), ViewChoice(SRGB_DISPLAY, "Raw"))
        with self.assertRaises(BadInput):
            sweep(project_config(), ViewChoice(SRGB_DISPLAY, "Nowhere"))


class Sweeps(TestCase):
    def test_hues_turn_where_channels_are_cut_one_after_the_other(self) -> None:
        found = sweep(project_config(), UNTONED)
        self.assertEqual(found.shown.shape, (len(SWEPT), 24, 3))
        red, orange = found.hues[0], found.hues[1]
        self.assertLess(abs(red.turn), 10)
        # Orange clips to yellow: red is at its end first, and green catches up.
        self.assertGreater(abs(orange.turn), 30)
        self.assertLess(abs(sweep(project_config(), ACES_SDR).largest.turn), 10)

    def test_agx_leads_bright_hues_to_white_where_a_cut_holds_on(self) -> None:
        config = with_views()
        agx, cut = (sweep(config, ViewChoice(SRGB_DISPLAY, view)) for view in ("AgX", UNTONED.view))
        four_stops = list(SWEPT).index(4.0)
        chroma = [np.ptp(found.shown[four_stops], axis=1).mean() for found in (agx, cut)]
        self.assertLess(chroma[0], chroma[1])
        self.assertLess(abs(agx.largest.turn), abs(cut.largest.turn))
