"""What an artist decides of a scene, and what is told of it: settings, files, references, marks, picking, gamuts."""

from dataclasses import replace
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from saltwort.core.configs import working_spaces
from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.engine.typed import code_values, typed_in, xyz_of
from saltwort.core.errors import BadInput
from saltwort.core.scene.decisions import (
    FIRST_LIGHTS,
    SWATCH,
    Scene,
    Swatch,
    check_scene,
    with_swatch,
    without_swatches,
)
from saltwort.core.scene.overlays import MARKS, flat, mark, marked_share, striped
from saltwort.core.scene.picking import meanings
from saltwort.core.scene.reflectances import references, remark
from saltwort.core.scene.rig.chart import COLUMNS, ROWS, lab_to_xyz, patches, read_chart
from saltwort.core.scene.rig.stage import Input, ball_texture
from saltwort.core.scene.sameness import same_colour
from saltwort.core.scene.swatch_files import OF_APPEARANCE, chart_rows, read_swatches, swatch_rows
from saltwort.core.scene.swatches import colour_facts
from saltwort.core.scene.working_space import describe_working_space
from saltwort.core.spaces.gamuts import AP1, D65, REC709, rgb_to_rgb, rgb_to_xyz, xy_to_xyz
from saltwort.core.spaces.typed import TypedColour
from tests.samples import LINEAR_REC709, SRGB, SRGB_DISPLAY, UNTONED, fresh_config, light, project_config

TEAL = TypedColour(SRGB, "8-bit", "47 106 104")


