"""The door to the OCIO library: sandboxed loading, exact processors, parallel apply."""

from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import (
    ViewChoice,
    apply,
    apply_to_colour,
    builtin_text,
    load_config,
    newest_cg_config,
    space_processor,
    view_processor,
)
from saltwort.core.engine.applying import BAND_PIXELS
from saltwort.core.engine.loading import MAX_CONFIG_BYTES
from saltwort.core.errors import BadInput
from tests.samples import (
    ACES_SDR,
    GAMUT_COMPRESSION,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_config,
    base_text,
    light,
)


class Loading(TestCase):
    def test_newest_built_in_config_loads(self) -> None:
        self.assertTrue(newest_cg_config().startswith("cg-config-v"))
        self.assertEqual(load_config(base_text()).getName(), newest_cg_config())

    def test_what_does_not_parse_is_refused_in_one_sentence(self) -> None:
        for text in (
            "",
            "hello",
            "a: [",
            "ocio_profile_version: 2\n",
            "ocio_profile_version: 9\n",
            "\0\0binary",
            base_text().replace("scene_linear: ACEScg", "scene_linear: Nowhere"),
            base_text().replace("colorspace: ACES2065-1, pattern", "colorspace: Nowhere, pattern"),
        ):
            with self.subTest(text[:30]), self.assertRaises(BadInput) as refused:
                load_config(text)
            self.assertNotIn("\n", str(refused.exception))
            self.assertLess(len(str(refused.exception)), 400)

    def test_too_large_a_config_is_refused_before_it_is_parsed(self) -> None:
        with self.assertRaisesRegex(BadInput, "larger than 8 MB"):
            load_config(base_text() + "#" * MAX_CONFIG_BYTES)

    def test_unknown_built_in_config(self) -> None:
        with self.assertRaisesRegex(BadInput, "no built-in config"):
            builtin_text("../../etc/passwd")


class Processors(TestCase):
    def test_space_to_space_by_name_alias_and_role(self) -> None:
        expected = apply_to_colour(space_processor(base_config(), SRGB, "ACEScg"), (0.5, 0.2, 0.7))
        self.assertEqual(
            apply_to_colour(space_processor(base_config(), "srgb_tx", "scene_linear"), (0.5, 0.2, 0.7)), expected
        )

    def test_a_plain_view_is_the_engines_own_to_the_bit(self) -> None:
        transform = ocio.DisplayViewTransform(src="ACEScg", display=SRGB_DISPLAY, view=ACES_SDR.view)
        own = base_config().getProcessor(transform).getDefaultCPUProcessor()
        for colour in light(1, 64)[0].tolist():
            self.assertEqual(
                list(apply_to_colour(view_processor(base_config(), "ACEScg", ACES_SDR), colour)), own.applyRGB(colour)
            )

    def test_exposure_doubles_light_per_stop(self) -> None:
        once = apply_to_colour(view_processor(base_config(), "ACEScg", UNTONED, exposure=1.0), (0.1, 0.2, 0.05))
        doubled = apply_to_colour(view_processor(base_config(), "ACEScg", UNTONED), (0.2, 0.4, 0.1))
        np.testing.assert_allclose(once, doubled, atol=1e-6)

    def test_exposure_acts_on_light_whatever_the_source_space(self) -> None:
        encoded = apply_to_colour(space_processor(base_config(), "ACEScg", SRGB), (0.1, 0.2, 0.05))
        from_encoded = apply_to_colour(view_processor(base_config(), SRGB, ACES_SDR, exposure=2.0), encoded)
        from_linear = apply_to_colour(view_processor(base_config(), "ACEScg", ACES_SDR), (0.4, 0.8, 0.2))
        np.testing.assert_allclose(from_encoded, from_linear, atol=2e-5)  # two more curves, in float32

    def test_a_look_is_applied_before_the_view(self) -> None:
        saturated = (1.2, -0.2, 0.1)
        choice = ViewChoice(SRGB_DISPLAY, UNTONED.view, GAMUT_COMPRESSION)
        look = base_config().getProcessor(ocio.LookTransform("ACEScg", "ACEScg", GAMUT_COMPRESSION))
        compressed = look.getDefaultCPUProcessor().applyRGB(list(saturated))
        expected = apply_to_colour(view_processor(base_config(), "ACEScg", UNTONED), tuple(compressed))
        seen = apply_to_colour(view_processor(base_config(), "ACEScg", choice), saturated)
        np.testing.assert_allclose(seen, expected, atol=1e-5)
        self.assertGreater(
            abs(seen[1] - apply_to_colour(view_processor(base_config(), "ACEScg", UNTONED), saturated)[1]), 0.01
        )

    def test_data_passes_a_view_untouched_even_when_exposed(self) -> None:
        processor = view_processor(base_config(), "Raw", ACES_SDR, exposure=3.0)
        np.testing.assert_array_equal(apply_to_colour(processor, (0.25, 0.5, 2.0)), (0.25, 0.5, 2.0))

    def test_what_the_config_lacks_is_refused_in_words(self) -> None:
        cases = (
            (lambda: space_processor(base_config(), "Nowhere", "ACEScg"), "no colour space “Nowhere”"),
            (lambda: view_processor(base_config(), "ACEScg", ViewChoice("Nowhere", "Raw")), "no display “Nowhere”"),
            (lambda: view_processor(base_config(), "ACEScg", ViewChoice(SRGB_DISPLAY, "No")), "no view “No”"),
            (lambda: view_processor(base_config(), "ACEScg", ViewChoice(SRGB_DISPLAY, "Raw", "No")), "no look “No”"),
            (lambda: view_processor(base_config(), "ACEScg", UNTONED, exposure=99.0), "stops"),
            (lambda: view_processor(base_config(), "ACEScg", UNTONED, exposure=float("nan")), "stops"),
        )
        for make, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                make()


class Applying(TestCase):
    def test_bands_on_threads_give_the_same_bits_as_one_call(self) -> None:
        pixels = light(height=BAND_PIXELS // 64, width=320)
        processor = view_processor(base_config(), "ACEScg", ACES_SDR)
        alone = pixels.copy()
        processor.applyRGB(alone)
        np.testing.assert_array_equal(apply(processor, pixels), alone)

    def test_the_pixels_given_are_left_alone(self) -> None:
        pixels = light()
        before = pixels.copy()
        apply(view_processor(base_config(), "ACEScg", UNTONED), pixels)
        np.testing.assert_array_equal(pixels, before)

    def test_alpha_passes_and_odd_layouts_are_taken(self) -> None:
        pixels = np.concatenate([light(), np.full((24, 40, 1), 0.25, np.float32)], axis=-1)
        processor = view_processor(base_config(), "ACEScg", UNTONED)
        result = apply(processor, pixels)
        np.testing.assert_array_equal(result[..., 3], 0.25)
        np.testing.assert_array_equal(result[..., :3], apply(processor, pixels[..., :3]))
        np.testing.assert_array_equal(apply(processor, pixels[::-1]), result[::-1])

    def test_progress_is_told_and_may_stop(self) -> None:
        shares: list[float] = []
        processor = view_processor(base_config(), "ACEScg", UNTONED)
        apply(processor, light(2000, 100), shares.append)
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(shares[-1], 1.0)
        self.assertGreater(len(shares), 1)

        def stop(share: float) -> None:
            raise InterruptedError

        with self.assertRaises(InterruptedError):
            apply(processor, light(2000, 100), stop)
