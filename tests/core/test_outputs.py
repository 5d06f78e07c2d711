"""Renders, probes, and the files that leave the project: read back with the image library and the engine."""

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio

from saltwort.core.configs.additions import OWN_LOOKS, AddedSpace
from saltwort.core.configs.tags import still_tags
from saltwort.core.deliverables import Defaults, Source, deliverables
from saltwort.core.engine import ViewChoice, apply, load_config, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, read_header, read_pixels
from saltwort.core.project import compose
from saltwort.core.scene.renders import follow, mean_of, render_space
from saltwort.core.spaces.gamuts import AP1, REC709
from saltwort.core.textures.rules import Rule, RuleBook
from tests.core.test_images import ImageTestCase
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    PQ_ACES,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    light,
    project_config,
    sample_setup,
    write,
    write_still,
)

RULES = RuleBook(project_config(), (), SRGB)


def header(**tags: object) -> Header:
    return Header("EXR", 4, 4, ("R", "G", "B"), "half", "zip", tags)  # type: ignore[arg-type]


def written_light(config: ocio.Config, file: Path, space: str, target_space: str, target: Path) -> Any:
    """A picture as scene-linear EXR in another space, and what was read back."""
    made = deliverables()["light"]
    settings = made.settings_from({"space": target_space}, Defaults(ACES_SDR, "ACEScg"))
    return made.write(config, [Source(file, space)], settings, target, lambda share, doing: None)


class RenderSpaces(ImageTestCase):
    def test_interop_id_then_chromaticities_then_working_space(self) -> None:
        config = project_config()
        told = render_space(
            config, RULES, "dusk.exr", header(colorInteropID="lin_rec709_scene", chromaticities=AP1.chromaticities)
        )
        self.assertEqual((told.space, told.told_by), (LINEAR_REC709, "header"))
        told = render_space(config, RULES, "dusk.exr", header(chromaticities=REC709.chromaticities))
        self.assertEqual((told.space, told.told_by), (LINEAR_REC709, "chromaticities"))
        told = render_space(config, RULES, "dusk.exr", header(colorInteropID="nobody_knows", chromaticities=(0.1,) * 8))
        self.assertEqual((told.space, told.told_by), ("ACEScg", "working space"))
        told = render_space(config, RULES, "dusk_lin_rec2020.exr", header())
        self.assertEqual((told.space, told.told_by), ("Linear Rec.2020", "name"))
        by_rule = RuleBook(config, (Rule("Dailies", "glob", LINEAR_REC709, pattern="dusk*", extension="*"),), SRGB)
        told = render_space(config, by_rule, "dusk.exr", header())
        self.assertEqual((told.space, told.told_by), (LINEAR_REC709, "rule Dailies"))


class Probing(ImageTestCase):
    config = project_config()

    def test_light_is_followed_through_look_view_and_display(self) -> None:
        light_there = (0.18, 0.36, 0.0)
        for choice, exposure in ((UNTONED, 0.0), (ACES_SDR, 1.0)):
            found = follow(self.config, light_there, "ACEScg", choice, exposure)
            np.testing.assert_allclose(found.light, light_there, atol=1e-6)
            stops = [value if value is not None else math.nan for value in found.stops]
            np.testing.assert_allclose(stops, (exposure, 1 + exposure, math.nan), atol=1e-5)
            np.testing.assert_allclose(found.looked, np.multiply(light_there, 2**exposure), atol=1e-6)
            processor = view_processor(self.config, "ACEScg", choice, exposure)
            expected = processor.applyRGB(list(light_there))
            np.testing.assert_allclose(found.values, expected, atol=1e-6)
            seen = np.clip(expected, 0, 1)
            for codes, bits in zip(found.code_values, (8, 10, 12, 16), strict=True):
                self.assertEqual(list(codes), np.round(seen * (2**bits - 1)).astype(int).tolist())

    def test_the_displays_light_by_the_standards(self) -> None:
        white = follow(self.config, (1.0, 1.0, 1.0), LINEAR_REC709, UNTONED, 0.0)
        self.assertAlmostEqual(white.nits or 0, 100, delta=0.05)
        np.testing.assert_allclose(white.xy or (), (0.3127, 0.3290), atol=2e-4)
        red = follow(self.config, (0.5, 0.0, 0.0), LINEAR_REC709, UNTONED, 0.0)
        np.testing.assert_allclose(red.xy or (), (0.64, 0.33), atol=1e-3)
        # 1000 nits in PQ (SMPTE ST 2084) is 0.7518.
        peak = follow(self.config, (500.0,) * 3, "ACEScg", PQ_ACES, 0.0)
        np.testing.assert_allclose(peak.values, [0.7518] * 3, atol=2e-3)
        self.assertAlmostEqual(peak.nits or 0, 1000, delta=20)
        raw = follow(self.config, (0.5,) * 3, "ACEScg", ViewChoice(SRGB_DISPLAY, "Raw"), 0.0)
        self.assertEqual((raw.nits, raw.xy, raw.in_gamut), (None, None, None))

    def test_what_the_display_cannot_make_is_told(self) -> None:
        for numbers, space, expected in (
            ((0.5, 0.3, 0.1), LINEAR_REC709, True),
            ((3.0, 3.0, 3.0), LINEAR_REC709, True),
            ((0.0, 0.5, 0.0), "ACEScg", False),
        ):
            self.assertEqual(follow(self.config, numbers, space, UNTONED, 0.0).in_gamut, expected)

    def test_a_look_is_seen_by_itself(self) -> None:
        config = load_config(compose(base_archive(), replace(sample_setup(), added_looks=OWN_LOOKS), "x"))
        choice = replace(ACES_SDR, look="Salt Air")
        found = follow(config, (0.4, 0.2, 0.1), "ACEScg", choice, 0.0)
        look = config.getProcessor(ocio.LookTransform("ACEScg", "ACEScg", "Salt Air")).getDefaultCPUProcessor()
        np.testing.assert_allclose(found.looked, look.applyRGB([0.4, 0.2, 0.1]), atol=1e-6)
        through = view_processor(config, "ACEScg", ACES_SDR).applyRGB(list(found.looked))
        np.testing.assert_allclose(found.values, through, atol=2e-4)

    def test_a_sample_is_the_mean_of_light(self) -> None:
        pixels = light(3, 3)
        np.testing.assert_allclose(mean_of(pixels), pixels.reshape(-1, 3).mean(axis=0), rtol=1e-6)
        pixels[1, 1] = np.nan
        np.testing.assert_allclose(mean_of(pixels), np.nanmean(pixels.reshape(-1, 3), axis=0), rtol=1e-6)
        self.assertTrue(np.isnan(mean_of(np.full((2, 2, 3), np.nan, np.float32))).all())

    def test_a_render_in_another_space_is_converted(self) -> None:
        found = follow(self.config, (0.4, 0.2, 0.1), LINEAR_REC709, ACES_SDR, 0.0)
        expected = space_processor(self.config, LINEAR_REC709, "ACEScg").applyRGB([0.4, 0.2, 0.1])
        np.testing.assert_allclose(found.light, expected, rtol=1e-6)

    def test_clipped_channels_are_marked(self) -> None:
        found = follow(self.config, (4.0, 0.1, 0.1), LINEAR_REC709, UNTONED, 0.0)
        self.assertEqual(found.clipped, (True, False, False))


