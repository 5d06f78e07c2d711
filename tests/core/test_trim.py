"""Trimming with proof: what stays, what goes, and that no colour moves."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import Trim, extent, prove_equal
from saltwort.core.configs.proof import proof_colours
from saltwort.core.configs.trim import trim
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import compose
from saltwort.core.views import AddedView
from tests.core.test_archives import LUT, config_with_luts
from tests.core.test_explain import STUDIO
from tests.samples import (
    ACES_SDR,
    GAMUT_COMPRESSION,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    base_config,
    fresh_config,
    sample_setup,
)

STUDIO_ARCHIVE = ConfigArchive(builtin_text(STUDIO))


def spaces_of(config: ocio.Config) -> set[str]:
    return set(config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL))


class ProofColours(TestCase):
    def test_the_set_is_large_fixed_and_of_every_sort(self) -> None:
        colours = proof_colours()
        self.assertGreaterEqual(len(colours), 4096)
        greys = colours[np.ptp(colours, axis=1) == 0]
        self.assertGreaterEqual(np.log2(greys.max() / greys[greys > 0].min()), 20)
        self.assertGreater((colours < 0).any(axis=1).sum(), 200)
        self.assertGreater((colours > 1).any(axis=1).sum(), 500)
        saturated = (colours.min(axis=1) == 0) & (colours.max(axis=1) > 0)
        self.assertGreater(saturated.sum(), 300)
        self.assertTrue(np.isfinite(colours).all())
        with self.assertRaises(ValueError):
            colours[0] = 0

    def test_a_difference_anywhere_is_found(self) -> None:
        def with_space(blue: float) -> ocio.Config:
            config = fresh_config()
            scale = ocio.MatrixTransform.Scale([1.0, 1.0, blue, 1.0])
            config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "scaled", toReference=scale))
            return config

        proof = prove_equal(with_space(1.0), with_space(1.0001), [SRGB, "scaled"], [UNTONED])
        self.assertEqual(proof.where, "scaled")
        self.assertGreater(proof.largest, 0)
        self.assertEqual(prove_equal(with_space(1.0), with_space(1.0001), [SRGB], [UNTONED]).largest, 0.0)

    def test_what_only_one_can_compute_is_an_infinite_difference(self) -> None:
        proof = prove_equal(base_config(), load_config(trim(base_archive(), Trim((), (UNTONED,)))), ["ACEScc"], [])
        self.assertEqual(proof.largest, float("inf"))

    def test_what_neither_can_compute_is_named(self) -> None:
        config = load_config(ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT}))
        proof = prove_equal(config, config, ["curved", "broken"], [])
        self.assertEqual((proof.largest, proof.compared), (0.0, 2))
        self.assertIn("lost.cube", proof.unproved[0])


class Trimming(TestCase):
    picked = Trim(("ACEScg", SRGB), (ACES_SDR, UNTONED))

    def test_a_studio_config_to_a_handful_with_every_colour_kept(self) -> None:
        part = trim(STUDIO_ARCHIVE, self.picked)
        before, after = extent(STUDIO_ARCHIVE), extent(part)
        self.assertLess(after.spaces, 11)
        self.assertLess(after.views, 3)
        self.assertLess(after.bytes, before.bytes / 3)
        config = load_config(part)
        views = [ViewChoice(display, view) for display in config.getDisplays() for view in config.getViews(display)]
        self.assertEqual(set(views), {ACES_SDR, UNTONED})
        proof = prove_equal(load_config(STUDIO_ARCHIVE), config, spaces_of(config), views)
        self.assertEqual((proof.largest, proof.unproved), (0.0, ()))
        self.assertGreater(proof.compared, 10)

    def test_what_the_picked_depends_on_stays(self) -> None:
        config = load_config(trim(STUDIO_ARCHIVE, self.picked))
        for role in ("scene_linear", "aces_interchange", "cie_xyz_d65_interchange", "data", "compositing_log"):
            self.assertTrue(config.hasRole(role), role)
        rules = load_config(STUDIO_ARCHIVE).getFileRules()
        self.assertLessEqual({rules.getColorSpace(index) for index in range(rules.getNumEntries())}, spaces_of(config))
        self.assertIn(SRGB_DISPLAY, spaces_of(config))
        self.assertNotIn("ARRI LogC4", spaces_of(config))
        self.assertEqual(list(config.getLookNames()), [])

    def test_a_look_keeps_its_process_space(self) -> None:
        config = load_config(trim(STUDIO_ARCHIVE, replace(self.picked, looks=(GAMUT_COMPRESSION,))))
        self.assertEqual(list(config.getLookNames()), [GAMUT_COMPRESSION])
        self.assertIn("ACES2065-1", spaces_of(config))

    def test_spaces_that_refer_to_others_keep_them(self) -> None:
        config = fresh_config()
        transform = ocio.GroupTransform([ocio.ColorSpaceTransform("ACEScc", "ACES2065-1")])
        config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "borrowed", toReference=transform))
        kept = load_config(trim(ConfigArchive(config.serialize()), replace(self.picked, spaces=("borrowed",))))
        self.assertLessEqual({"borrowed", "ACEScc", "ACES2065-1"}, spaces_of(kept))

    def test_only_luts_that_something_needs_are_packed(self) -> None:
        archive = ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT, "luts/other.spi1d": LUT})
        self.assertEqual(list(trim(archive, replace(self.picked, spaces=("curved",))).files), ["luts/curve.spi1d"])
        self.assertEqual(dict(trim(archive, self.picked).files), {})

    def test_views_of_ones_own_keep_their_curve(self) -> None:
        views = (AddedView(SRGB_DISPLAY, "AgX", "agx"), AddedView(SRGB_DISPLAY, "Filmic", "filmic"))
        agx = ViewChoice(SRGB_DISPLAY, "AgX")
        setup = replace(sample_setup(), added_views=views, view=agx)
        part = compose(base_archive(), replace(setup, trim=Trim((), ())), "sample")
        self.assertEqual(len(part.files), 2)  # its curve and its power; filmic, which is cut, had one
        self.assertEqual(load_config(part).getDefaultView(SRGB_DISPLAY), "AgX")
        whole = load_config(compose(base_archive(), setup, "sample"))
        self.assertEqual(prove_equal(whole, load_config(part), ["ACEScg"], [agx]).largest, 0.0)

    def test_the_engine_has_nothing_to_remark_on(self) -> None:
        part = trim(STUDIO_ARCHIVE, self.picked)
        said: list[str] = []
        ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_INFO)
        ocio.SetLoggingFunction(said.append)
        self.addCleanup(ocio.ResetToDefaultLoggingFunction)
        load_config(part)
        self.assertEqual(said, [])

    def test_refusals(self) -> None:
        cases = (
            (Trim(("Nowhere",), (UNTONED,)), "no colour space “Nowhere”"),
            (Trim((), (UNTONED,), ("Nowhere",)), "no look “Nowhere”"),
            (Trim(("ACEScg",), ()), "Keep at least one view"),
            (Trim(("ACEScg",), (ViewChoice(SRGB_DISPLAY, "Nowhere"),)), "Keep at least one view"),
        )
        for picked, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                trim(base_archive(), picked)
