"""Primaries and adaptation against colour-science; typed colours."""

import warnings
from unittest import TestCase

import numpy as np

from saltwort.core.configs import gamut_of
from saltwort.core.engine import apply_to_colour, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces import observer, spectra
from saltwort.core.spaces.gamuts import (
    AP0,
    AP1,
    D65,
    KNOWN_GAMUTS,
    OP_RGB,
    P3_D65,
    REC709,
    REC2020,
    rgb_to_rgb,
    rgb_to_xyz,
    xy_to_xyz,
)
from saltwort.core.spaces.observer import black_body_xy, daylight_xy
from saltwort.core.spaces.typed import COLORIMETRIC, parse_colour
from tests.samples import LINEAR_REC709, base_config

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

NAMES = {
    "AP0": "ACES2065-1",
    "AP1": "ACEScg",
    "Rec.709": "ITU-R BT.709",
    "Rec.2020": "ITU-R BT.2020",
    "P3-D65": "P3-D65",
}
UNITS = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


class Gamuts(TestCase):
    def test_chromaticities_are_those_of_colour_science(self) -> None:
        for gamut in KNOWN_GAMUTS:
            if gamut is OP_RGB:  # held to its standard below
                continue
            known = colour.RGB_COLOURSPACES[NAMES[gamut.name]]
            with self.subTest(gamut.name):
                np.testing.assert_allclose(np.reshape(gamut.chromaticities[:6], (3, 2)), known.primaries, atol=1e-9)
                np.testing.assert_allclose(gamut.white, known.whitepoint, atol=1e-9)

    def test_op_rgb_has_the_chromaticities_of_its_standard(self) -> None:
        # IEC 61966-2-5, table 1
        self.assertEqual(OP_RGB.chromaticities, (0.64, 0.33, 0.21, 0.71, 0.15, 0.06, 0.3127, 0.3290))

    def test_matrices_to_xyz_are_those_of_an_independent_derivation(self) -> None:
        for gamut in KNOWN_GAMUTS:
            expected = colour.normalised_primary_matrix(np.reshape(gamut.chromaticities[:6], (3, 2)), gamut.white)
            with self.subTest(gamut.name):
                np.testing.assert_allclose(rgb_to_xyz(gamut), expected, atol=1e-12)

    def test_white_stays_white_between_gamuts(self) -> None:
        for source in KNOWN_GAMUTS:
            for target in KNOWN_GAMUTS:
                with self.subTest(f"{source.name} to {target.name}"):
                    np.testing.assert_allclose(rgb_to_rgb(source, target) @ np.ones(3), np.ones(3), atol=1e-12)

    def test_published_matrix_from_rec709_to_acescg(self) -> None:
        # As printed in the ACES documents, Bradford-adapted, to four places.
        published = [[0.6131, 0.3395, 0.0474], [0.0702, 0.9164, 0.0134], [0.0206, 0.1096, 0.8698]]
        np.testing.assert_allclose(rgb_to_rgb(REC709, AP1), published, atol=6e-5)

    def test_matrices_agree_with_the_engine(self) -> None:
        pairs = ((LINEAR_REC709, REC709), ("Linear Rec.2020", REC2020), ("Linear P3-D65", P3_D65), ("ACEScg", AP1))
        for name, gamut in pairs:
            processor = space_processor(base_config(), name, "ACES2065-1")
            columns = np.array([apply_to_colour(processor, unit) for unit in UNITS]).T
            with self.subTest(name):  # the engine's matrices are rounded to five places or more, in float32
                np.testing.assert_allclose(columns, rgb_to_rgb(gamut, AP0), atol=5e-5)


class RecognisedGamuts(TestCase):
    def test_linear_spaces_are_recognised_by_their_numbers(self) -> None:
        expected = {"ACEScg": AP1, LINEAR_REC709: REC709, "Linear Rec.2020": REC2020, "ACES2065-1": AP0}
        for name, gamut in expected.items():
            self.assertEqual(gamut_of(base_config(), name), gamut)

    def test_encoded_and_unknown_spaces_are_not(self) -> None:
        self.assertIsNone(gamut_of(base_config(), "srgb_texture"))
        self.assertIsNone(gamut_of(base_config(), "ACEScct"))
        self.assertIsNone(gamut_of(base_config(), "no such space"))