class Stills(ImageTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.pixels = light(60, 80)
        self.source = write(self.folder / "render.exr", self.pixels, "float")

    def test_a_still_holds_the_engines_numbers_rounded_once(self) -> None:
        view = ocio.DisplayViewTransform(src="ACEScg", display=ACES_SDR.display, view=ACES_SDR.view)
        expected = self.pixels.copy()
        project_config().getProcessor(view).getDefaultCPUProcessor().applyRGB(expected)
        for sample_type, steps in (("uint8", 255), ("uint16", 65535)):
            target = self.folder / f"{sample_type}.png"
            written = write_still(project_config(), self.source, "ACEScg", ACES_SDR, target, sample_type=sample_type)
            # Half a step, and what float32 rounds at a tie.
            self.assertLessEqual(np.abs(read_pixels(target) - np.clip(expected, 0, 1)).max(), 0.5 / steps + 1e-7)
            self.assertLessEqual(written.largest_error, 0.5 / steps + 1e-6)

    def test_what_does_not_fit_is_counted(self) -> None:
        written = write_still(project_config(), self.source, "ACEScg", UNTONED, self.folder / "a.png")
        shown = apply(view_processor(project_config(), "ACEScg", UNTONED), self.pixels)
        self.assertAlmostEqual(written.clipped, float(((shown > 1) | (shown < 0)).mean()), places=9)
        self.assertGreater(written.clipped, 0)

    def test_an_srgb_still_has_the_srgb_chunk_too(self) -> None:
        write_still(project_config(), self.source, "ACEScg", ACES_SDR, self.folder / "a.png")
        self.assertIn(b"sRGB", (self.folder / "a.png").read_bytes())

    def test_code_points_are_those_of_the_image_library(self) -> None:
        for space in ("srgb_rec709_display", "srgb_p3d65_display", "pq_rec2020_display", "pq_p3d65_display"):
            display = project_config().getColorSpace(space).getName()
            tags = still_tags(project_config(), ViewChoice(display, "Un-tone-mapped"), ".png")
            primaries, transfer, matrix, full_range = tags["CICP"]  # type: ignore[misc]
            self.assertEqual([primaries, transfer], list(oiio.ColorConfig().get_cicp(space))[:2])
            self.assertEqual((matrix, full_range), (0, 1))  # PNG holds RGB, so the third edition asks for 0

    def test_values_that_are_no_numbers_are_counted_and_floats_are_not_clipped(self) -> None:
        self.pixels[3, 4] = np.nan
        self.pixels[5, 6] = 1e5
        source = write(self.folder / "odd.exr", self.pixels, "float")
        raw = ViewChoice(SRGB_DISPLAY, "Raw")
        in_float = write_still(project_config(), source, "ACEScg", raw, self.folder / "a.exr", sample_type="float")
        self.assertEqual((in_float.clipped, in_float.not_finite), (0.0, 3))
        in_half = write_still(project_config(), source, "ACEScg", raw, self.folder / "b.exr", sample_type="half")
        self.assertAlmostEqual(in_half.clipped, 3 / self.pixels.size)
        self.assertEqual(write_still(project_config(), source, "ACEScg", raw, self.folder / "c.png").not_finite, 3)

    def test_refusals_leave_nothing_behind(self) -> None:
        cases = (
            ("a.gif", {}, "a still ends with"),
            ("a.jpg", {}, "JPEG holds 8-bit samples here, not 16-bit"),
            ("a.png", {"exposure": 99.0}, "stops"),
        )
        for name, options, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                write_still(project_config(), self.source, "ACEScg", ACES_SDR, self.folder / name, **options)
            self.assertEqual([file.name for file in self.folder.iterdir()], ["render.exr"])

    def test_progress_runs_from_nothing_to_nearly_all_and_may_stop(self) -> None:
        told: list[tuple[float, str]] = []
        target = self.folder / "a.png"
        write_still(project_config(), self.source, "ACEScg", ACES_SDR, target, progress=lambda *step: told.append(step))
        shares = [share for share, _ in told]
        self.assertEqual((shares[0], shares), (0.0, sorted(shares)))
        self.assertIn("Applying the view and writing", [doing for _, doing in told])

        def stop(share: float, doing: str) -> None:
            if doing == "Applying the view and writing":
                raise KeyboardInterrupt

        other = self.folder / "b.png"
        with self.assertRaises(KeyboardInterrupt):
            write_still(project_config(), self.source, "ACEScg", ACES_SDR, other, progress=stop)
        self.assertFalse(other.exists())


class HandOffFiles(ImageTestCase):
    def test_light_is_kept_and_the_header_names_the_space(self) -> None:
        pixels = light(60, 80, peak=40)
        source = write(self.folder / "render.exr", pixels, "float")
        for space, gamut, interop_id in (("ACEScg", AP1, "lin_ap1_scene"), (LINEAR_REC709, REC709, "lin_rec709_scene")):
            target = self.folder / f"{interop_id}.exr"
            written = written_light(project_config(), source, "ACEScg", space, target)
            expected = apply(space_processor(project_config(), "ACEScg", space), pixels)
            with self.subTest(space):
                np.testing.assert_array_equal(read_pixels(target), expected.astype(np.float16).astype(np.float32))
                tags = read_header(target).tags
                self.assertEqual(tags["colorInteropID"], interop_id)
                np.testing.assert_allclose(tags["chromaticities"], gamut.chromaticities, atol=1e-6)
                self.assertEqual(read_header(target).bit_depth, "half")
                self.assertGreater(read_pixels(target).max(), 10)
                self.assertEqual(written.clipped, 0.0)

    def test_primaries_of_any_linear_space_are_written(self) -> None:
        source = write(self.folder / "render.exr", light(), "float")
        primaries = (0.70, 0.30, 0.17, 0.80, 0.13, 0.04, 0.3127, 0.3290)
        setup = replace(sample_setup(), added_spaces=(AddedSpace("Linear buoy", primaries),))
        config = load_config(compose(base_archive(), setup, "x"))
        written_light(config, source, "ACEScg", "Linear buoy", self.folder / "a.exr")
        tags = read_header(self.folder / "a.exr").tags
        np.testing.assert_allclose(tags["chromaticities"], primaries, atol=1e-5)

    def test_alpha_goes_along_and_light_at_alpha_0_too(self) -> None:
        flame = np.zeros((6, 8, 4), np.float32)
        flame[..., :3] = (8.0, 3.0, 0.5)
        flame[:3, :, 3] = 0.5
        source = write(self.folder / "flame.exr", flame, "float")
        written = written_light(project_config(), source, "ACEScg", "ACEScg", self.folder / "a.exr")
        header = read_header(self.folder / "a.exr")
        self.assertEqual((header.channel_names, header.alpha), (("R", "G", "B", "A"), "associated"))
        np.testing.assert_allclose(read_pixels(self.folder / "a.exr", alpha=True), flame)
        self.assertEqual(written.largest_error, 0.0)
        straight = np.full((6, 8, 4), 0.5, np.float32)
        source = write(self.folder / "leaf.png", straight, "uint16")
        written_light(project_config(), source, SRGB, "ACEScg", self.folder / "b.exr")
        found = read_pixels(self.folder / "b.exr", alpha=True)
        meant = apply(space_processor(project_config(), SRGB, "ACEScg"), read_pixels(source)) * found[..., 3:]
        np.testing.assert_allclose(found[..., :3], meant, atol=2e-4)

    def test_an_encoded_space_gets_none(self) -> None:
        source = write(self.folder / "render.exr", light(), "float")
        written_light(project_config(), source, "ACEScg", SRGB, self.folder / "a.exr")
        self.assertNotIn("chromaticities", read_header(self.folder / "a.exr").tags)
