"""The small grade against the engine's own ASC CDL."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.proof import proof_colours
from saltwort.core.errors import BadInput
from saltwort.core.views.grade import AFTER, BEFORE, NO_GRADE, Grade, check_grade, graded
from tests.samples import project_config

GRADE = Grade(BEFORE, (1.2, 0.9, 1.1), (0.02, -0.01, 0.0), (1.1, 0.95, 1.3), 0.8)


def by_the_engine(values: np.ndarray, grade: Grade, style: ocio.CDLStyle) -> np.ndarray:
    transform = ocio.CDLTransform(
        slope=list(grade.slope), offset=list(grade.offset), power=list(grade.power), sat=grade.saturation
    )
    transform.setStyle(style)
    processor = project_config().getProcessor(transform).getDefaultCPUProcessor()
    return np.array([processor.applyRGB(value.tolist()) for value in values])


class Grades(TestCase):
    light = proof_colours()[::7]

    def test_before_the_view_it_is_the_engines_without_clamp(self) -> None:
        expected = by_the_engine(self.light, GRADE, ocio.CDL_NO_CLAMP)
        np.testing.assert_allclose(graded(self.light, GRADE, BEFORE), expected, rtol=1e-4, atol=1e-5)
        self.assertGreater(float(expected.max()), 1)

    def test_after_the_view_it_is_the_standards_with_clamp(self) -> None:
        codes = np.clip(self.light, 0, 1)
        after = replace(GRADE, place=AFTER)
        expected = by_the_engine(codes, after, ocio.CDL_ASC)
        np.testing.assert_allclose(graded(codes, after, AFTER), expected, rtol=1e-4, atol=1e-5)

    def test_it_does_nothing_elsewhere_and_none_nothing_at_all(self) -> None:
        np.testing.assert_array_equal(graded(self.light, GRADE, AFTER), self.light)
        np.testing.assert_array_equal(graded(self.light, NO_GRADE, BEFORE), self.light)
        plain = Grade(BEFORE)
        np.testing.assert_allclose(graded(self.light, plain, BEFORE), self.light, rtol=1e-5, atol=1e-6)

    def test_refusals(self) -> None:
        check_grade(GRADE)
        for change, words in (
            ({"place": "beside"}, "before or after"),
            ({"slope": (-1, 1, 1)}, "slope"),
            ({"slope": (float("nan"), 1, 1)}, "slope"),
            ({"power": (0, 1, 1)}, "power"),
            ({"offset": (1e30, 0, 0)}, "offset"),
            ({"saturation": -0.5}, "saturation"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                check_grade(replace(GRADE, **change))
