"""Spaces, looks and roles that a project adds: the same numbers as the engine's own, and every refusal."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.additions import OWN_LOOKS, AddedLook, AddedSpace
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.project import compose
from saltwort.core.spaces.gamuts import AP1, P3_D65, REC709, REC2020
from tests.core.test_configs import OLD_CONFIG
from tests.samples import LINEAR_REC709, SRGB, SRGB_DISPLAY, UNTONED, base_archive, sample_setup

COLOUR = [0.2, 0.5, 1.3]


def composed(base: ConfigArchive | None = None, **changes: object) -> ocio.Config:
    return load_config(compose(base or base_archive(), replace(sample_setup(), **changes), "sample"))


class Spaces(TestCase):
    def test_added_spaces_have_the_numbers_of_the_engines_own(self) -> None:
        cases = (
            (AddedSpace("a", REC2020.chromaticities), "Linear Rec.2020"),
            (AddedSpace("b", AP1.chromaticities), "ACEScg"),
            (AddedSpace("c", P3_D65.chromaticities, "srgb"), "sRGB Encoded P3-D65"),
            (AddedSpace("d", REC709.chromaticities, "power", 2.4), "Gamma 2.4 Encoded Rec.709"),
        )
        config = composed(added_spaces=tuple(space for space, _ in cases))
        for space, like in cases:
            with self.subTest(like):
                found = space_processor(config, space.name, "ACES2065-1").applyRGB(COLOUR)
                expected = space_processor(config, like, "ACES2065-1").applyRGB(COLOUR)
                np.testing.assert_allclose(found, expected, rtol=3e-5)
                back = space_processor(config, "ACES2065-1", space.name).applyRGB(found)
                np.testing.assert_allclose(back, COLOUR, rtol=3e-5)

    def test_they_are_described_found_by_alias_and_can_be_worked_in(self) -> None:
        names = {"aliases": ("quay_lin",), "family": "Quay", "description": "ours"}
        space = AddedSpace("Quay Linear", REC2020.chromaticities, **names)
        config = composed(added_spaces=(space,), working_space="Quay Linear")
        written = config.getColorSpace("quay_lin")
        found = [written.getName(), written.getFamily(), written.getDescription()]
        self.assertEqual(found, ["Quay Linear", "Quay", "ours"])
        self.assertEqual(config.getColorSpace("scene_linear").getName(), "Quay Linear")
        self.assertEqual(written.getEncoding(), "scene-linear")

    def test_refusals(self) -> None:
        good = AddedSpace("x", REC709.chromaticities)
        cases = (
            (replace(good, name="ACEScg"), "something named “ACEScg” already"),
            (replace(good, name="lin_rec709"), "something named “lin_rec709” already"),
            (replace(good, aliases=("scene_linear",)), "something named “scene_linear” already"),
            (replace(good, name="a/b"), "needs a name"),
            (replace(good, aliases=(" ",)), "so does each alias"),
            (replace(good, curve="magic"), "no curve “magic”"),
            (replace(good, curve="power", power=0.0), "between 0.1 and 10"),
            (replace(good, chromaticities=(0.3, 0.3) * 4), "span no gamut"),
            (replace(good, chromaticities=(*REC709.chromaticities[:6], 0.3, 0.0)), "span no gamut"),
            (replace(good, chromaticities=(float("nan"),) * 8), "finite numbers"),
            (replace(good, chromaticities=(0.3, 0.3)), "eight finite numbers"),
        )
        for space, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                composed(added_spaces=(space,))

    def test_a_config_nobody_can_tell_the_numbers_of(self) -> None:
        plain = ViewChoice("screen", "Plain")
        setup = replace(sample_setup(), rules=(), default_space="lin", working_space="lin", view=plain)
        with self.assertRaisesRegex(BadInput, "no role aces_interchange"):
            compose(ConfigArchive(OLD_CONFIG), replace(setup, added_spaces=(AddedSpace("x", AP1.chromaticities),)), "o")


class Looks(TestCase):
    def seen(self, config: ocio.Config, look: str, light: float = 0.18) -> np.ndarray:
        choice = replace(UNTONED, look=look)
        return np.array(view_processor(config, "ACEScg", choice).applyRGB([light] * 3))

    def test_a_look_is_the_cdl_in_the_grading_space(self) -> None:
        look = AddedLook("Test", (1.1, 0.9, 1.0), (0.02, 0.0, -0.01), (1.0, 1.1, 0.9), 0.8)
        config = composed(added_looks=(look,))
        code = np.array(space_processor(config, "ACEScg", "ACEScct").applyRGB(COLOUR))
        graded = np.sign(code) * np.abs(code * look.slope + look.offset) ** look.power  # ASC CDL v1.2
        luma = graded @ (0.2126, 0.7152, 0.0722)
        graded = luma + look.saturation * (graded - luma)
        expected = space_processor(config, "ACEScct", "ACEScg").applyRGB(graded.tolist())
        processor = config.getProcessor(ocio.LookTransform("ACEScg", "ACEScg", "Test")).getDefaultCPUProcessor()
        np.testing.assert_allclose(processor.applyRGB(COLOUR), expected, rtol=2e-3)  # the engine's fast powers, in log

    def test_our_own_looks_do_what_they_say(self) -> None:
        config = composed(added_looks=OWN_LOOKS)
        plain = self.seen(config, "")
        warm, cool = (self.seen(config, look.name) - plain for look in OWN_LOOKS[:2])
        self.assertGreater(warm[0] - warm[2], 0.02)
        self.assertGreater(cool[2] - cool[0], 0.02)
        self.assertGreater(self.seen(config, "Quay Fog", 0.005)[1], self.seen(config, "", 0.005)[1])
        self.assertLess(self.seen(config, "Quay Fog", 0.9)[1], self.seen(config, "", 0.9)[1])

    def test_refusals(self) -> None:
        for look, words in (
            (AddedLook(" "), "needs a name"),
            (AddedLook("a,b"), "needs a name"),
            (AddedLook("ACES 1.3 Reference Gamut Compression"), "has a look"),
            (AddedLook("x", slope=(-1.0, 1.0, 1.0)), "slope and saturation"),
            (AddedLook("x", power=(0.0, 1.0, 1.0)), "power is above 0"),
            (AddedLook("x", offset=(float("inf"), 0.0, 0.0)), "finite"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                composed(added_looks=(look,))


class Roles(TestCase):
    def test_roles_are_set_and_made(self) -> None:
        config = composed(roles=(("texture_paint", "ACEScg"), ("show_lut", SRGB)))
        self.assertEqual(config.getColorSpace("texture_paint").getName(), "ACEScg")
        self.assertEqual(config.getColorSpace("show_lut").getName(), SRGB)

    def test_refusals(self) -> None:
        for role, words in (
            (("scene_linear", LINEAR_REC709), "cannot be set here"),
            (("Bad Name", SRGB), "cannot be set here"),
            (("texture_paint", "Nowhere"), "no colour space"),
            (("raw", SRGB), "no role can be"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                composed(roles=(role,))

    def test_a_look_can_be_the_projects(self) -> None:
        config = composed(added_looks=OWN_LOOKS, view=ViewChoice(SRGB_DISPLAY, UNTONED.view, "Lamplight"))
        self.assertIn("Lamplight", config.getLookNames())
