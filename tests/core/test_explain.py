"""Spaces explained in steps and numbers, and one colour followed; against the standards and the engine."""

import warnings
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import builtin_configs, explain_space, follow
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces.diagram import POINTER_GAMUT, xy_to_uv
from saltwort.core.spaces.gamuts import D65, P3_D65, REC709, REC2020
from saltwort.core.spaces.observer import spectral_locus, wavelengths
from saltwort.core.spaces.typed import TypedColour
from tests.core.test_archives import LUT, config_with_luts
from tests.samples import ACES_SDR, GAMUT_COMPRESSION, LINEAR_REC709, SRGB, SRGB_DISPLAY, base_config, project_config

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour
    from colour.models.datasets.pointer_gamut import CCS_POINTER_GAMUT_BOUNDARY

STUDIO = "studio-config-v4.0.0_aces-v2.0_ocio-v2.5"


class Explaining(TestCase):
    def test_primaries_are_found_for_linear_encoded_and_display_spaces(self) -> None:
        cases = {
            LINEAR_REC709: REC709,
            SRGB: REC709,
            "Linear Rec.2020": REC2020,
            "Rec.2100-PQ - Display": REC2020,
            "sRGB Encoded P3-D65": P3_D65,
            "Display P3 - Display": P3_D65,
        }
        for name, gamut in cases.items():
            primaries = explain_space(base_config(), name).primaries
            assert primaries
            found = (*primaries.red, *primaries.green, *primaries.blue, *primaries.white)
            with self.subTest(name):
                np.testing.assert_allclose(found, gamut.chromaticities, atol=5e-4)
                self.assertEqual(primaries.known, gamut.name)

    def test_whites_other_than_d65_are_seen_adapted(self) -> None:
        primaries = explain_space(base_config(), "ACEScct").primaries
        assert primaries
        self.assertEqual(primaries.known, "AP1")
        np.testing.assert_allclose(primaries.white, D65, atol=1e-4)

    def test_steps_in_words_and_numbers(self) -> None:
        report = explain_space(base_config(), SRGB)
        self.assertEqual([step.kind for step in report.steps], ["curve", "matrix"])
        self.assertIn("power 2.4", report.steps[0].text)
        matrix = np.reshape(report.steps[1].numbers, (3, 3))
        processor = space_processor(base_config(), LINEAR_REC709, "ACES2065-1")
        np.testing.assert_allclose(processor.applyRGB([1.0, 0.0, 0.0]), matrix[:, 0], atol=1e-6)
        self.assertEqual(explain_space(base_config(), "ACES2065-1").steps, ())
        self.assertIn("undone", explain_space(base_config(), "ACEScct").steps[0].text)

    def test_curves_are_those_of_the_standards(self) -> None:
        for name, decode in (
            (SRGB, colour.models.eotf_sRGB),
            ("ACEScct", colour.models.log_decoding_ACEScct),
            ("Rec.1886 Rec.709 - Display", lambda code: code**2.4),
        ):
            codes, found = np.array(explain_space(base_config(), name).curve).T
            with self.subTest(name):
                np.testing.assert_allclose(found, decode(codes), rtol=2e-4, atol=1e-6)

    def test_what_cannot_be_told_is_said(self) -> None:
        self.assertIn("Plain numbers", explain_space(base_config(), "Raw").remark)
        clamped = explain_space(base_config(), "ACEScc")
        self.assertIsNone(clamped.primaries)
        self.assertIn("do not add up", clamped.remark)
        self.assertEqual(len(clamped.curve), 65)
        archive = ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT})
        with self.assertRaisesRegex(BadInput, "lost.cube"):
            explain_space(load_config(archive), "broken")
        curved = explain_space(load_config(archive), "curved")
        self.assertIn("1D LUT of 3 points", [step.text.removesuffix(" undone") for step in curved.steps])
        with self.assertRaisesRegex(BadInput, "no colour space"):
            explain_space(base_config(), "Nowhere")

    def test_every_space_of_the_largest_built_in_config(self) -> None:
        config = load_config(builtin_text(STUDIO))
        for space in config.getColorSpaces():
            report = explain_space(config, space.getName())
            with self.subTest(space.getName()):
                self.assertTrue(report.steps or space.isData() or space.getName() == "ACES2065-1")
                self.assertFalse(any("Transform" in step.text for step in report.steps))


class Following(TestCase):
    typed = TypedColour(SRGB, "8-bit", "47 106 104")

    def test_to_a_space(self) -> None:
        rows = follow(project_config(), self.typed, "ACEScg")
        self.assertEqual(rows[0].values, self.typed.values)
        np.testing.assert_allclose(rows[-2].values, rows[-1].values, atol=1e-6)
        whole = space_processor(project_config(), SRGB, "ACEScg")
        self.assertEqual(list(rows[-1].values), whole.applyRGB(list(self.typed.values)))
        decoded = colour.models.eotf_sRGB(np.array(self.typed.values))
        np.testing.assert_allclose(rows[1].values, decoded, atol=1e-5)  # its fast powers

    def test_through_a_view_and_a_look(self) -> None:
        for choice in (ACES_SDR, ViewChoice(SRGB_DISPLAY, "Un-tone-mapped", GAMUT_COMPRESSION)):
            rows = follow(project_config(), self.typed, choice)
            self.assertGreater(len(rows), 4)
            expected = view_processor(project_config(), SRGB, choice).applyRGB(list(self.typed.values))
            self.assertEqual(list(rows[-1].values), expected)
            np.testing.assert_allclose(rows[-2].values, expected, atol=1e-5)  # the same, not optimised

    def test_to_itself_and_refusals(self) -> None:
        self.assertEqual(len(follow(project_config(), self.typed, SRGB)), 2)
        with self.assertRaises(BadInput):
            follow(project_config(), self.typed, "Nowhere")
        with self.assertRaises(BadInput):
            follow(project_config(), TypedColour(SRGB, "unit", "x"), "ACEScg")


class Diagrams(TestCase):
    def test_the_locus_is_that_of_the_standard_observer(self) -> None:
        observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
        for wavelength, found in zip(wavelengths(), spectral_locus(), strict=True):
            xyz = observer[wavelength]
            np.testing.assert_allclose(found, xyz[:2] / xyz.sum(), atol=1e-6)

    def test_pointers_gamut_is_the_published_one(self) -> None:
        np.testing.assert_allclose(POINTER_GAMUT, CCS_POINTER_GAMUT_BOUNDARY, atol=6e-4)

    def test_u_v(self) -> None:
        np.testing.assert_allclose(xy_to_uv(D65), colour.xy_to_Luv_uv(D65), atol=1e-12)


class Builtins(TestCase):
    def test_all_are_listed_with_what_tells_them_apart(self) -> None:
        listed = builtin_configs()
        self.assertEqual(len(listed), len(list(ocio.BuiltinConfigRegistry().getBuiltinConfigs())))
        self.assertEqual({config.kind for config in listed}, {"cg", "studio"})
        for config in listed:
            loaded = load_config(builtin_text(config.name))
            self.assertEqual(config.ocio_version, f"{loaded.getMajorVersion()}.{loaded.getMinorVersion()}")
            self.assertEqual(config.spaces, len(loaded.getColorSpaceNames()))
            self.assertIn(config.ocio_version, config.use)