class TypedColours(TestCase):
    def test_units(self) -> None:
        self.assertEqual(parse_colour("47 106 104", "8-bit"), (47 / 255, 106 / 255, 104 / 255))
        self.assertEqual(parse_colour("47, 106,104", "8-bit"), (47 / 255, 106 / 255, 104 / 255))
        self.assertEqual(parse_colour("#2f6a68", "hex"), (47 / 255, 106 / 255, 104 / 255))
        for unit in ("8-bit", "10-bit", "unit", "hsv", "hsl"):
            self.assertEqual(parse_colour(" #2f6a68", unit), (47 / 255, 106 / 255, 104 / 255), unit)
        for unit in COLORIMETRIC:
            with self.assertRaisesRegex(BadInput, "Choose the notation hex"):
                parse_colour("#2f6a68", unit)
        self.assertEqual(parse_colour("fff", "hex"), (1.0, 1.0, 1.0))
        self.assertEqual(parse_colour("0.18", "unit"), (0.18, 0.18, 0.18))
        self.assertEqual(parse_colour("14.2 -0.1 1e3", "unit"), (14.2, -0.1, 1000.0))
        self.assertEqual(parse_colour("1023 0 0", "10-bit"), (1.0, 0.0, 0.0))
        np.testing.assert_allclose(parse_colour("120 100% 50%", "hsv"), (0, 0.5, 0))
        np.testing.assert_allclose(parse_colour("120 1 0.25", "hsl"), (0, 0.5, 0))
        np.testing.assert_allclose(parse_colour("0.3127 0.329 0.18", "xyY"), xy_to_xyz(D65) * 0.18)
        np.testing.assert_allclose(parse_colour("0.3127 0.329", "xyY"), xy_to_xyz(D65))

    def test_temperatures_are_those_of_an_independent_implementation(self) -> None:
        """Ohno's method (2013) is good to 1e-4 in xy over this range; CIE daylight is a polynomial."""
        for kelvin in (1000, 1900, 3200, 5600, 10000, 40000):
            for tint in (0.0, 0.01, -0.01):
                expected = colour.UCS_uv_to_xy(colour.temperature.CCT_to_uv_Ohno2013(np.array([kelvin, tint])))
                found = black_body_xy(kelvin, tint)
                np.testing.assert_allclose(found, expected, atol=3e-4, err_msg=f"{kelvin} {tint}")
        for kelvin in (4000, 5600, 7500, 25000):
            expected = colour.temperature.CCT_to_xy_CIE_D(kelvin)
            np.testing.assert_allclose(daylight_xy(kelvin), expected, atol=1e-9)
        x, y, z = parse_colour("6504 0.0032", "kelvin")
        self.assertAlmostEqual(y, 1.0)
        np.testing.assert_allclose(
            (x / (x + y + z), y / (x + y + z)), D65, atol=2e-3
        )  # D65 lies a little off the locus


class Spectra(TestCase):
    def test_d65_is_the_cie_table(self) -> None:
        table = colour.SDS_ILLUMINANTS["D65"].copy().align(colour.SpectralShape(380, 780, 5)).values
        np.testing.assert_allclose(observer.daylight(observer.D65_KELVIN), table, rtol=3e-4)

    def test_reflectances_have_their_colour_and_stay_between_0_and_1(self) -> None:
        rgb = np.random.default_rng(1).random((500, 3))
        xyz = rgb @ rgb_to_xyz(REC709).T
        found = spectra.reflectances(xyz)
        self.assertLess(spectra.error_of(xyz, found).max(), 1e-6)
        self.assertTrue(((found >= 0) & (found <= 1)).all())

    def test_what_no_surface_can_be_comes_near(self) -> None:
        xyz = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]) @ rgb_to_xyz(AP1).T
        found = spectra.reflectances(xyz)
        self.assertTrue(((found >= 0) & (found <= 1)).all())
        self.assertTrue((spectra.error_of(xyz, found) > 0.01).all())

    def test_greys_are_flat_and_lights_may_be_bright(self) -> None:
        white = xy_to_xyz(D65)
        np.testing.assert_allclose(spectra.reflectances(np.array([white * 0.18])), 0.18, atol=1e-6)
        np.testing.assert_allclose(spectra.lights(np.array([white * 40])), 40, rtol=1e-6)
        for spectrum, xy in (
            (spectra.black_body(1900), black_body_xy(1900)),
            (spectra.daylight(5600), daylight_xy(5600)),
        ):
            xyz = spectra.to_xyz() @ spectrum
            self.assertAlmostEqual(float(xyz[1]), 1.0, places=6)
            # 36 bands of 10 nm instead of 81 of 5 nm.
            np.testing.assert_allclose(xyz[:2] / xyz.sum(), xy, atol=1.5e-3)

    def test_bad_colours_are_refused_in_words(self) -> None:
        cases = {
            ("", "unit"): "three numbers",
            ("red", "unit"): "three numbers",
            ("1 2", "unit"): "here are 2",
            ("1 2 3 4", "8-bit"): "here are 4",
            ("256 0 0", "8-bit"): "0 to 255",
            ("-1 0 0", "8-bit"): "0 to 255",
            ("1_0", "unit"): "Type three numbers",
            ("٠.٥", "unit"): "Type three numbers",
            ("0x1 0 0", "unit"): "Type three numbers",
            ("6_500", "kelvin"): "Type numbers",
            ("nan 0 0", "unit"): "finite",
            ("inf", "unit"): "finite",
            ("1e30", "unit"): "half-float",
            ("#12", "hex"): "3 or 6 digits",
            ("#12345g", "hex"): "3 or 6 digits",
            ("1 1 1", "nits"): "not a notation",
            ("1024 0 0", "10-bit"): "0 to 1023",
            ("", "kelvin"): "Type a temperature",
            ("1 1 1", "kelvin"): "Type a temperature",
            ("999", "kelvin"): "from 1,000 to 40,000",
            ("40001", "kelvin"): "from 1,000 to 40,000",
            ("nan", "kelvin"): "finite",
            ("1e30", "kelvin"): "from 1,000 to 40,000",
            ("3200 0.2", "kelvin"): "tint lies",
            ("warm", "kelvin"): "Type numbers",
            ("3000", "daylight"): "black body",
            ("26000", "daylight"): "black body",
            ("5600 0.1", "daylight"): "temperature of daylight",
            ("370 0.5 0.5", "hsv"): "0 to 360",
            ("10 50 50", "hsv"): "0% to 100%",
            ("10 50%", "hsl"): "hue, saturation and lightness",
            ("0.3 0.3 -1", "xyY"): "no light",
            ("0.3 0 1", "xyY"): "y above 0",
            ("0.8 0.5", "xyY"): "not above 1",
            ("0.3", "xyY"): "Type x, y",
            ("0.3 0.000001 60000", "xyY"): "half-float",
        }
        for (text, unit), words in cases.items():
            with self.subTest(f"{text!r} as {unit}"), self.assertRaisesRegex(BadInput, words):
                parse_colour(text, unit)
