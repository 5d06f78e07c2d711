"""Renders, probes, and the files that leave the project: read back with the image library and the engine."""

import math

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, read_header, read_pixels
from saltwort.core.outputs import still_tags, write_handoff, write_still
from saltwort.core.scene.renders import probe, render_space
from saltwort.core.spaces.gamuts import AP1, REC709
from saltwort.core.textures.rules import Rule, RuleBook
from tests.core.test_images import ImageTestCase
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, SRGB_DISPLAY, UNTONED, light, project_config, write

RULES = RuleBook(project_config(), (), SRGB)


def header(**tags: object) -> Header:
    return Header("EXR", 4, 4, ("R", "G", "B"), "half", "zip", tags)  # type: ignore[arg-type]


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
    def test_light_stops_and_code_values(self) -> None:
        pixels = light(20, 30)
        pixels[7, 11] = (0.18, 0.36, 0.0)
        found = probe(project_config(), pixels, "ACEScg", (11, 7), 1, [(UNTONED, 0.0), (ACES_SDR, 1.0)])
        np.testing.assert_allclose(found.light, (0.18, 0.36, 0.0), atol=1e-6)
        self.assertAlmostEqual(found.stops[0] or math.nan, 0.0, places=5)
        self.assertAlmostEqual(found.stops[1] or math.nan, 1.0, places=5)
        self.assertIsNone(found.stops[2])
        for view, (choice, exposure) in zip(found.views, ((UNTONED, 0.0), (ACES_SDR, 1.0)), strict=True):
            processor = view_processor(project_config(), "ACEScg", choice, exposure)
            expected = apply(processor, pixels)[7, 11]
            np.testing.assert_allclose(view.values, expected, atol=1e-6)
            self.assertEqual(list(view.code_values), np.round(np.clip(expected, 0, 1) * 255).astype(int).tolist())

    def test_a_sample_is_the_mean_of_light_and_is_cut_at_the_edge(self) -> None:
        pixels = light(20, 30)
        found = probe(project_config(), pixels, "ACEScg", (0, 0), 5, [])
        np.testing.assert_allclose(found.light, pixels[:3, :3].reshape(-1, 3).mean(axis=0), rtol=1e-6)

    def test_a_render_in_another_space_is_converted(self) -> None:
        pixels = light()
        found = probe(project_config(), pixels, LINEAR_REC709, (3, 4), 1, [])
        expected = apply(space_processor(project_config(), LINEAR_REC709, "ACEScg"), pixels)[4, 3]
        np.testing.assert_allclose(found.light, expected, rtol=1e-6)

    def test_clipped_channels_are_marked(self) -> None:
        pixels = np.full((2, 2, 3), (4.0, 0.1, 0.1), np.float32)
        found = probe(project_config(), pixels, LINEAR_REC709, (0, 0), 1, [(UNTONED, 0.0)])
        self.assertEqual(found.views[0].clipped, (True, False, False))

    def test_a_point_outside_is_refused(self) -> None:
        for at in ((40, 0), (0, 24), (-1, 0)):
            with self.assertRaisesRegex(BadInput, "outside the picture"):
                probe(project_config(), light(24, 40), "ACEScg", at, 1, [])


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

    def test_stills_are_tagged_for_their_display(self) -> None:
        for display, view, code_points in (
            (SRGB_DISPLAY, "Raw", (1, 13, 0, 1)),
            ("Display P3 - Display", "Raw", (12, 13, 0, 1)),
            ("Rec.2100-PQ - Display", "Raw", (9, 16, 0, 1)),
        ):
            target = self.folder / "tagged.png"
            write_still(project_config(), self.source, "ACEScg", ViewChoice(display, view), target)
            with self.subTest(display):
                self.assertEqual(read_header(target).tags["CICP"], code_points)
                self.assertIn(b"cICP", target.read_bytes())
        self.assertEqual(still_tags(project_config(), "Gamma 2.6 P3-D65 - Display"), {})

    def test_an_srgb_still_has_the_srgb_chunk_too(self) -> None:
        write_still(project_config(), self.source, "ACEScg", ACES_SDR, self.folder / "a.png")
        self.assertIn(b"sRGB", (self.folder / "a.png").read_bytes())

    def test_code_points_are_those_of_the_image_library(self) -> None:
        for space in ("srgb_rec709_display", "srgb_p3d65_display", "pq_rec2020_display", "pq_p3d65_display"):
            display = project_config().getColorSpace(space).getName()
            primaries, transfer, matrix, full_range = still_tags(project_config(), display)["CICP"]  # type: ignore[misc]
            self.assertEqual([primaries, transfer], list(oiio.ColorConfig().get_cicp(space))[:2])
            self.assertEqual((matrix, full_range), (0, 1))  # PNG holds RGB, so the third edition asks for 0

    def test_refusals_leave_nothing_behind(self) -> None:
        cases = (
            ("a.gif", {}, "a still ends with"),
            ("a.jpg", {}, "not uint16"),
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
        self.assertIn("Applying the view", [doing for _, doing in told])

        def stop(share: float, doing: str) -> None:
            if doing == "Writing the file":
                raise InterruptedError

        other = self.folder / "b.png"
        with self.assertRaises(InterruptedError):
            write_still(project_config(), self.source, "ACEScg", ACES_SDR, other, progress=stop)
        self.assertFalse(other.exists())


class HandOffFiles(ImageTestCase):
    def test_light_is_kept_and_the_header_names_the_space(self) -> None:
        pixels = light(60, 80, peak=40)
        source = write(self.folder / "render.exr", pixels, "float")
        for space, gamut, interop_id in (("ACEScg", AP1, "lin_ap1_scene"), (LINEAR_REC709, REC709, "lin_rec709_scene")):
            target = self.folder / f"{interop_id}.exr"
            written = write_handoff(project_config(), source, "ACEScg", space, target)
            expected = apply(space_processor(project_config(), "ACEScg", space), pixels)
            with self.subTest(space):
                np.testing.assert_array_equal(read_pixels(target), expected.astype(np.float16).astype(np.float32))
                tags = read_header(target).tags
                self.assertEqual(tags["colorInteropID"], interop_id)
                np.testing.assert_allclose(tags["chromaticities"], gamut.chromaticities, atol=1e-6)
                self.assertEqual(read_header(target).bit_depth, "half")
                self.assertGreater(read_pixels(target).max(), 10)
                self.assertEqual(written.clipped, 0.0)

    def test_a_space_of_unknown_primaries_gets_no_chromaticities(self) -> None:
        source = write(self.folder / "render.exr", light(), "float")
        write_handoff(project_config(), source, "ACEScg", "lin_adobergb_scene", self.folder / "a.exr")
        self.assertNotIn("chromaticities", read_header(self.folder / "a.exr").tags)
