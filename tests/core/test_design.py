"""Designing views: matrices of insets, limits, presets, what is written, test pictures, and displays by their light."""

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from saltwort.core.engine import ViewChoice, apply, load_config, view_processor
from saltwort.core.engine.displays import HDR_WHITE, display_kind
from saltwort.core.engine.gpu import LIGHT, gpu_program
from saltwort.core.errors import BadInput
from saltwort.core.project import compose
from saltwort.core.spaces.gamuts import AP1, REC709, REC2020, rgb_to_rgb
from saltwort.core.views import AddedView, view_families
from saltwort.core.views.design import Design, inset_matrix, inset_of
from saltwort.core.views.families import agx, filmic
from saltwort.core.views.gamut_fit import fitted
from saltwort.core.views.sample_pictures import HEIGHT, RAMP, SAMPLE_PICTURES, WIDTH, sample_picture
from saltwort.core.views.tone import sweep, tone_curve
from tests.core.test_views import colours, srgb_encoded
from tests.samples import (
    LINEAR_REC709,
    OWN_DESIGNS,
    PQ_ACES,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    project_config,
    sample_setup,
)

MINE = ViewChoice(SRGB_DISPLAY, "Mine")

PRESETS = [(key, preset) for key, family in view_families().items() for preset in family.presets]


def designed(family: str, design: Design):
    view = AddedView(SRGB_DISPLAY, "Mine", family, design=design)
    return load_config(compose(base_archive(), replace(sample_setup(), added_views=(view,)), "designed"))


class Insets(TestCase):
    def test_greys_stay_and_a_matrix_is_found_again(self) -> None:
        inset, turn = (0.1, 0.25, 0.4), (5.0, -8.0, 12.0)
        matrix = inset_matrix(inset, turn)
        np.testing.assert_allclose(matrix @ np.ones(3), np.ones(3), atol=1e-12)
        np.testing.assert_allclose(inset_of(matrix), (inset, turn), atol=1e-9)

    def test_what_an_inset_and_a_turn_are(self) -> None:
        np.testing.assert_allclose(inset_matrix((0, 0, 0), (0, 0, 0)), np.eye(3), atol=1e-12)
        np.testing.assert_allclose(inset_matrix((0.3,) * 3, (0, 0, 0)), 0.7 * np.eye(3) + 0.1, atol=1e-12)
        red = inset_matrix((0, 0, 0), (10, 0, 0))[:, 0]
        red = red / red.sum()
        # Turned from red towards green: green comes in, blue leaves.
        self.assertGreater(red[1], 0)
        self.assertLess(red[2], 0)
        reach = math.dist(red, (1 / 3,) * 3)
        self.assertAlmostEqual(reach, math.dist((1, 0, 0), (1 / 3,) * 3))

    def test_path_to_white_scales_all_of_it(self) -> None:
        half = replace(agx.DESIGN, path_to_white=0.5)
        expected = replace(
            agx.DESIGN,
            **{name: tuple(v / 2 for v in getattr(agx.DESIGN, name)) for name in ("inset", "inset_turn", "outset")},
        )
        np.testing.assert_allclose(half.drawn_in(), expected.drawn_in())
        np.testing.assert_allclose(half.let_out(), expected.let_out())
        np.testing.assert_allclose(replace(agx.DESIGN, path_to_white=0).drawn_in(), np.eye(3), atol=1e-12)


class Curves(TestCase):
    def test_grey_and_contrast_are_what_they_say_in_both_families(self) -> None:
        for family, own in OWN_DESIGNS.items():
            for grey, contrast in ((0.12, 0.9), (0.25, 1.1)):
                config = designed(family, replace(own, grey=grey, contrast=contrast))
                curve = tone_curve(config, MINE)
                with self.subTest(family=family, grey=grey):
                    self.assertAlmostEqual(curve.grey, grey, delta=2e-4)
                    self.assertAlmostEqual(curve.slope, contrast, delta=5e-3)

    def test_the_range_is_where_black_and_white_are(self) -> None:
        curve = tone_curve(designed("agx", replace(agx.DESIGN, brightest=4.0, contrast=1.2)), MINE)
        self.assertAlmostEqual(curve.white_at or 0, 4.0, delta=0.3)

    def test_a_shoulder_that_bends_later_is_brighter_below_white(self) -> None:
        place = np.array([0.8])
        soft, hard = (float(agx.curve(place, replace(agx.DESIGN, shoulder=power))[0]) for power in (1.5, 6.0))
        self.assertGreater(hard, soft)
        early, late = (float(filmic.curve(place, replace(filmic.DESIGN, shoulder=stops))[0]) for stops in (0.3, 1.2))
        self.assertGreater(late, early)


