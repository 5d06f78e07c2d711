"""Two pictures beside each other: the difference by a second way, and matches that are known."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.views.grade import AFTER, BEFORE, NO_GRADE, Grade, graded
from saltwort.core.views.pairs import Shown, difference_between, match
from saltwort.core.views.tone import display_xyz
from tests.samples import ACES_SDR, PQ_ACES, SRGB_DISPLAY, UNTONED, light, project_config


class PairTestCase(TestCase):
    config = project_config()
    ours = Shown(config, ACES_SDR, light(54, 96, peak=6.0))


class Differences(PairTestCase):
    def test_it_is_delta_e_of_what_the_display_makes(self) -> None:
        found = difference_between(self.ours, replace(self.ours, choice=UNTONED), NO_GRADE)
        seen = []
        for choice in (ACES_SDR, UNTONED):
            codes = apply(view_processor(self.config, "ACEScg", choice), self.ours.light).reshape(-1, 3)
            seen.append(display_xyz(self.config, choice, np.clip(codes, 0, 1).astype(np.float64)))
        expected = delta_e_2000(*seen)
        np.testing.assert_allclose(found.picture.ravel(), expected, atol=1e-9)
        self.assertEqual((found.measure, found.largest), ("ΔE 2000", float(expected.max())))
        self.assertAlmostEqual(found.seen, float((expected > 1).mean()))
        self.assertEqual(difference_between(self.ours, self.ours, NO_GRADE).largest, 0)

    def test_an_hdr_display_is_judged_by_itp(self) -> None:
        found = difference_between(replace(self.ours, choice=PQ_ACES), self.ours, NO_GRADE)
        self.assertEqual(found.measure, "ΔE ITP")
        self.assertGreater(found.mean, 5)

    def test_another_size_is_sampled_and_another_shape_refused(self) -> None:
        doubled = replace(self.ours, light=self.ours.light.repeat(2, axis=0).repeat(2, axis=1))
        self.assertEqual(difference_between(self.ours, doubled, NO_GRADE).largest, 0)
        with self.assertRaisesRegex(BadInput, "different shapes"):
            difference_between(self.ours, replace(self.ours, light=light(96, 54)), NO_GRADE)
        with self.assertRaisesRegex(BadInput, "does not output the colours of a display"):
            difference_between(self.ours, replace(self.ours, choice=ViewChoice(SRGB_DISPLAY, "Raw")), NO_GRADE)


class Matches(PairTestCase):
    def test_an_exposure_is_found_again(self) -> None:
        darker = replace(self.ours, light=self.ours.light * np.float32(2**-1.3))
        found = match("exposure", darker, self.ours, BEFORE, log=False)
        self.assertAlmostEqual(found.grade.exposure, 1.3, delta=0.01)
        self.assertGreater(found.before.mean, 5)
        self.assertLess(found.after.mean, 0.05)

    def test_a_cdl_is_found_again_before_and_after_the_view(self) -> None:
        made = Grade(BEFORE, (1.3, 1.0, 0.8), (0.01, 0.0, -0.005), (1.05, 1.0, 0.95), 0.8)
        warm = replace(self.ours, light=graded(self.config, self.ours.light, made, BEFORE))
        found = match("cdl", self.ours, warm, BEFORE, log=False)
        self.assertLess(found.after.mean, 0.3)
        np.testing.assert_allclose(found.grade.slope, made.slope, atol=0.08)
        after = match("cdl", self.ours, warm, AFTER, log=False)
        self.assertLess(after.after.mean, after.before.mean)
        self.assertGreater(after.after.mean, found.after.mean, "what the view pressed together does not come apart")

    def test_a_curve_takes_one_view_towards_another(self) -> None:
        reference = replace(self.ours, choice=UNTONED)
        found = match("curve", self.ours, reference, AFTER, log=False)
        self.assertLess(found.after.mean, found.before.mean * 0.8)
        self.assertTrue((np.diff(found.grade.curve) >= 0).all())
        before = match("curve", self.ours, reference, BEFORE, log=False)
        self.assertTrue(before.grade.log, "a curve before the view acts on ACEScct")
        again = difference_between(
            replace(self.ours, light=graded(self.config, self.ours.light, before.grade, BEFORE)), reference, NO_GRADE
        )
        self.assertAlmostEqual(again.mean, before.after.mean, places=6)

    def test_what_is_closest_already_stays(self) -> None:
        found = match("cdl", self.ours, self.ours, BEFORE, log=True)
        self.assertLess(found.after.mean, 1e-2)
        with self.assertRaisesRegex(BadInput, "exposure, cdl, curve"):
            match("magic", self.ours, self.ours, BEFORE, log=False)
