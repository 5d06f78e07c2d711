"""AgX and filmic beyond SDR, and over the whole of their limits: peaks, smooth ends, order of hues, exact writing."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import (
    ConfigArchive,
    ViewChoice,
    apply,
    builtin_text,
    load_config,
    space_processor,
    view_processor,
)
from saltwort.core.errors import BadInput
from saltwort.core.findings import Subjects, run_checks
from saltwort.core.project import compose, first_setup
from saltwort.core.spaces.difference import delta_e_itp
from saltwort.core.spaces.gamuts import AP1, REC709, REC2020, rgb_to_rgb, rgb_to_xyz
from saltwort.core.views import AddedView, view_families
from saltwort.core.views.design import Design
from saltwort.core.views.families import agx, filmic
from saltwort.core.views.gamut_fit import LIMIT, THRESHOLD, fit_transform, fitted
from saltwort.core.views.tone import sweep, tone_curve
from tests.core.test_views import colours, composed, srgb_encoded
from tests.samples import OWN_DESIGNS, SRGB_DISPLAY, sample_setup

STUDIO = "studio-config-v4.0.0_aces-v2.0_ocio-v2.5"
HDR_DISPLAYS = (
    "Rec.2100-PQ - Display",
    "Rec.2100-HLG - Display",
    "ST2084-P3-D65 - Display",
    "Display P3 HDR - Display",
)
STOPS = np.linspace(-8, 16, 600)
SEED = 20261126

PRESETS = [(key, preset) for key, family in view_families().items() for preset in family.presets]


def on(display: str, family: str, design: Design | None = None) -> tuple[ocio.Config, ViewChoice]:
    """The studio config with a view on a display."""
    archive = ConfigArchive(builtin_text(STUDIO))
    setup = first_setup(f"builtin:{STUDIO}", load_config(archive))
    view = AddedView(display, "Mine", family, design=design)
    return load_config(compose(archive, replace(setup, added_views=(view,)), "hdr")), ViewChoice(display, "Mine")


def xyz_of(config: ocio.Config, choice: ViewChoice, light: np.ndarray) -> np.ndarray:
    """CIE XYZ, 1 at 100 cd/m², of light in the working space through a view."""
    codes = apply(view_processor(config, "ACEScg", choice), light[None].astype(np.float32))
    space = config.getDisplayViewColorSpaceName(choice.display, choice.view)
    return apply(space_processor(config, space, "cie_xyz_d65_interchange"), codes)[0].astype(np.float64)


def greys() -> np.ndarray:
    return np.repeat((0.18 * 2.0**STOPS)[:, None], 3, axis=1)


def random_design(family: str, rng: np.random.Generator) -> Design:
    """A design within the limits; insets within half of theirs, so that most leave a gamut."""
    changes: dict[str, object] = {}
    for parameter in view_families()[family].parameters:
        low, high = parameter.lowest, parameter.highest
        if parameter.by_primary:
            changes[parameter.key] = tuple(rng.uniform(low / 2, high / 2, 3).tolist())
        else:
            changes[parameter.key] = float(rng.uniform(low, high))
    return replace(OWN_DESIGNS[family], **changes)


def accepted_designs(family: str, count: int) -> list[Design]:
    rng, found = np.random.default_rng(SEED), []
    while len(found) < count:
        design = random_design(family, rng)
        try:
            view_families()[family].check(design)
            composed(AddedView(SRGB_DISPLAY, "Mine", family, design=design))
        except BadInput:
            continue
        found.append(design)
    return found


class Hdr(TestCase):
    def test_peak_and_white_on_every_hdr_display(self) -> None:
        for display in HDR_DISPLAYS:
            for family, own in OWN_DESIGNS.items():
                for peak, white in ((400, 100), (1000, 100), (1000, 203), (4000, 100)):
                    config, choice = on(display, family, replace(own, peak_nits=peak, white_nits=white))
                    nits = xyz_of(config, choice, greys())[:, 1] * 100
                    most = min(peak, 1000) if "HLG" in display else peak
                    with self.subTest(display, family=family, peak=peak, white=white):
                        self.assertAlmostEqual(nits.max() / most, 1, delta=0.01)
                        self.assertGreaterEqual(np.diff(nits).min(), -1e-3 * most)
                        grey = float(np.interp(0, STOPS, nits))
                        self.assertAlmostEqual(grey / white, own.grey, delta=0.01 * own.grey)
                        # HDR has more light above white than SDR, and no more below grey.
                        self.assertGreater(float(np.interp(5, STOPS, nits)), white * 1.5)

    def test_below_middle_grey_sdr_and_hdr_are_the_same_picture(self) -> None:
        """ΔE ITP (BT.2124) below 1, in absolute light, for greys and colours of which no channel is above grey. Near
        the edge of the smaller gamut, filmic fits colours to each display, so those are not compared."""
        chance = np.random.default_rng(SEED)
        light = 0.18 * 2.0 ** chance.uniform(-5, -0.2, (400, 1)) * chance.uniform(0.6, 1, (400, 3))
        light = np.vstack([light, greys()[(STOPS < 0) & (STOPS > -6)]])
        rgb = filmic.render(light) @ rgb_to_rgb(AP1, REC709).T
        light = light[1 - rgb.min(axis=1) / rgb.max(axis=1) < THRESHOLD]
        self.assertGreater(len(light), 300)
        for family in OWN_DESIGNS:
            sdr = xyz_of(*on(SRGB_DISPLAY, family), light)
            for display in HDR_DISPLAYS:
                hdr = xyz_of(*on(display, family), light)
                with self.subTest(display, family=family):
                    self.assertLess(float(delta_e_itp(sdr, hdr).max()), 1.0)

    def test_order_and_greys_hold_on_hdr_displays(self) -> None:
        for display in HDR_DISPLAYS[:2]:
            for family, preset in PRESETS:
                config, choice = on(display, family, preset.design)
                with self.subTest(display, preset=preset.name):
                    curve, swept = tone_curve(config, choice), sweep(config, choice)
                    self.assertLess(curve.tint, 1e-4)
                    self.assertIsNone(curve.falls_at)
                    self.assertIsNone(curve.step_at)
                    self.assertIsNone(swept.reversed_at)

    def test_core_computes_what_is_written(self) -> None:
        light = colours(2000)
        for family, module, to_own, own in (
            ("agx", agx, rgb_to_rgb(AP1, REC2020), REC2020),
            ("filmic", filmic, np.eye(3), AP1),
        ):
            config, choice = on("Rec.2100-PQ - Display", family)
            found = xyz_of(config, choice, light)
            shown = module.render(light @ to_own.T, hdr=True) @ rgb_to_rgb(own, REC2020).T
            shown = fitted(shown) if family == "filmic" else shown
            to_display = space_processor(config, "cie_xyz_d65_interchange", "Rec.2100-PQ - Display")
            seen = apply(to_display, found[None].astype(np.float32))[0]
            linear = np.clip(shown, 0, 10)
            meant = apply(to_display, (linear @ rgb_to_xyz(REC2020).T)[None].astype(np.float32))[0]
            self.assertLess(float(np.abs(seen - meant).max()), 2e-4)


class WholeLimits(TestCase):
    def test_written_views_are_what_core_computes(self) -> None:
        print(f"designs from seed {SEED}")
        light = colours(3000)
        for family, module, to_own, own in (
            ("agx", agx, rgb_to_rgb(AP1, REC2020), REC2020),
            ("filmic", filmic, np.eye(3), AP1),
        ):
            designs = [*accepted_designs(family, 8), *(preset.design for preset in view_families()[family].presets)]
            for design in designs:
                config = load_config(composed(AddedView(SRGB_DISPLAY, "Mine", family, design=design)))
                choice = ViewChoice(SRGB_DISPLAY, "Mine")
                found = apply(view_processor(config, "ACEScg", choice), light[None].astype(np.float32))[0]
                shown = module.render(light @ to_own.T, design) @ rgb_to_rgb(own, REC709).T
                shown = fitted(shown) if family == "filmic" else shown
                with self.subTest(family, design=design):
                    self.assertLess(float(np.abs(found - srgb_encoded(np.clip(shown, 0, 1))).max()), 2e-4)

    def test_no_design_comes_to_white_or_black_by_a_step(self) -> None:
        stops = np.linspace(-17, 15, 64 * 32 + 1)
        light = np.repeat((0.18 * 2.0**stops)[:, None], 3, axis=1)
        for family, module in (("agx", agx), ("filmic", filmic)):
            for design in accepted_designs(family, 40):
                codes = srgb_encoded(np.clip(module.render(light, design)[:, 0], 0, 1))
                with self.subTest(family, design=design):
                    # The steepest straight curve in the limits rises by 0.6 of the code values in a stop.
                    self.assertLess(float(np.diff(codes).max()), 2.5 / 64)

    def test_a_view_with_a_step_is_found(self) -> None:
        lut = [0.0] * 60 + [1.0] * 4
        text = "Version 1\nFrom 0.0 1.0\nLength 64\nComponents 1\n{\n" + "\n".join(map(str, lut)) + "\n}\n"
        whole = composed(AddedView(SRGB_DISPLAY, "Mine", "agx"))
        name = next(path for path in whole.files if "/agx" in path)
        broken = ConfigArchive(whole.text, {**whole.files, name: text.encode()})
        setup = replace(sample_setup(), view=ViewChoice(SRGB_DISPLAY, "Mine"))
        self.assertEqual([f.code for f in run_checks(Subjects(load_config(broken), setup), "view.step")], ["view.step"])
        self.assertEqual(run_checks(Subjects(load_config(whole), setup), "view.step"), [])

    def test_flat_filmic_designs_are_refused_in_words(self) -> None:
        with self.assertRaisesRegex(BadInput, "white lies outside the range. Raise the contrast"):
            filmic.curve(np.array([0.5]), replace(filmic.DESIGN, contrast=0.5, grey=0.1))


class Hues(TestCase):
    def test_the_order_of_hues(self) -> None:
        """AgX by itself is the published one, matrix by matrix, so it is no better or worse in this than that is."""
        np.testing.assert_allclose(agx.DESIGN.drawn_in(), agx._INSET, atol=1e-9)
        np.testing.assert_allclose(np.linalg.inv(agx.DESIGN.let_out()), agx._INSET_AFTERWARDS, atol=1e-9)
        figures = {}
        for family in OWN_DESIGNS:
            config = load_config(composed(AddedView(SRGB_DISPLAY, "Mine", family)))
            figures[family] = sweep(config, ViewChoice(SRGB_DISPLAY, "Mine")).out_of_order
        print("hues out of order", figures)
        self.assertLess(figures["filmic"], 10)
        self.assertLess(figures["filmic"], figures["agx"])

    def test_fitting_is_the_engines_and_keeps_colours_inside(self) -> None:
        chance = np.random.default_rng(SEED)
        light = chance.uniform(-0.35, 1, (500, 3))
        light[:, 0] = chance.uniform(1, 9, 500)
        config = ocio.Config.CreateRaw()
        found = apply(config.getProcessor(fit_transform()).getDefaultCPUProcessor(), light[None].astype(np.float32))[0]
        np.testing.assert_allclose(found, fitted(light), atol=2e-5)
        inside = 1 - light.min(axis=1) / light.max(axis=1) <= LIMIT
        self.assertTrue(inside.any())
        self.assertGreaterEqual(fitted(light)[inside].min(), -1e-9)
        np.testing.assert_allclose(fitted(np.full((1, 3), 0.4)), 0.4)
        np.testing.assert_allclose(fitted(np.zeros((1, 3))), 0.0)
