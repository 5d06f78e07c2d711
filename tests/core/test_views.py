"""AgX, filmic and the other families: invariants, and core's numbers against the written config's."""

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import write_config
from saltwort.core.engine import ConfigArchive, ViewChoice, apply, load_config, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.project import compose
from saltwort.core.spaces.gamuts import AP1, REC709, REC2020, rgb_to_rgb
from saltwort.core.views import AddedView, view_families
from saltwort.core.views.families import agx, filmic
from saltwort.core.views.gamut_fit import fitted
from saltwort.core.views.log_range import CURVE_POINTS, to_log_range
from tests.samples import LINEAR_REC709, SRGB_DISPLAY, UNTONED, base_archive, sample_setup

PQ_DISPLAY = "Rec.2100-PQ - Display"
VIEWS = (
    AddedView(SRGB_DISPLAY, "AgX", "agx"),
    AddedView(SRGB_DISPLAY, "Filmic", "filmic"),
    AddedView(SRGB_DISPLAY, "Plain", "un-tone-mapped"),
    AddedView(SRGB_DISPLAY, "Numbers", "raw"),
    AddedView(PQ_DISPLAY, "AgX", "agx"),
    AddedView(PQ_DISPLAY, "ACES 500", "aces", "HDR-500nit-REC2020_2.0"),
)
FAMILIES = ((agx, "AgX"), (filmic, "Filmic"))
EXPOSURES = MIDDLE_GREY * 2.0 ** np.linspace(-12, 10, 400)


def composed(*views: AddedView, **changes: object) -> ConfigArchive:
    return compose(base_archive(), replace(sample_setup(), added_views=views, **changes), "sample")


def srgb_encoded(light: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)


