"""A file looked at closely: figures of light, histograms, chromaticities, and what undoing a view gives."""

from dataclasses import replace
from unittest import TestCase

import colour
import numpy as np

from saltwort.core.configs.additions import AddedSpace, undone_view
from saltwort.core.configs.trim import Trim
from saltwort.core.engine import ViewChoice, apply_to_colour, load_config, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.findings import CheckedTexture, Subjects, run_checks
from saltwort.core.images import write_image
from saltwort.core.project import compose
from saltwort.core.textures.close_up import (
    BINS,
    chromaticities_of,
    histogram_of,
    read_as,
    read_through_inverse,
    reading_of,
)
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.rules import Assignment, Reason
from saltwort.core.views import AddedView
from tests.core.test_images import ImageTestCase, measure
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, base_archive, light, project_config, sample_setup

UNDONE = AddedSpace("Undone ACES", display=ACES_SDR.display, view=ACES_SDR.view)


class Readings(TestCase):
    def test_figures_by_hand(self) -> None:
        sample = np.array([[0.0, 0.5, 2.0], [0.2, 0.5, -1.0], [np.nan, 0.0, 0.0]], np.float32)
        found = reading_of(sample)
        np.testing.assert_allclose(found.peak, (0.2, 0.5, 2.0), rtol=1e-6)
        np.testing.assert_allclose(found.median, (0.1, 0.5, 0.5), rtol=1e-6)
        self.assertEqual((found.above_one, found.below_zero), (1 / 6, 1 / 6))
        self.assertEqual(reading_of(np.full((3, 3), np.nan, np.float32)).peak, (0.0, 0.0, 0.0))

    def test_it_is_what_the_engine_decodes_and_data_stays(self) -> None:
        sample = light(peak=1.0).reshape(-1, 3)
        decoded = read_as(project_config(), sample, SRGB)
        expected = apply_to_colour(space_processor(project_config(), SRGB, "ACEScg"), sample[5])
        np.testing.assert_allclose(decoded[5], expected, rtol=1e-6)
        np.testing.assert_array_equal(read_as(project_config(), sample, "Raw"), sample)

    def test_histograms_of_codes_and_of_stops(self) -> None:
        codes = np.repeat(np.linspace(0, 1, 256, dtype=np.float32)[:, np.newaxis], 3, axis=1)
        found = histogram_of(codes, in_stops=False)
        np.testing.assert_allclose(found.channels, np.full((3, BINS), 1 / BINS), atol=1e-6)
        grey = histogram_of(np.full((10, 1), 0.18, np.float32), in_stops=True)
        self.assertEqual(np.argmax(grey.channels[0]), BINS // 2)
        dark = histogram_of(np.array([[0.0], [-1.0], [np.inf], [np.nan]], np.float32), in_stops=True)
        self.assertEqual((dark.channels[0][0], dark.channels[0][-1]), (2 / 3, 1 / 3))

    def test_chromaticities_are_those_of_an_independent_implementation(self) -> None:
        sample = np.array([[0.2, 0.5, 0.1], [0.8, 0.1, 0.1], [0.3, 0.3, 0.3]], np.float32)
        found = chromaticities_of(project_config(), read_as(project_config(), sample, LINEAR_REC709))
        space = colour.RGB_COLOURSPACES["sRGB"]
        expected = colour.XYZ_to_xy(sample @ space.matrix_RGB_to_XYZ.T)
        # Shown in cells of 1/200.
        np.testing.assert_allclose(found, expected[np.argsort(expected[:, 0])], atol=0.003)
        black = np.zeros((4, 3), np.float32)
        self.assertEqual(chromaticities_of(project_config(), black).shape, (0, 2))


class UndoneViews(ImageTestCase):
    def config(self, *spaces: AddedSpace, **parts: object):
        return load_config(compose(base_archive(), replace(sample_setup(), added_spaces=spaces, **parts), "undone"))

    def test_a_plate_seen_through_the_same_view_looks_as_it_did(self) -> None:
        config = self.config(UNDONE)
        self.assertEqual(undone_view(config.getColorSpace("Undone ACES")), ACES_SDR)
        shown = view_processor(config, "Undone ACES", ACES_SDR)
        for code in ((0.5, 0.4, 0.3), (0.9, 0.85, 0.8), (0.1, 0.2, 0.15)):
            np.testing.assert_allclose(apply_to_colour(shown, code), code, atol=2e-3)

    def test_it_goes_beyond_one_and_agrees_with_the_inverse_itself(self) -> None:
        config = self.config(UNDONE)
        sample = light(peak=1.0).reshape(-1, 3)
        direct = read_through_inverse(config, sample, ACES_SDR)
        np.testing.assert_allclose(read_as(config, sample, "Undone ACES"), direct, rtol=1e-4, atol=1e-4)
        self.assertGreater(reading_of(direct).above_one, 0.02)

    def test_views_of_the_project_itself_are_undone_too(self) -> None:
        display = ACES_SDR.display
        space = AddedSpace("Undone AgX", display=display, view="AgX")
        config = self.config(space, added_views=(AddedView(display, "AgX", "agx"),))
        code = (0.5, 0.45, 0.4)
        shown = apply_to_colour(view_processor(config, "Undone AgX", ViewChoice(display, "AgX")), code)
        np.testing.assert_allclose(shown, code, atol=5e-3)  # through a LUT and back

    def test_it_stays_whole_in_a_trimmed_config(self) -> None:
        trimmed = self.config(UNDONE, trim=Trim(("ACEScg", SRGB, "Undone ACES"), (ACES_SDR,)))
        processors = [space_processor(config, "Undone ACES", "ACEScg") for config in (trimmed, self.config(UNDONE))]
        code = (0.7, 0.6, 0.5)
        self.assertEqual(*(apply_to_colour(processor, code) for processor in processors))

    def test_a_view_that_is_not_there_is_named(self) -> None:
        with self.assertRaisesRegex(BadInput, "“Undone ACES” undoes a view that is not there"):
            self.config(replace(UNDONE, view="Nowhere"))
        with self.assertRaises(BadInput):
            read_through_inverse(project_config(), light(), ViewChoice(ACES_SDR.display, "Nowhere"))

    def test_a_base_colour_read_so_is_a_finding_and_a_plate_is_none(self) -> None:
        config = self.config(UNDONE)
        write_image(self.folder / "a.png", light(peak=1.0), "uint8")
        facts = measure(self.folder / "a.png")
        assignment = Assignment("Undone ACES", Reason("pin", None, ""))
        textures = [
            CheckedTexture(path, kind, assignment, facts, tuple(evidence_for(config, path, kind, facts)))
            for path in ("wall_basecolor.png", "quay_backplate.png")
            if (kind := map_kind_of(path))
        ]
        found = run_checks(Subjects(config, sample_setup(), textures=textures))
        about = {(finding.code, finding.subject) for finding in found if finding.code.startswith("texture.")}
        self.assertEqual(about, {("texture.inverted-view", "wall_basecolor.png")})