class Written(TestCase):
    def test_what_is_written_is_what_core_computes(self) -> None:
        light = colours()
        design = replace(
            agx.DESIGN, contrast=1.05, grey=0.2, toe=2.0, inset_turn=(6.0, -3.0, 2.0), path_to_white=0.8, brightest=7.5
        )
        shown = agx.render(light @ rgb_to_rgb(AP1, REC2020).T, design) @ rgb_to_rgb(REC2020, REC709).T
        film = replace(filmic.DESIGN, contrast=1.1, inset=(0.05, 0.1, 0.2), outset=(0.05, 0.1, 0.1), darkest=-9.0)
        filmed = fitted(filmic.render(light, film) @ rgb_to_rgb(AP1, REC709).T)
        for family, asked, expected in (("agx", design, shown), ("filmic", film, filmed)):
            found = apply(view_processor(designed(family, asked), "ACEScg", MINE), light[None].astype(np.float32))[0]
            # 2e-4 of code value: the engine works in float32, with matrices of six places.
            np.testing.assert_allclose(found, srgb_encoded(np.clip(expected, 0, 1)), atol=2e-4)

    def test_every_preset_holds_what_every_view_must(self) -> None:
        self.assertEqual({family for family, _ in PRESETS}, set(OWN_DESIGNS))
        for family, preset in PRESETS:
            with self.subTest(preset.name):
                view_families()[family].check(preset.design)
                config = designed(family, preset.design)
                curve, swept = tone_curve(config, MINE), sweep(config, MINE)
                self.assertLess(curve.tint, 1e-4)
                self.assertIsNone(curve.falls_at)
                self.assertIsNone(swept.reversed_at)
                self.assertLess(swept.saturation[-1], 0.02)

    def test_two_displays_have_designs_of_their_own_under_one_name(self) -> None:
        displays = (SRGB_DISPLAY, "Display P3 - Display")
        views = tuple(
            AddedView(display, "Mine", "agx", design=replace(agx.DESIGN, contrast=contrast))
            for display, contrast in zip(displays, (0.8, 1.2), strict=True)
        )
        config = load_config(compose(base_archive(), replace(sample_setup(), added_views=views), "x"))
        slopes = [tone_curve(config, ViewChoice(display, "Mine")).slope for display in displays]
        np.testing.assert_allclose(slopes, (0.8, 1.2), atol=5e-3)

    def test_refusals(self) -> None:
        for family, change, words in (
            ("agx", {"contrast": 9}, "Contrast at grey lies from 0.4 to 2.5"),
            ("agx", {"grey": math.nan}, "Grey shown at lies"),
            ("agx", {"inset": (0.1, 0.9, 0.1)}, "Inset lies from 0 to 0.45"),
            ("agx", {"contrast": 0.4, "darkest": -4.0}, "black and white lie outside"),
            ("filmic", {"toe": 4.0}, "toe would begin outside"),
            ("filmic", {"shoulder": 4.0}, "shoulder would begin outside"),
        ):
            own = replace(OWN_DESIGNS[family], **change)
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                designed(family, own)
        with self.assertRaisesRegex(BadInput, "cannot be designed"):
            view_families()["aces"].check(agx.DESIGN)
        with self.assertRaisesRegex(BadInput, "hardly any colour"):
            view_families()["agx"].check(replace(agx.DESIGN, outset=(0.45,) * 3, path_to_white=2.0))
        with self.assertRaisesRegex(BadInput, "no gamut around grey"):
            inset_matrix((0, 0, 0), (0, 120, 0))


class TestPictures(TestCase):
    def test_each_is_light_of_known_colour_in_any_working_space(self) -> None:
        other = load_config(compose(base_archive(), replace(sample_setup(), working_space=LINEAR_REC709), "x"))
        for name in SAMPLE_PICTURES:
            picture = sample_picture(project_config(), name)
            self.assertEqual(picture.shape, (HEIGHT, WIDTH, 3))
            moved = picture @ rgb_to_rgb(AP1, REC709).T
            np.testing.assert_allclose(sample_picture(other, name), moved, rtol=1e-3, atol=2e-3)
        ramp = sample_picture(project_config(), "ramp")
        stops = np.log2(ramp[0, (0, -1), 0] / 0.18)
        np.testing.assert_allclose(stops, RAMP, atol=1e-3)
        self.assertLess(float(np.ptp(ramp, axis=2).max() / ramp.max()), 1e-4)
        with self.assertRaisesRegex(BadInput, "no test picture"):
            sample_picture(project_config(), "cat")


class Screens(TestCase):
    def test_displays_are_known_by_their_light(self) -> None:
        for display, view, kind in (
            (SRGB_DISPLAY, UNTONED.view, "srgb"),
            (SRGB_DISPLAY, "Raw", "none"),
            ("Display P3 - Display", UNTONED.view, "display-p3"),
            ("Rec.1886 Rec.709 - Display", UNTONED.view, "sdr"),
            (PQ_ACES.display, PQ_ACES.view, "hdr"),
        ):
            self.assertEqual(display_kind(project_config(), ViewChoice(display, view)), kind)

    def test_programs_for_other_screens_differ_and_hdr_white_is_that_of_bt_2408(self) -> None:
        codes = gpu_program(project_config(), PQ_ACES).glsl
        for target in (LIGHT, "srgb", "display-p3"):
            self.assertNotEqual(gpu_program(project_config(), PQ_ACES, target).glsl, codes)
        self.assertEqual(HDR_WHITE, 203)
        with self.assertRaisesRegex(BadInput, "does not output the colours of a display"):
            gpu_program(project_config(), ViewChoice(SRGB_DISPLAY, "Raw"), LIGHT)
