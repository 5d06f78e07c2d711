"""The tracer along the colour path, and swatches: the engine's numbers at every joint."""

from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.project.colour_path import Joint, trace
from saltwort.core.scene.swatches import convert
from saltwort.core.spaces.typed import TypedColour
from tests.samples import ACES_SDR, SRGB, SRGB_DISPLAY, UNTONED, project_config

ENAMEL = TypedColour(SRGB, "8-bit", "47 106 104")


def joints(typed: TypedColour, choice: ViewChoice, bits: int = 8) -> dict[str, Joint]:
    return {joint.key: joint for joint in trace(project_config(), typed, choice, bits)}


def engine(source: str, target: str, colour: tuple[float, ...]) -> list[float]:
    transform = ocio.ColorSpaceTransform(source, target)
    return project_config().getProcessor(transform).getDefaultCPUProcessor().applyRGB(list(colour))


class Tracing(TestCase):
    def test_five_joints_in_order(self) -> None:
        keys = [joint.key for joint in trace(project_config(), ENAMEL, ACES_SDR)]
        self.assertEqual(keys, ["typed", "working", "render", "view", "file"])

    def test_each_joint_holds_the_engines_numbers(self) -> None:
        found = joints(ENAMEL, ACES_SDR)
        self.assertEqual(found["typed"].values, (47 / 255, 106 / 255, 104 / 255))
        self.assertEqual(list(found["working"].values), engine(SRGB, "ACEScg", ENAMEL.values))
        self.assertEqual(found["working"].space, "ACEScg")
        np.testing.assert_array_equal(found["render"].values, np.float16(found["working"].values).astype(float))
        view = ocio.DisplayViewTransform(src="ACEScg", display=ACES_SDR.display, view=ACES_SDR.view)
        shown = project_config().getProcessor(view).getDefaultCPUProcessor().applyRGB(list(found["render"].values))
        self.assertEqual(list(found["view"].values), shown)
        np.testing.assert_allclose(np.array(found["file"].values) * 255, np.round(np.array(shown) * 255), atol=1e-9)

    def test_without_a_rendering_the_file_holds_what_was_typed(self) -> None:
        found = joints(ENAMEL, UNTONED)
        np.testing.assert_allclose(np.array(found["file"].values) * 255, (47, 106, 104), atol=1e-9)
        self.assertTrue(all(not joint.remarks for joint in found.values()))

    def test_sixteen_bits_are_finer_steps(self) -> None:
        found = joints(ENAMEL, ACES_SDR, bits=16)
        self.assertLess(np.abs(np.subtract(found["file"].values, found["view"].values)).max(), 0.5 / 65535 + 1e-12)

    def test_a_colour_outside_the_working_gamut_is_told(self) -> None:
        found = joints(TypedColour("ACES2065-1", "unit", "0 1 0"), UNTONED)
        self.assertTrue(any("outside the gamut of ACEScg" in remark for remark in found["working"].remarks))

    def test_light_a_half_float_cannot_hold_is_told(self) -> None:
        found = joints(TypedColour(SRGB, "unit", "900"), UNTONED)
        self.assertIn("brightest a half float holds", found["render"].remarks[0])

    def test_clipping_is_told_where_it_happens(self) -> None:
        bright = TypedColour("ACEScg", "unit", "50 50 50")
        found = joints(bright, UNTONED)
        self.assertEqual(found["view"].remarks, ())  # this view lets light above 1 through
        self.assertIn("clipped at 1 when written", found["file"].remarks[0])
        green = joints(TypedColour("Linear Rec.2020", "unit", "0 1 0"), ACES_SDR)
        self.assertIn("red is clipped at 0", green["view"].remarks[0])
        peak = joints(TypedColour("ACEScg", "unit", "9000"), ACES_SDR)
        self.assertIn("red is clipped at 1 by", peak["view"].remarks[0])
        hdr = ViewChoice("Rec.2100-PQ - Display", "ACES 2.0 - HDR 1000 nits (Rec.2020)")
        peak = joints(TypedColour("ACEScg", "unit", "9000"), hdr)
        self.assertIn("red is clipped at 0.752 by", peak["view"].remarks[0])  # 1000 nits in SMPTE ST 2084

    def test_black_is_no_clipping(self) -> None:
        found = joints(TypedColour("ACEScg", "unit", "0 0 0"), ACES_SDR)
        self.assertEqual([joint.remarks for joint in found.values()], [()] * 5)

    def test_bad_colours_and_names_are_refused(self) -> None:
        for typed, choice in (
            (TypedColour("Nowhere", "unit", "1"), UNTONED),
            (TypedColour(SRGB, "unit", "one"), UNTONED),
            (ENAMEL, ViewChoice(SRGB_DISPLAY, "Nowhere")),
        ):
            with self.assertRaises(BadInput):
                trace(project_config(), typed, choice)


class Swatches(TestCase):
    def test_a_swatch_is_converted_and_seen(self) -> None:
        converted = convert(project_config(), ENAMEL, UNTONED)
        self.assertEqual(list(converted.working), engine(SRGB, "ACEScg", ENAMEL.values))
        np.testing.assert_allclose(converted.shown, ENAMEL.values, atol=2e-4)  # there and back through float32 curves

    def test_the_same_numbers_in_two_spaces_are_two_colours(self) -> None:
        encoded = convert(project_config(), ENAMEL, UNTONED).working
        linear = convert(project_config(), TypedColour("ACEScg", "8-bit", "47 106 104"), UNTONED).working
        self.assertGreater(np.abs(np.subtract(encoded, linear)).max(), 0.1)
