"""Two configs compared by what they do to colours."""

import warnings
from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import compare
from saltwort.core.configs.compare import CHANGED, DIFFERENT, IDENTICAL, REMOVED, RENAMED, SAME_MEANING, Difference
from saltwort.core.configs.proof import proof_colours
from saltwort.core.engine import ConfigArchive
from saltwort.core.project import compose
from saltwort.core.spaces.difference import REFERENCE_WHITE, delta_e_2000, delta_e_itp, ictcp
from saltwort.core.spaces.gamuts import REC2020, rgb_to_xyz
from saltwort.core.views import AddedView
from tests.core.test_archives import LUT, config_with_luts
from tests.samples import SRGB_DISPLAY, UNTONED, base_archive, base_text, fresh_config, sample_setup


def with_space(name: str, scale: float, encoding: str = "scene-linear", is_data: bool = False) -> ConfigArchive:
    config = fresh_config()
    matrix = ocio.MatrixTransform.Scale([scale, scale, scale, 1.0])
    space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, toReference=matrix, encoding=encoding, isData=is_data)
    config.addColorSpace(space)
    return ConfigArchive(config.serialize())


def with_view(name: str, **parameters: str) -> ConfigArchive:
    views = (AddedView(SRGB_DISPLAY, name, parameters.get("family", "agx")),)
    return compose(base_archive(), replace(sample_setup(), added_views=views), "sample")


def only(differences: tuple[Difference, ...], what: str) -> list[Difference]:
    return [difference for difference in differences if difference.what == what]


class ComparingConfigs(TestCase):
    def test_the_same_text_is_identical(self) -> None:
        self.assertEqual(compare(base_archive(), ConfigArchive(base_text())).verdict, IDENTICAL)

    def test_another_text_of_the_same_colours_means_the_same(self) -> None:
        config = fresh_config()
        config.setDescription("The same, described otherwise")
        found = compare(base_archive(), ConfigArchive(config.serialize()))
        self.assertEqual((found.verdict, found.differences), (SAME_MEANING, ()))

    def test_a_space_of_another_name_is_renamed(self) -> None:
        found = compare(with_space("plate", 0.7), with_space("Plate Light", 0.7))
        self.assertEqual(found.verdict, SAME_MEANING)
        self.assertEqual(found.differences, (Difference(RENAMED, "space", "plate", "Plate Light"),))

    def test_data_is_never_the_same_as_a_colour(self) -> None:
        found = compare(with_space("maps", 1.0, "data", is_data=True), with_space("light", 1.0))
        self.assertEqual({difference.kind for difference in found.differences}, {REMOVED, "added"})
        (changed,) = compare(with_space("maps", 1.0, "data", is_data=True), with_space("maps", 1.0)).differences
        self.assertEqual((changed.kind, changed.other), (CHANGED, "data → scene"))

    def test_a_changed_space_says_by_how_much_and_where(self) -> None:
        found = compare(with_space("plate", 1.0), with_space("plate", 0.75))
        self.assertEqual(found.verdict, DIFFERENT)
        (changed,) = found.differences
        self.assertEqual((changed.kind, changed.name, changed.metric), (CHANGED, "plate", "relative"))
        self.assertAlmostEqual(changed.largest, 0.25, places=5)
        self.assertGreater(changed.mean, 0.1)
        self.assertIn(changed.worst, [tuple(colour) for colour in proof_colours().tolist()])

    def test_a_changed_view_in_delta_e(self) -> None:
        found = compare(with_view("Harbour"), with_view("Harbour", family="filmic"))
        (changed,) = only(found.differences, "view")
        self.assertEqual((changed.name, changed.metric), (f"Harbour on {SRGB_DISPLAY}", "ΔE 2000"))
        self.assertGreater(changed.largest, 20)
        self.assertLess(changed.mean, changed.largest)

    def test_a_renamed_view(self) -> None:
        found = compare(with_view("Harbour"), with_view("Dock"))
        self.assertEqual(
            only(found.differences, "view"),
            [Difference(RENAMED, "view", f"Harbour on {SRGB_DISPLAY}", f"Dock on {SRGB_DISPLAY}")],
        )

    def test_an_hdr_view_in_delta_e_itp(self) -> None:
        display = "Rec.2100-PQ - Display"

        def dimmed(slope: float) -> ConfigArchive:
            config = fresh_config()
            transform = ocio.GroupTransform([ocio.MatrixTransform.Scale([slope] * 3 + [1.0])])
            name = config.getDisplayViewTransformName(display, config.getDefaultView(display))
            shown = config.getViewTransform(name)
            transform.appendTransform(shown.getTransform(ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE))
            dimmed = ocio.ViewTransform(ocio.REFERENCE_SPACE_SCENE, "dimmed", fromReference=transform)
            config.addViewTransform(dimmed)
            config.addDisplayView(display, "dimmed", viewTransform="dimmed", displayColorSpaceName=display)
            config.setActiveViews("")
            return ConfigArchive(config.serialize())

        (changed,) = only(compare(dimmed(1.0), dimmed(0.9)).differences, "view")
        self.assertEqual((changed.name, changed.metric), (f"dimmed on {display}", "ΔE ITP"))
        self.assertGreater(changed.largest, 1)

    def test_the_worst_comes_first(self) -> None:
        first, second = fresh_config(), fresh_config()
        for config, scales in ((first, (1.0, 1.0)), (second, (0.99, 0.5))):
            for name, scale in zip(("near", "far"), scales, strict=True):
                matrix = ocio.MatrixTransform.Scale([scale, scale, scale, 1.0])
                config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, toReference=matrix))
        found = compare(ConfigArchive(first.serialize()), ConfigArchive(second.serialize()))
        self.assertEqual([difference.name for difference in found.differences], ["far", "near"])

    def test_roles_rules_and_the_default_view(self) -> None:
        setup = sample_setup()
        changed = replace(
            setup,
            working_space="Linear Rec.2020",
            rules=setup.rules[1:],
            view=UNTONED,
            default_space="ACES2065-1",
        )
        found = compare(compose(base_archive(), setup, "sample"), compose(base_archive(), changed, "sample"))
        kinds = {(row.what, row.kind, row.name) for row in found.differences}
        self.assertIn(("role", CHANGED, "scene_linear"), kinds)
        self.assertIn(("file rule", REMOVED, setup.rules[0].name), kinds)
        self.assertIn(("file rule", CHANGED, "Default"), kinds)
        self.assertEqual(only(found.differences, "default view")[0].other, f"Un-tone-mapped on {SRGB_DISPLAY}")

    def test_the_order_of_rules_counts(self) -> None:
        setup = sample_setup()
        first = compose(base_archive(), setup, "sample")
        second = compose(base_archive(), replace(setup, rules=setup.rules[::-1]), "sample")
        self.assertIn("file rule", {row.what for row in compare(first, second).differences})

    def test_what_only_one_can_compute(self) -> None:
        whole = ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT})
        found = compare(whole, ConfigArchive(config_with_luts()))
        (lost,) = found.differences
        self.assertEqual((lost.name, lost.largest), ("curved", np.inf))


