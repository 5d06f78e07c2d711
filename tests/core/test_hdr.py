"""HDR judged without an HDR screen, held against colour-science and the text of the reports."""

from unittest import TestCase

import colour
import numpy as np

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.engine.displays import HDR, display_kind
from saltwort.core.spaces.gamuts import REC2020, rgb_to_xyz
from saltwort.core.views import hdr
from tests.samples import light, project_config

PQ_VIEW = ViewChoice("Rec.2100-PQ - Display", "ACES 2.0 - HDR 1000 nits (P3 D65)")


def eetf(nits: float, made_on: float, peak: float) -> float:
    """BT.2390-11, 5.4.1, step by step, for one value and black at 0."""
    top = float(colour.models.eotf_inverse_ST2084(made_on))
    first = float(colour.models.eotf_inverse_ST2084(nits)) / top
    most = float(colour.models.eotf_inverse_ST2084(peak)) / top
    knee = 1.5 * most - 0.5
    if first >= knee:
        t = (first - knee) / (1 - knee)
        first = (2 * t**3 - 3 * t**2 + 1) * knee + (t**3 - 2 * t**2 + t) * (1 - knee) + (-2 * t**3 + 3 * t**2) * most
    return float(colour.models.eotf_ST2084(first * top))


class Light(TestCase):
    def test_pq_codes_are_the_light_of_the_standard(self) -> None:
        for nits in (0.1, 1.0, 100.0, 203.0, 1_000.0, 4_000.0):
            code = float(colour.models.eotf_inverse_ST2084(nits))
            found = hdr.display_light(project_config(), PQ_VIEW, np.full((1, 3), code))
            np.testing.assert_allclose(found, nits, rtol=2e-3)  # the engine computes in single precision

    def test_each_pq_display_is_read_in_its_own_channels(self) -> None:
        config, codes = project_config(), np.random.default_rng(20261202).uniform(0.1, 1.0, (200, 3))
        displays = [name for name in config.getDisplays() if "PQ" in name or "2084" in name]
        self.assertGreater(len(displays), 1)
        for display in displays:
            choice = ViewChoice(display, config.getDefaultView(display))
            found = hdr.display_light(config, choice, codes)
            wanted = colour.models.eotf_ST2084(codes)
            # A matrix there and back in single precision leaves a ten-thousandth of the brightest channel.
            np.testing.assert_array_less(np.abs(found - wanted), 2e-3 * wanted + 2e-4 * wanted.max(axis=1)[:, None])

    def test_levels_are_those_of_the_frame_computed_in_float(self) -> None:
        pixels = light(40, 60, peak=60.0)
        codes = apply(view_processor(project_config(), "ACEScg", PQ_VIEW), pixels).reshape(-1, 3)
        levels = hdr.levels_of(hdr.display_light(project_config(), PQ_VIEW, codes.astype(np.float64)))
        brightest = colour.models.eotf_ST2084(np.clip(codes, 0, 1).max(axis=1).astype(np.float64))
        self.assertAlmostEqual(levels.largest / brightest.max(), 1.0, places=2)
        self.assertAlmostEqual(levels.mean / brightest.mean(), 1.0, places=2)
        for nits, share in levels.above:
            self.assertAlmostEqual(share, float(np.mean(brightest > nits)), delta=0.005)

    def test_the_peak_of_each_view_is_what_it_is_named_after(self) -> None:
        config, seen = project_config(), 0
        for display in config.getDisplays():
            for view in config.getViews(display):
                choice = ViewChoice(display, view)
                words = view.split()
                if display_kind(config, choice) != HDR or "nits" not in words:
                    continue
                named = float(words[words.index("nits") - 1])
                self.assertAlmostEqual(hdr.peak_of_view(config, choice) / named, 1.0, delta=0.02, msg=view)
                seen += 1
        self.assertGreater(seen, 2)

    def test_what_is_no_number_is_black(self) -> None:
        found = hdr.display_light(project_config(), PQ_VIEW, np.array([[np.nan, 0.2, 0.2], [np.inf, 0.0, 0.0]]))
        self.assertTrue(np.isfinite(found).all())


class Screens(TestCase):
    def test_a_lesser_screen_follows_the_report(self) -> None:
        values = np.geomspace(0.01, 1_000.0, 60)
        for made_on in (1_000.0, 2_000.0):
            for peak in (400.0, 600.0):
                shown = hdr.on_screen_of(values, made_on, peak)
                np.testing.assert_allclose(shown, [eetf(value, made_on, peak) for value in values], rtol=1e-6)

    def test_its_peak_is_reached_and_greys_stay_in_order(self) -> None:
        values = np.geomspace(0.1, 1_000.0, 400)
        shown = hdr.on_screen_of(values, 1_000.0, 400.0)
        self.assertAlmostEqual(float(shown[-1]), 400.0, places=3)
        self.assertTrue((np.diff(shown) > 0).all())
        np.testing.assert_allclose(shown[values < 50], values[values < 50], rtol=1e-6)

    def test_a_greater_screen_changes_nothing(self) -> None:
        values = np.geomspace(0.1, 1_000.0, 10)
        self.assertIs(hdr.on_screen_of(values, 1_000.0, 1_000.0), values)

    def test_white_of_this_screen(self) -> None:
        greys = np.array([[203.0] * 3, [101.5] * 3, [500.0] * 3])
        shown = hdr.on_this_screen(greys, rgb_to_xyz(REC2020), 203.0)
        np.testing.assert_allclose(shown[0], 1.0, atol=1e-3)
        np.testing.assert_allclose(shown[1], colour.models.eotf_inverse_sRGB(0.5), atol=1e-3)
        np.testing.assert_allclose(shown[2], 1.0)

    def test_bands(self) -> None:
        for lower, upper in zip(hdr.BANDS[1:], [*hdr.BANDS[2:], None], strict=True):
            inside = lower.above if upper is None else (lower.above + upper.above) / 2
            shown = hdr.false_colours(np.array([[inside, 0.0, 0.0]]))[0]
            self.assertEqual("#" + "".join(f"{round(float(value) * 255):02x}" for value in shown), lower.colour)
        dark, bright = hdr.false_colours(np.array([[1.0] * 3, [90.0] * 3]))
        self.assertEqual(len(set(dark.tolist())), 1)
        self.assertLess(dark[0], bright[0])