def colours(count: int = 4000) -> np.ndarray:
    """Light in the working space: greys, saturated and mixed colours over 17 stops, and some negatives."""
    chance = np.random.default_rng(4)
    mixed = MIDDLE_GREY * 2.0 ** chance.uniform(-10, 7, (count, 3))
    mixed[: count // 8] = mixed[: count // 8, :1]
    mixed[count // 8 : count // 4, 1:] *= 0.01
    mixed[count // 4 : count // 3, 2] *= -0.05
    return mixed


class Curves(TestCase):
    def test_agx_sigmoid_as_specified(self) -> None:
        grey = np.array([agx.DESIGN.grey_position])
        self.assertAlmostEqual(float(agx.curve(grey)[0]), 0.5, places=12)
        slope = (agx.curve(grey + 1e-6) - agx.curve(grey - 1e-6)) / 2e-6
        self.assertAlmostEqual(float(slope[0]), 2.0, places=5)
        np.testing.assert_allclose(agx.curve(np.array([0.0, 1.0])), (0.0, 1.0), atol=1e-12)

    def test_filmic_is_straight_around_grey_and_keeps_it(self) -> None:
        stops = np.array([-0.55, -0.3, 0.0, 0.7])
        heights = filmic.curve(to_log_range(MIDDLE_GREY * 2.0**stops, filmic.DESIGN))
        np.testing.assert_allclose(np.diff(heights) / np.diff(stops), (heights[2] - heights[1]) / 0.3, rtol=1e-9)
        self.assertAlmostEqual(float(filmic.render(np.full((1, 3), MIDDLE_GREY))[0, 0]), MIDDLE_GREY, places=9)

    def test_filmic_slopes_meet_where_its_parts_do(self) -> None:
        for stops in (-filmic.DESIGN.toe, filmic.DESIGN.shoulder):
            position = filmic.DESIGN.grey_position + stops / 16.5
            left, middle, right = filmic.curve(position + np.array([-1e-5, 0.0, 1e-5]))
            self.assertAlmostEqual((middle - left) / 1e-5, (right - middle) / 1e-5, places=2)

    def test_both_rise_all_the_way_and_a_written_curve_is_close_enough(self) -> None:
        positions = np.linspace(0, 1, 50_001)
        for family, _ in FAMILIES:
            exact = family.curve(positions)
            self.assertTrue((np.diff(exact) >= 0).all())
            self.assertTrue((np.diff(exact[5000:]) > 0).all())
            written = np.interp(positions, np.linspace(0, 1, CURVE_POINTS), family.sampled_curve())
            self.assertLess(np.abs(written - exact).max(), 1e-6)

    def test_where_middle_grey_and_the_ends_land(self) -> None:
        greys = np.repeat(np.array([[0.0], [MIDDLE_GREY], [MIDDLE_GREY * 2**6.5], [1e6]]), 3, axis=1)
        np.testing.assert_allclose(agx.render(greys)[:, 0], (0, 0.5**2.2, 1, 1), atol=1e-9)
        np.testing.assert_allclose(filmic.render(greys)[:, 0], (0, 0.18, 1, 1), atol=1e-9)


class Written(TestCase):
    """The written views, evaluated by the engine."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.config = load_config(composed(*VIEWS))

    def seen(self, light: np.ndarray, view: str, display: str = SRGB_DISPLAY) -> np.ndarray:
        processor = view_processor(self.config, "ACEScg", ViewChoice(display, view))
        return apply(processor, light[None].astype(np.float32))[0].astype(np.float64)

    def test_agx_and_filmic_agree_with_core(self) -> None:
        light = colours()
        agx_light = agx.render(light @ rgb_to_rgb(AP1, REC2020).T) @ rgb_to_rgb(REC2020, REC709).T
        filmic_light = fitted(filmic.render(light) @ rgb_to_rgb(AP1, REC709).T)
        for view, shown in (("AgX", agx_light), ("Filmic", filmic_light)):
            # 2e-4 of code value: the engine works in float32, with matrices of six places.
            np.testing.assert_allclose(self.seen(light, view), srgb_encoded(np.clip(shown, 0, 1)), atol=2e-4)

    def test_greys_stay_grey_light_only_adds_and_nothing_leaves_the_display(self) -> None:
        greys = np.repeat(EXPOSURES[:, None], 3, axis=1)
        for _, view in FAMILIES:
            shown = self.seen(greys, view)
            self.assertLess(np.ptp(shown, axis=1).max(), 1e-5)
            self.assertGreaterEqual(np.diff(shown[:, 0]).min(), -1e-6)
            self.assertAlmostEqual(float(shown[-1, 0]), 1.0, places=4)
            everything = self.seen(colours(), view)
            self.assertGreaterEqual(everything.min(), -1e-5)
            self.assertLessEqual(everything.max(), 1 + 1e-5)

    def test_every_family_of_light_keeps_greys_and_order(self) -> None:
        greys = np.repeat(EXPOSURES[:, None], 3, axis=1).astype(np.float32)
        for key, family in view_families().items():
            if key == "raw":
                continue  # numbers, not light
            for rendering in list(family.renderings())[:3] or [""]:
                view = AddedView(SRGB_DISPLAY, "Mine", key, rendering)
                with self.subTest(key, rendering=rendering):
                    config = load_config(composed(view))
                    processor = view_processor(config, "ACEScg", ViewChoice(SRGB_DISPLAY, "Mine"))
                    shown = apply(processor, greys[None])[0].astype(np.float64)
                    self.assertLess(np.ptp(np.clip(shown, 0, 1), axis=1).max(), 5e-3, "the rendering has its own white")
                    self.assertGreaterEqual(np.diff(shown[:, 1]).min(), -1e-4)
                    self.assertGreater(shown[-1, 1], 0.9)

    def test_bright_saturated_light_goes_to_white(self) -> None:
        for pure in np.eye(3):
            dim, bright = self.seen(np.array([pure * 0.2, pure * 0.18 * 2**12]), "AgX")
            self.assertGreater(np.ptp(dim), 0.2)
            self.assertLess(np.ptp(bright), 0.02)
            self.assertLess(np.ptp(self.seen(np.array([pure * 0.18 * 2**12]), "Filmic")), 0.02)

    def test_agx_can_be_undone_inside_its_range(self) -> None:
        light = MIDDLE_GREY * 2.0 ** np.random.default_rng(2).uniform(-4, 3, (200, 1)) * np.array([[1.0, 0.9, 0.7]])
        back = ocio.DisplayViewTransform(
            src="ACEScg", display=SRGB_DISPLAY, view="AgX", direction=ocio.TRANSFORM_DIR_INVERSE
        )
        inverse = self.config.getProcessor(back).getDefaultCPUProcessor()
        shown = self.seen(light, "AgX").astype(np.float32)[None].copy()
        inverse.applyRGB(shown)
        np.testing.assert_allclose(shown[0], light, rtol=2e-3)

    def test_on_an_hdr_display_agx_goes_to_its_peak(self) -> None:
        # 1000 cd/m² in PQ (SMPTE ST 2084)
        self.assertAlmostEqual(float(self.seen(np.full((1, 3), 1e4), "AgX", PQ_DISPLAY)[0, 0]), 0.7518, places=3)

    def test_aces_untoned_and_raw_are_the_engines(self) -> None:
        light = np.abs(colours(500))
        own = apply(view_processor(self.config, "ACEScg", UNTONED), light[None].astype(np.float32))[0]
        np.testing.assert_allclose(self.seen(light, "Plain"), own, atol=2e-4, rtol=1e-4)
        np.testing.assert_allclose(self.seen(light, "Numbers"), self.seen(light, "Raw"), atol=0)
        self.assertLess(self.seen(np.full((1, 3), 1e4), "ACES 500", PQ_DISPLAY).max(), 0.68)  # 500 nits in PQ is 0.6765

    def test_every_aces_rendering_of_the_engine_can_be_added(self) -> None:
        self.assertGreater(len(view_families()["aces"].renderings()), 20)
        views = [
            AddedView(PQ_DISPLAY, f"r{number}", "aces", name)
            for number, name in enumerate(view_families()["aces"].renderings())
        ]
        config = load_config(composed(*views))
        self.assertLessEqual({view.name for view in views}, set(config.getViews(PQ_DISPLAY)))

    def test_filmic_works_in_the_working_primaries(self) -> None:
        other = load_config(composed(*VIEWS, working_space=LINEAR_REC709))
        choice = ViewChoice(SRGB_DISPLAY, "Filmic")
        light = (1.5, 0.2, 0.1)
        here = view_processor(self.config, LINEAR_REC709, choice).applyRGB(list(light))
        there = view_processor(other, LINEAR_REC709, choice).applyRGB(list(light))
        self.assertGreater(np.abs(np.subtract(here, there)).max(), 0.01)
        greys = [view_processor(config, "ACEScg", choice).applyRGB([0.5] * 3) for config in (self.config, other)]
        np.testing.assert_allclose(greys[0], greys[1], atol=1e-5)


class Exported(TestCase):
    def test_the_luts_are_packed_and_load_from_disk_with_the_same_numbers(self) -> None:
        archive = composed(*VIEWS)
        self.assertTrue(all(path.startswith("luts/") for path in archive.files))
        view = ocio.DisplayViewTransform(src="ACEScg", display=SRGB_DISPLAY, view="AgX")
        expected = load_config(archive).getProcessor(view).getDefaultCPUProcessor().applyRGB([0.4, 2.0, 0.1])
        with tempfile.TemporaryDirectory() as folder:
            for name in ("a.ocioz", "folder"):
                file = write_config(archive, Path(folder) / name)
                config = ocio.Config.CreateFromFile(str(file))
                self.assertEqual(config.getProcessor(view).getDefaultCPUProcessor().applyRGB([0.4, 2.0, 0.1]), expected)

    def test_a_chosen_view_of_ones_own_comes_first(self) -> None:
        config = load_config(composed(*VIEWS, view=ViewChoice(SRGB_DISPLAY, "AgX")))
        self.assertEqual(config.getDefaultView(SRGB_DISPLAY), "AgX")


class Refused(TestCase):
    def test_views_that_cannot_be_added(self) -> None:
        cases = (
            (AddedView("Nowhere", "AgX", "agx"), "no display “Nowhere”"),
            (AddedView(SRGB_DISPLAY, "Raw", "agx"), "has a view “Raw” already"),
            (AddedView(SRGB_DISPLAY, "Un-tone-mapped", "agx"), "has a view “Un-tone-mapped” already"),
            (AddedView(SRGB_DISPLAY, " ", "agx"), "needs a name"),
            (AddedView(SRGB_DISPLAY, "a,b", "agx"), "needs a name"),
            (AddedView(SRGB_DISPLAY, "x", "magic"), "no family “magic”"),
            (AddedView(SRGB_DISPLAY, "x", "aces", "HDR-9nit"), "no ACES rendering"),
        )
        for view, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                composed(view)
        with self.assertRaisesRegex(BadInput, "already"):
            composed(VIEWS[0], VIEWS[0])