class Settings(TestCase):
    scene = Scene(
        swatches=(Swatch("teal", TEAL), Swatch("flame", TypedColour("", "kelvin", "1900"), "light")),
        lights=tuple(replace(row, swatch="flame") if row.name == "flame" else row for row in FIRST_LIGHTS),
        swatch_on_rig="teal",
        inputs=(("stone", SWATCH + "teal"), ("brass", "lamp/brass.png")),
    )

    def test_a_swatch_is_called_otherwise_wherever_it_is_used(self) -> None:
        renamed = with_swatch(self.scene, "teal", Swatch("enamel", TEAL))
        renamed = with_swatch(renamed, "flame", Swatch("fire", TypedColour("", "kelvin", "1800"), "light"))
        self.assertEqual(renamed.swatch_on_rig, "enamel")
        self.assertEqual(dict(renamed.inputs), {"stone": SWATCH + "enamel", "brass": "lamp/brass.png"})
        flame = next(row for row in renamed.lights if row.name == "flame")
        self.assertEqual((flame.swatch, renamed.colour_of(flame).text), ("fire", "1800"))
        check_scene(renamed)

    def test_a_light_keeps_the_colour_of_a_swatch_that_is_deleted(self) -> None:
        left = without_swatches(self.scene, ["flame", "teal"], self.scene)
        flame = next(row for row in left.lights if row.name == "flame")
        self.assertEqual((flame.swatch, flame.colour), ("", TypedColour("", "kelvin", "1900")))
        self.assertEqual((left.swatch_on_rig, left.slot_swatches), ("", {}))

    def test_what_a_light_is_multiplied_by(self) -> None:
        key = replace(FIRST_LIGHTS[1], intensity=3.0, stops=-1.0)
        self.assertEqual((key.gain, replace(key, muted=True).gain), (1.5, 0.0))

    def test_the_spaces_that_colours_name(self) -> None:
        self.assertEqual(self.scene.spaces, {SRGB})

    def test_refusals(self) -> None:
        check_scene(self.scene)
        first, *others = self.scene.lights
        for scene, words in (
            (replace(self.scene, swatches=(Swatch(" ", TEAL),)), "needs a name"),
            (replace(self.scene, swatches=(Swatch("x" * 81, TEAL),)), "up to 80"),
            (replace(self.scene, swatches=(Swatch("a\nb", TEAL),)), "printed"),
            (replace(self.scene, swatches=(Swatch("a", TEAL), Swatch("a", TEAL))), "“a” already"),
            (replace(self.scene, swatches=(Swatch("a", TEAL, "paint"),)), "surface, metal, light"),
            (replace(self.scene, swatches=(Swatch("a", replace(TEAL, text="300 0 0")),)), "a: 8-bit"),
            (replace(self.scene, swatches=tuple(Swatch(str(n), TEAL) for n in range(1001))), "up to 1,000"),
            (replace(self.scene, lights=tuple(others)), "has the lights"),
            (replace(self.scene, lights=(replace(first, stops=float("nan")), *others)), "−20 to"),
            (replace(self.scene, lights=(replace(first, intensity=float("inf")), *others)), "0 to 1,000,000"),
            (
                replace(self.scene, lights=(replace(first, colour=TypedColour("", "kelvin", "1")), *others)),
                "environment:",
            ),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                check_scene(scene)
        with self.assertRaisesRegex(BadInput, "any more"):
            with_swatch(self.scene, "gone", Swatch("x", TEAL))


class TypedInAConfig(TestCase):
    def test_every_unit_becomes_light_by_the_engine(self) -> None:
        config = project_config()
        expected = apply_to_colour(space_processor(config, SRGB, "ACEScg"), TEAL.values)
        self.assertEqual(typed_in(config, TEAL, "ACEScg"), expected)
        self.assertEqual(code_values(config, TEAL), TEAL.values)
        white = TypedColour(SRGB, "xyY", f"{D65[0]} {D65[1]} 1")
        np.testing.assert_allclose(typed_in(config, white, "ACEScg"), (1, 1, 1), atol=1e-5)
        np.testing.assert_allclose(code_values(config, white), (1, 1, 1), atol=1e-5)
        x, y, z = xyz_of(config, expected, "ACEScg")
        back = TypedColour("", "xyY", f"{x / (x + y + z):.7f} {y / (x + y + z):.7f} {y:.7f}")
        np.testing.assert_allclose(typed_in(config, back, "ACEScg"), expected, atol=2e-6)

    def test_a_config_that_does_not_say_what_its_numbers_mean(self) -> None:
        config = fresh_config()
        config.setRole("aces_interchange", None)
        with self.assertRaisesRegex(BadInput, "aces_interchange"):
            typed_in(config, TypedColour("", "kelvin", "3200"), "ACEScg")
        self.assertIsNone(colour_facts(config, (0.1, 0.2, 0.3)))

    def test_black_has_no_chromaticity_and_no_stops(self) -> None:
        facts = colour_facts(project_config(), (0.0, 0.0, 0.0))
        assert facts
        self.assertEqual((facts.xy, facts.uv, facts.stops, facts.luminance), (None, None, None, 0.0))
        self.assertTrue(all(display.holds for display in facts.displays))


class Files(TestCase):
    swatches = (Swatch("key, warm", TypedColour("", "kelvin", "3200 0.004"), "light"), Swatch("teal", TEAL))

    def test_rows_hold_what_was_typed(self) -> None:
        first, second = swatch_rows(self.swatches)
        typed = {"name": "key, warm", "use": "light", "space": "", "unit": "kelvin", "text": "3200 0.004"}
        self.assertEqual(first, {**typed, **dict.fromkeys(OF_APPEARANCE, "")})
        self.assertEqual(second["space"], SRGB)

    def test_a_byte_order_mark_and_a_missing_use_are_no_harm(self) -> None:
        content = "\ufeffname,space,unit,text\nteal,srgb,8-bit,1 2 3\n".encode()
        (swatch,) = read_swatches("x.csv", content, lambda swatch: swatch)
        self.assertEqual((swatch.name, swatch.use, swatch.colour.text), ("teal", "surface", "1 2 3"))

    def test_the_rigs_chart_goes_out_and_in_again(self) -> None:
        listed = patches()
        self.assertEqual(len(listed), COLUMNS * ROWS)
        self.assertEqual(len({known.name for known in listed}), len(listed))
        rows = chart_rows(listed)
        text = "name,x,y,Y\n" + "\n".join(",".join(map(str, row.values())) for row in rows)
        for known, again in zip(listed, read_chart(text), strict=True):
            np.testing.assert_allclose(again.xyz, known.xyz, atol=1e-5)
            self.assertTrue(0 < known.xyz[1] < 1, known.name)

    def test_lab_is_the_standards(self) -> None:
        np.testing.assert_allclose(lab_to_xyz(100, 0, 0), xy_to_xyz(D65), atol=1e-9)
        self.assertAlmostEqual(lab_to_xyz(50, 0, 0)[1], 0.184187, places=6)  # L* 50 is 18.4187 % (CIE 15)
        self.assertAlmostEqual(lab_to_xyz(8, 0, 0)[1], 8 / 903.2963, places=6)  # the straight part near black

    def test_a_chart_without_names_or_with_too_many_patches(self) -> None:
        self.assertEqual([known.name for known in read_chart("X,Y,Z\n0.1,0.2,0.3\n")], ["patch 1"])
        with self.assertRaisesRegex(BadInput, "up to 1,000"):
            read_chart("X,Y,Z\n" + "0.1,0.2,0.3\n" * 1001)
        with self.assertRaisesRegex(BadInput, "Line 3"):
            read_chart("x,y,Y\n0.3,0.3,1\n0.3,0,1\n")


class Reflectances(TestCase):
    def test_metals_are_those_of_their_optical_constants(self) -> None:
        """Reflectance in linear Rec.709, as renderers' lists have it for these measurements, to 4 %."""
        known = {"silver": (0.99, 0.98, 0.97), "copper": (0.93, 0.62, 0.52), "aluminium": (0.91, 0.92, 0.92)}
        found = {reference.name: reference for reference in references()}
        for metal, expected in known.items():
            matrix = np.linalg.inv(rgb_to_xyz(REC709))
            np.testing.assert_allclose(matrix @ found[metal].xyz, expected, atol=0.04, err_msg=metal)
        self.assertEqual({reference.use for reference in references()}, {"surface", "metal"})
        for reference in references():
            self.assertLessEqual(reference.lowest, reference.highest)
            self.assertTrue(reference.source)

    def test_remarks_only_where_no_surface_is_so(self) -> None:
        for use, colour, luminance, words in (
            ("surface", (0.3, 0.3, 0.3), 0.3, ""),
            ("surface", (1.2, 0.3, 0.3), 0.5, "1.20 of what it receives"),
            ("surface", (0.95, 0.95, 0.95), 0.95, "fresh snow"),
            ("surface", (0.01, 0.01, 0.01), 0.01, "charcoal"),
            ("metal", (0.95, 0.95, 0.95), 0.95, ""),
            ("metal", (0.2, 0.2, 0.2), 0.2, "coated"),
            ("light", (40, 20, 5), 24, ""),
        ):
            said = remark(use, colour, luminance)
            self.assertEqual(bool(said), bool(words), said)
            self.assertIn(words, said)


class Marks(TestCase):
    def test_flat_light_is_found_inside_its_edge(self) -> None:
        pixels = light(30, 40, peak=0.5)
        pixels[10:20, 10:20] = 2.0
        found = flat(pixels)
        self.assertEqual(int(found[..., 0].sum()), 64)
        self.assertTrue(found[11:19, 11:19].all())

    def test_dark_walls_and_a_glow_are_not_flat(self) -> None:
        self.assertFalse(flat(np.full((10, 10, 3), 0.5, np.float32)).any())
        glow = np.linspace(1, 3, 400, dtype=np.float32).reshape(20, 20, 1).repeat(3, axis=2)
        self.assertFalse(flat(glow).any())

    def test_shares_and_stripes(self) -> None:
        pixels = np.full((20, 20, 3), 0.5, np.float32)
        pixels[:10, :, 0] = -1
        pixels[0, 0] = np.nan
        negative = mark("negative", pixels)
        share = marked_share(negative, pixels)
        self.assertAlmostEqual(share.channels[0], 199 / 400)
        self.assertEqual((share.all_channels, share.bright_with_detail), (0.0, None))
        self.assertAlmostEqual(marked_share(mark("not-finite", pixels), pixels).all_channels, 1 / 400)
        shown = striped(np.full((10, 10, 3), 0.5, np.float32), negative)
        self.assertTrue(np.isin(shown[:5], (0, 1)).all())
        self.assertTrue((shown[5:] == 0.5).all())
        with self.assertRaisesRegex(BadInput, ", ".join(MARKS)):
            mark("ugly", pixels)


class Picking(TestCase):
    def test_three_ways_to_read_the_same_numbers(self) -> None:
        encoded, as_light, back = meanings(project_config(), (0.5, 0.4, 0.3), SRGB, UNTONED)
        expected = apply_to_colour(space_processor(project_config(), SRGB, "ACEScg"), (0.5, 0.4, 0.3))
        np.testing.assert_allclose(encoded.light, expected, atol=1e-6)
        self.assertEqual(as_light.light, (0.5, 0.4, 0.3))
        shown = apply_to_colour(view_processor(project_config(), "ACEScg", UNTONED), back.light)
        np.testing.assert_allclose(shown, (0.5, 0.4, 0.3), atol=1e-4)

    def test_a_view_without_an_inverse_says_so(self) -> None:
        with patch("saltwort.core.scene.picking.read_through_inverse", side_effect=BadInput("It has no inverse.")):
            *_, back = meanings(project_config(), (0.5, 0.5, 0.5), SRGB, UNTONED)
        self.assertEqual((back.light, back.reason), (None, "It has no inverse."))
        with self.assertRaises(BadInput):
            meanings(project_config(), (0.5, 0.5, 0.5), "Nowhere", ViewChoice(SRGB_DISPLAY, UNTONED.view))


class SameColour(TestCase):
    bodies = np.array([[3, 3, 4, 4]], np.int16)  # two pixels of the swatch ball, two of the texture ball

    def compare(self, swatch: TypedColour, ball: Input, first: tuple, second: tuple):
        albedo = np.array([first, first, second, second], np.float32).T[:, None, :]
        return same_colour(project_config(), swatch, ball, albedo, self.bodies)

    def test_why_they_differ(self) -> None:
        path, pixels = ball_texture(project_config(), TEAL)
        decoded, raw = (0.0729, 0.1359, 0.1368), (0.1843, 0.4157, 0.4078)
        for ball, second, words in (
            (Input(path, SRGB, pixels), decoded, "the same surface"),
            (Input(path, "Raw", pixels), raw, "The swatch was decoded, the texture was not"),
            (Input(path, "sRGB Encoded P3-D65", pixels), (0.09, 0.13, 0.13), "mean different colours"),
            (Input(path, SRGB, pixels * 0.5), (0.02, 0.03, 0.03), "different numbers"),
        ):
            found = self.compare(TEAL, ball, decoded, second)
            self.assertIn(words, found.says)
            self.assertEqual(found.same, "same surface" in words)
        linear = TypedColour("ACEScg", "unit", "0.1843 0.4157 0.4078")
        found = self.compare(linear, Input(path, SRGB, pixels), raw, decoded)
        self.assertIn("The texture was decoded, the swatch was not", found.says)

    def test_the_texture_of_a_linear_swatch_is_a_float_file(self) -> None:
        path, pixels = ball_texture(project_config(), TypedColour("ACEScg", "unit", "0.1 2.5 0.3"))
        self.assertTrue(path.endswith(".exr"))
        np.testing.assert_allclose(pixels[0, 0], (0.1, 2.5, 0.3), rtol=1e-3)
        path, pixels = ball_texture(project_config(), TEAL)
        self.assertTrue(path.endswith(".png"))
        np.testing.assert_allclose(pixels[0, 0] * 255, (47, 106, 104), atol=1e-4)


class HoweverBright(TestCase):
    def test_whether_a_display_shows_a_colour_does_not_depend_on_its_brightness(self) -> None:
        config = project_config()
        for colour in ((0.0, 1.0, 0.0), (0.2, 0.5, 0.1), (0.9, 0.1, 0.05)):
            for space in ("ACEScg", LINEAR_REC709):
                light = np.array(space_processor(config, space, "ACEScg").applyRGB(list(colour)))
                shown = [
                    tuple(display.holds for display in colour_facts(config, tuple(light * gain)).displays)
                    for gain in (1e-6, 1e-4, 0.01, 1.0, 100.0, 1e4)
                ]
                with self.subTest(colour, space=space):
                    self.assertEqual(len(set(shown)), 1)
        blue = space_processor(config, LINEAR_REC709, "ACEScg").applyRGB([0.0, 0.0, 1e4])
        self.assertTrue(all(display.holds for display in colour_facts(config, tuple(blue)).displays))
        green = colour_facts(config, (0.0, 1e-4, 0.0))
        self.assertFalse(any(display.holds for display in green.displays if "sRGB" in display.display))


class Gamuts(TestCase):
    def test_a_space_holds_itself_and_its_matrices_lead_back(self) -> None:
        config = project_config()
        for space in working_spaces(config):
            found = describe_working_space(config, space)
            self.assertTrue(0 < found.pointer_covered <= 1 + 1e-9, space)
            self.assertEqual({name for name, _, _ in found.matrices}, set(working_spaces(config)) - {space})
            for _, to, back in found.matrices:
                np.testing.assert_allclose(back @ to, np.eye(3), atol=1e-5)
        matrices = {name: to for name, to, _ in describe_working_space(config, LINEAR_REC709).matrices}
        np.testing.assert_allclose(matrices["ACEScg"], rgb_to_rgb(REC709, AP1), atol=2e-4)

    def test_a_wider_space_covers_more(self) -> None:
        config = project_config()
        narrow, wide = (describe_working_space(config, space) for space in (LINEAR_REC709, "Linear Rec.2020"))
        for first, second in zip(narrow.displays, wide.displays, strict=True):
            self.assertLessEqual(first.covered, second.covered + 1e-9)
        self.assertEqual(narrow.imaginary, ())

    def test_an_encoded_space_is_refused(self) -> None:
        with self.assertRaises(BadInput):
            describe_working_space(project_config(), "ACEScct")