class ColourDifference(TestCase):
    """Held against published values."""

    def test_delta_e_2000_of_the_papers_pairs(self) -> None:
        # Sharma, Wu, Dalal: The CIEDE2000 color-difference formula (2005), table 1, pairs 1, 7 and 25.
        pairs = (
            ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
            ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
            ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
        )
        for first, second, expected in pairs:
            xyz = [self._xyz(lab) for lab in (first, second)]
            self.assertAlmostEqual(delta_e_2000(*xyz)[0], expected, places=3)

    def test_ictcp_is_that_of_an_independent_implementation(self) -> None:
        xyz = np.random.default_rng(6).uniform(0, 20, (500, 3)) @ rgb_to_xyz(REC2020).T
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            import colour
        np.testing.assert_allclose(
            ictcp(xyz), colour.XYZ_to_ICtCp(xyz * REFERENCE_WHITE), atol=2e-4
        )  # its matrix is rounded

    def test_delta_e_itp_counts_steps_of_pq_at_grey(self) -> None:
        # BT.2124: for greys T and P are zero, so ΔE ITP is 720 times the difference of I, which is the PQ value.
        pq_of_100, pq_of_1000 = 0.508078, 0.751827  # SMPTE ST 2084, 100 and 1000 cd/m²
        white = np.array([[0.950456, 1.0, 1.089058]])
        self.assertAlmostEqual(
            delta_e_itp(white, white * 10)[0], 720 * (pq_of_1000 - pq_of_100), delta=0.1
        )  # the white's five figures

    @staticmethod
    def _xyz(lab: tuple[float, float, float]) -> np.ndarray:
        """CIE 1976 L*a*b* to XYZ under D65 of CIE 1931 xy 0.3127, 0.3290 (ISO/CIE 11664-4)."""
        lightness, a, b = lab
        fy = (lightness + 16) / 116
        ratios = [f**3 if f > 6 / 29 else (f - 4 / 29) * 3 * (6 / 29) ** 2 for f in (fy + a / 500, fy, fy - b / 200)]
        white = np.array([0.3127 / 0.3290, 1.0, (1 - 0.3127 - 0.3290) / 0.3290])
        return (np.array(ratios) * white)[None]
