"""The small grade against the engine's own ASC CDL."""

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio
from scipy.interpolate import PchipInterpolator

from saltwort.core.configs.proof import proof_colours
from saltwort.core.engine import load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import compose
from saltwort.core.views.grade import (
    AFTER,
    BEFORE,
    CURVE_PLACES,
    NO_GRADE,
    Grade,
    check_grade,
    grade_as_clf,
    graded,
)
from tests.samples import LINEAR_REC709, base_archive, project_config, sample_setup

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
    config = project_config()

    def test_before_the_view_it_is_the_engines_without_clamp(self) -> None:
        expected = by_the_engine(self.light, GRADE, ocio.CDL_NO_CLAMP)
        np.testing.assert_allclose(graded(self.config, self.light, GRADE, BEFORE), expected, rtol=1e-4, atol=1e-5)
        self.assertGreater(float(expected.max()), 1)

    def test_after_the_view_it_is_the_standards_with_clamp(self) -> None:
        codes = np.clip(self.light, 0, 1)
        after = replace(GRADE, place=AFTER)
        expected = by_the_engine(codes, after, ocio.CDL_ASC)
        np.testing.assert_allclose(graded(self.config, codes, after, AFTER), expected, rtol=1e-4, atol=1e-5)

    def test_it_does_nothing_elsewhere_and_none_nothing_at_all(self) -> None:
        np.testing.assert_array_equal(graded(self.config, self.light, GRADE, AFTER), self.light)
        np.testing.assert_array_equal(graded(self.config, self.light, NO_GRADE, BEFORE), self.light)
        plain = Grade(BEFORE)
        np.testing.assert_allclose(graded(self.config, self.light, plain, BEFORE), self.light, rtol=1e-5, atol=1e-6)

    def test_exposure_comes_first_and_a_curve_acts_on_code_values(self) -> None:
        brighter = graded(self.config, self.light, Grade(BEFORE, exposure=1.5), BEFORE)
        np.testing.assert_allclose(brighter, self.light * 2**1.5, rtol=1e-5, atol=1e-6)
        codes = np.clip(self.light, 0, 1)
        curve = (0.05, 0.2, 0.55, 0.8, 0.95)
        expected = np.clip(PchipInterpolator(CURVE_PLACES, curve)(codes), 0, 1)
        np.testing.assert_allclose(graded(self.config, codes, Grade(AFTER, curve=curve), AFTER), expected, atol=1e-5)
        on_light = graded(self.config, self.light, Grade(BEFORE, curve=curve), BEFORE)
        np.testing.assert_allclose(on_light, self.light, rtol=1e-5, atol=1e-6)

    def test_on_acescct_it_is_the_engines_cdl_in_that_space(self) -> None:
        for working in ("ACEScg", LINEAR_REC709):
            config = load_config(compose(base_archive(), replace(sample_setup(), working_space=working), "x"))
            transform = ocio.GroupTransform(
                [
                    ocio.ColorSpaceTransform(working, "ACEScct"),
                    ocio.CDLTransform(slope=list(GRADE.slope), offset=list(GRADE.offset), power=list(GRADE.power)),
                    ocio.ColorSpaceTransform("ACEScct", working),
                ]
            )
            processor = config.getProcessor(transform).getDefaultCPUProcessor()
            light = np.abs(self.light)
            expected = np.array([processor.applyRGB(value.tolist()) for value in light])
            found = graded(config, light, replace(GRADE, saturation=1.0, log=True), BEFORE)
            # Of the strongest channel: beside a very bright one, a dim one is the difference of large numbers.
            strongest = np.maximum(np.abs(expected).max(axis=1, keepdims=True), 0.1)
            self.assertLess(float((np.abs(found - expected) / strongest).max()), 2e-3)

    def test_written_as_a_file_it_does_the_same(self) -> None:
        grade = replace(GRADE, exposure=0.7, log=True, curve=(0.02, 0.22, 0.52, 0.76, 1.02))
        with tempfile.TemporaryDirectory() as folder:
            for asked, space in ((grade, "ACEScct"), (replace(grade, log=False), "ACEScg")):
                file = Path(folder) / f"{space}.clf"  # the engine keeps files by their paths
                file.write_bytes(grade_as_clf(asked))
                steps = [ocio.ColorSpaceTransform("ACEScg", space), ocio.FileTransform(str(file))]
                group = ocio.GroupTransform([*steps, ocio.ColorSpaceTransform(space, "ACEScg")])
                config = ocio.Config.CreateFromBuiltinConfig("cg-config-v4.0.0_aces-v2.0_ocio-v2.5")
                processor = config.getProcessor(group).getDefaultCPUProcessor()
                light = np.abs(self.light)
                expected = np.array([processor.applyRGB(value.tolist()) for value in light])
                found = graded(self.config, light, asked, BEFORE)
                # Between 4,096 points of the curve, and with numbers of seven places in the file.
                np.testing.assert_allclose(found, expected, rtol=2e-3, atol=2e-4)

    def test_refusals(self) -> None:
        check_grade(GRADE)
        for change, words in (
            ({"place": "beside"}, "before or after"),
            ({"slope": (-1, 1, 1)}, "slope"),
            ({"slope": (float("nan"), 1, 1)}, "slope"),
            ({"power": (0, 1, 1)}, "power"),
            ({"offset": (1e30, 0, 0)}, "offset"),
            ({"saturation": -0.5}, "saturation"),
            ({"exposure": 99}, "exposure"),
            ({"curve": (0, 1)}, "5 heights"),
            ({"curve": (0, 0.5, 0.4, 0.75, 1)}, "must not fall"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                check_grade(replace(GRADE, **change))
