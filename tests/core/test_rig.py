"""The bench renderer: energy, lights as layers, working spaces, spectra, mistakes and the finding each triggers."""

import json
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import numpy as np

from saltwort.core.engine import builtin_text, load_config, newest_cg_config
from saltwort.core.errors import BadInput
from saltwort.core.findings import CheckedRender, CheckedTexture, Subjects, run_checks
from saltwort.core.images import read_header, read_layers, read_pixels, survey, write_image
from saltwort.core.project import first_setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import FIRST_LIGHTS, Scene, Swatch
from saltwort.core.scene.rig.bands import RgbBands, SpectralBands
from saltwort.core.scene.rig.bodies import Ball, Floor
from saltwort.core.scene.rig.described import Body, Camera, Lamp, Material, Stage
from saltwort.core.scene.rig.environment import Environment
from saltwort.core.scene.rig.files import SETTINGS, write_rig
from saltwort.core.scene.rig.judging import difference_of, spectral_reference
from saltwort.core.scene.rig.mistakes import MISTAKES, picture_of_mapping
from saltwort.core.scene.rig.mixing import mixed
from saltwort.core.scene.rig.stage import (
    LAYERS,
    Input,
    Rig,
    ball_texture,
    body_names,
    build_stage,
    light_colours,
)
from saltwort.core.scene.rig.tracing import Traced, trace
from saltwort.core.spaces.gamuts import REC709 as REC709_PRIMARIES
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.rules import Assignment, Reason

SRGB, REC709 = "sRGB Encoded Rec.709 (sRGB)", "Linear Rec.709 (sRGB)"
TEAL = TypedColour(SRGB, "8-bit", "47 106 104")
SIZE = (96, 54)


@lru_cache(maxsize=1)
def cg_config():
    return load_config(builtin_text(newest_cg_config()))


def level(*values: float):
    return np.array(values, np.float32)[:, None, None]


def rig_with(swatch: TypedColour = TEAL, **inputs: Input) -> Rig:
    path, pixels = ball_texture(cg_config(), swatch)
    return Rig(swatch, {"ball": Input(path, swatch.space, pixels), **inputs}, FIRST_LIGHTS)


def rendered(rig: Rig, space: str = "ACEScg", samples: int = 4) -> tuple[RgbBands, Traced]:
    bands = RgbBands(cg_config(), space)
    return bands, trace(build_stage(bands, rig), *SIZE, samples)


def beauty(rig: Rig, space: str = "ACEScg") -> np.ndarray:
    bands, light = rendered(rig, space)
    return bands.to_xyz(np.moveaxis(mixed(light.layers, light_colours(bands, rig)), 2, 0))


class Energy(TestCase):
    def test_a_white_furnace_returns_one(self) -> None:
        """A white ball in light that is 1 from everywhere is 1 itself, whatever its gloss: nothing is lost or made."""
        sky = np.ones((3, 16, 32), np.float32)
        for roughness in (0.05, 0.3, 0.6, 1.0):
            for metalness in (0.0, 1.0):
                white = Material(level(1, 1, 1), level(roughness), level(metalness))
                stage = Stage(
                    3,
                    ("sky",),
                    [Body("ball", Ball((0, 0, 0), 1), white)],
                    Camera((0, 0, -3), 1),
                    Environment(sky, sky.mean(axis=0)),
                )
                found = trace(stage, 48, 48, 64)
                seen = found.layers[0, :, found.bodies == 0].mean()
                with self.subTest(roughness=roughness, metalness=metalness):
                    self.assertAlmostEqual(float(seen), 1.0, delta=0.003)  # noise of 64 samples on 1,400 pixels

    def test_a_lamp_lights_a_matt_floor_as_the_integral_says(self) -> None:
        """Irradiance of a sphere of radiance L at a distance d, seen at an angle: π L (r/d)² cos θ."""
        lamp = Ball((0, 3, 0), 0.5)
        matt = Material(level(0.5), level(1.0), level(0.0))
        stage = Stage(
            1,
            ("sky", "lamp"),
            [Body("floor", Floor((0, 0, 0), 50), matt), Lamp("lamp", lamp, level(1.0), 1)],
            Camera((0, 0.5, -2), 0.1, -0.25),
        )
        squared = 3.0**2
        expected = 0.5 * (0.5**2 / squared) * 3 / np.sqrt(squared)
        middle = trace(stage, 32, 32, 64).layers[1, 0, 14:18, 14:18].mean()
        # The rough dielectric above the base reflects a little less head on than the base it covers.
        self.assertAlmostEqual(float(middle / expected), 1.0, delta=0.02)

    def test_nothing_is_lit_below_the_floor_or_in_shadow(self) -> None:
        matt = Material(level(0.5), level(1.0), level(0.0))
        stage = Stage(
            1,
            ("sky", "lamp"),
            [
                Body("floor", Floor((0, 0, 0), 50), matt),
                Body("lid", Floor((0, 1, 0), 50), matt),
                Lamp("lamp", Ball((0, 3, 0), 0.5), level(1.0), 1),
            ],
            Camera((0, 0.5, -2), 0.1, -0.25),
        )
        self.assertEqual(float(trace(stage, 16, 16, 4).layers.max()), 0.0)


class Layers(TestCase):
    def test_bodies_are_called_as_they_are_numbered(self) -> None:
        stage = build_stage(RgbBands(cg_config(), "ACEScg"), rig_with())
        self.assertEqual(tuple(body.name for body in stage.bodies), body_names())
        self.assertEqual(stage.layers, LAYERS)

    def test_the_same_seed_gives_the_same_bits_and_another_other_ones(self) -> None:
        stage = build_stage(RgbBands(cg_config(), "ACEScg"), rig_with())
        first, again, other = trace(stage, 32, 18, 2), trace(stage, 32, 18, 2), trace(stage, 32, 18, 2, seed=2)
        np.testing.assert_array_equal(first.layers, again.layers)
        self.assertFalse(np.array_equal(first.layers, other.layers))

    def test_doubling_a_light_doubles_its_layer_exactly(self) -> None:
        rig = rig_with()
        bands, light = rendered(rig)
        brighter = replace(
            rig, lights=tuple(replace(row, stops=row.stops + 1) if row.name == "key" else row for row in rig.lights)
        )
        before, after = light_colours(bands, rig), light_colours(bands, brighter)
        key = LAYERS.index("key")
        np.testing.assert_array_equal(after[key], 2 * before[key])
        np.testing.assert_array_equal(
            light.layers[key] * after[key][:, None, None], 2 * (light.layers[key] * before[key][:, None, None])
        )

    def test_every_light_has_light_of_its_own(self) -> None:
        _, light = rendered(rig_with())
        for name in LAYERS[:-1]:
            self.assertGreater(float(light.layers[LAYERS.index(name)].mean()), 1e-4, name)

    def test_layers_in_the_file_add_up_to_the_beauty(self) -> None:
        rig = rig_with()
        bands, light = rendered(rig)
        with TemporaryDirectory() as folder:
            path = Path(folder) / "rig.exr"
            write_rig(cg_config(), "ACEScg", light, light_colours(bands, rig), path, {"samples": 4})
            whole = read_pixels(path, "")
            parts = sum(read_pixels(path, name) for name in LAYERS)
            header, names = read_header(path, ""), [layer.name for layer in read_layers(path)]
            depth, ids = read_pixels(path, "Z")[..., 0], read_pixels(path, "id")[..., 0]
        # Each layer is rounded to halves by itself: 2⁻¹¹ of its own value.
        np.testing.assert_allclose(parts, whole, rtol=2e-3, atol=1e-4)
        self.assertLessEqual({"", *LAYERS, "albedo", "emission", "Z", "id"}, set(names))
        self.assertEqual(header.tags["colorInteropID"], "lin_ap1_scene")
        self.assertEqual(len(header.tags["chromaticities"]), 8)
        np.testing.assert_array_equal(ids, light.bodies + 1)
        np.testing.assert_array_equal(depth, light.depth)

    def test_the_header_holds_the_settings(self) -> None:
        import OpenImageIO as oiio

        rig = rig_with()
        bands, light = rendered(rig, samples=1)
        with TemporaryDirectory() as folder:
            path = Path(folder) / "rig.exr"
            write_rig(cg_config(), "ACEScg", light, light_colours(bands, rig), path, {"samples": 1})
            spec = oiio.ImageInput.open(str(path)).spec()
        self.assertEqual(json.loads(spec.getattribute(SETTINGS)), {"samples": 1})

    def test_swatch_ball_equals_texture_ball_when_read_right(self) -> None:
        _, light = rendered(rig_with())
        swatch, texture = (
            np.median(light.albedo[:, light.bodies == body_names().index(name)], axis=1)
            for name in ("swatch ball", "texture ball")
        )
        np.testing.assert_allclose(swatch, texture, rtol=1e-6)


class WorkingSpaces(TestCase):
    def test_neutral_scenes_agree_and_saturated_ones_differ(self) -> None:
        white = TypedColour("", "xyY", "0.3127 0.329")
        grey = TypedColour(SRGB, "8-bit", "128 128 128")
        neutral = np.full((8, 16, 3), 0.5, np.float32)
        same = {slot: Input(slot, SRGB, neutral) for slot in ("stone", "brass", "enamel", "glass")}
        path, pixels = ball_texture(cg_config(), grey)
        rig = Rig(
            grey, {"ball": Input(path, SRGB, pixels), **same}, tuple(replace(row, colour=white) for row in FIRST_LIGHTS)
        )
        pictures = [rendered(rig, space) for space in ("ACEScg", REC709)]
        is_chart = pictures[0][1].bodies == body_names().index("chart")
        first, second = (
            bands.to_xyz(np.moveaxis(mixed(light.layers, light_colours(bands, rig)), 2, 0)) for bands, light in pictures
        )
        found = difference_of(first, second, pictures[0][1].bodies)
        # What the chart's colours bounce is all that differs.
        self.assertLess(found.map[~is_chart].mean(), 0.02)
        coloured = difference_of(beauty(rig_with()), beauty(rig_with(), REC709), pictures[0][1].bodies)
        self.assertGreater(coloured.whole.mean, 10 * found.map[~is_chart].mean())
        self.assertGreater(coloured.whole.worst, 2.0)

    def test_the_worst_spot_is_where_coloured_light_meets_coloured_surfaces(self) -> None:
        bodies = rendered(rig_with())[1].bodies
        found = difference_of(beauty(rig_with()), beauty(rig_with(), REC709), bodies)
        self.assertIn(found.spots[0].body, ("lamp, glass", "lamp, plate", "lamp, foot", "quay stone", "lamp, cap"))
        self.assertEqual(sorted((spot.difference for spot in found.spots), reverse=True)[0], found.spots[0].difference)

    def test_flat_spectra_agree_with_rgb(self) -> None:
        """Grey surfaces in white light are the same in three numbers as in 36 bands."""
        bands = SpectralBands(cg_config())
        grey = bands.of_typed_surface(TypedColour("", "xyY", "0.3127 0.329 0.18"))
        np.testing.assert_allclose(grey, 0.18, atol=1e-6)
        light = bands.of_typed_light(TypedColour("", "xyY", "0.3127 0.329 1"))
        np.testing.assert_allclose(light, 1.0, atol=1e-5)
        carried = (grey**3 * light).reshape(-1, 1, 1)
        xyz = bands.to_xyz(carried)[0, 0]
        reference = RgbBands(cg_config(), "ACEScg")
        rgb = reference.to_xyz(level(0.18, 0.18, 0.18) ** 3)[0, 0]
        np.testing.assert_allclose(xyz, rgb, rtol=2e-5)

    def test_a_neutral_rig_is_the_same_in_spectra(self) -> None:
        """Only the chart's colours and the marker's glass are left to differ: greys do not."""
        white, grey = TypedColour("", "xyY", "0.3127 0.329"), TypedColour("", "xyY", "0.3127 0.329 0.3")
        path, pixels = ball_texture(cg_config(), TypedColour(SRGB, "8-bit", "128 128 128"))
        rig = Rig(
            TypedColour(SRGB, "8-bit", "128 128 128"),
            {"ball": Input(path, SRGB, pixels)},
            tuple(replace(row, colour=white) for row in FIRST_LIGHTS),
            dict.fromkeys(("stone", "brass", "enamel", "glass"), grey),
        )
        found = spectral_reference(cg_config(), rig, ["ACEScg"], (64, 36), 2).spaces[0]
        for judged in found.surfaces:
            if judged.name != "chart":
                self.assertLess(judged.mean, 0.05, judged.name)

    def test_a_colour_survives_its_spectrum(self) -> None:
        bands, reference = SpectralBands(cg_config()), RgbBands(cg_config(), "ACEScg")
        xyz = bands.to_xyz(bands.of_typed_surface(TEAL).reshape(-1, 1, 1))
        expected = reference.to_xyz(reference.of_typed_surface(TEAL).reshape(-1, 1, 1))
        np.testing.assert_allclose(xyz, expected, atol=1e-5)

    def test_the_spectral_reference_ranks_working_spaces(self) -> None:
        """Known from the literature: products in AP1 or P3 lie nearer to spectra than in Rec.709 or AP0."""
        told = []
        found = spectral_reference(
            cg_config(), rig_with(), ["ACES2065-1", REC709, "ACEScg"], (64, 36), 4, progress=told.append
        )
        self.assertEqual(found.spaces[0].space, "ACEScg")
        self.assertEqual(found.picture.shape, (36, 64, 3))
        self.assertEqual(told[-1], 1.0)
        names = {judged.name for judged in found.spaces[0].lights}
        self.assertLessEqual(names, set(LAYERS))
        self.assertIn("flame", names)
        flame = {space.space: row.mean for space in found.spaces for row in space.lights if row.name == "flame"}
        self.assertLess(flame["ACEScg"], flame[REC709])


class Mistakes(TestCase):
    """Each mistake shows, and triggers the finding that it is named by; done right, nothing is found."""

    def rig(self) -> Rig:
        rng = np.random.default_rng(3)
        sky = np.tile(np.array([0.3, 0.35, 0.6], np.float32), (16, 32, 1))
        sky[5, 8:10] = (900, 600, 300)
        rough = np.repeat(rng.uniform(0.2, 0.8, (16, 16, 1)).astype(np.float32), 3, axis=2)
        return rig_with(
            environment=Input("light/dusk_env.exr", REC709, sky),
            **{"stone-roughness": Input("quay/quay_wall_roughness.png", "Raw", rough)},
        )

    def codes(self, rig: Rig, picture: np.ndarray, swatch: TypedColour) -> set[str]:
        """What the checks say of the rig's files and picture, each written and measured as a project's would be."""
        config = cg_config()
        textures, renders = [], []
        with TemporaryDirectory() as folder:
            for given in rig.inputs.values():
                file = Path(folder) / Path(given.path).name
                # A texture of one paint, with its grain: one colour all over tells nothing.
                grain = np.random.default_rng(5).uniform(0.5, 1.0, (48, 48, 1)).astype(np.float32)
                pixels = given.pixels.reshape(1, 1, 3) * grain if given.pixels.size == 3 else given.pixels
                kind = map_kind_of(given.path)
                tags = {"chromaticities": REC709_PRIMARIES.chromaticities} if "env" in given.path else {}
                write_image(file, pixels.copy(), "half" if file.suffix == ".exr" else "uint8", tags)
                facts = survey(file).facts
                textures.append(
                    CheckedTexture(
                        given.path,
                        kind,
                        Assignment(given.space, Reason("default", None, "")),
                        facts,
                        tuple(evidence_for(config, given.path, kind, facts)),
                    )
                )
            file = Path(folder) / "picture.exr"
            write_image(file, picture, "half")
            renders.append(CheckedRender("picture.exr", "ACEScg", survey(file).facts))
        first = first_setup("builtin:" + newest_cg_config(), config)
        setup = ScenePart.with_value(first, Scene(swatches=(Swatch("swatch", swatch),)))
        subjects = Subjects(config=config, setup=setup, textures=textures, renders=renders)
        return {finding.code for finding in run_checks(subjects)}

    def picture(self, rig: Rig) -> np.ndarray:
        bands, light = rendered(rig, samples=2)
        picture = mixed(light.layers, light_colours(bands, rig))
        return picture * np.float32(0.1 / np.median(picture))

    def test_each_is_named_by_the_finding_it_triggers(self) -> None:
        right = self.rig()
        right_picture = self.picture(right)
        clean = self.codes(right, right_picture, right.swatch)
        for mistake in MISTAKES.values():
            wrong = mistake.rig(cg_config(), right) if mistake.rig else right
            picture = self.picture(wrong) if mistake.rig else right_picture
            if mistake.picture:
                picture = mistake.picture(picture)
            with self.subTest(mistake=mistake.name):
                self.assertNotIn(mistake.finding, clean)
                self.assertIn(mistake.finding, self.codes(wrong, picture, wrong.swatch))
                self.assertGreater(float(np.abs(picture - right_picture).max()), 1e-3)

    def test_a_mistake_without_its_texture_says_what_to_do(self) -> None:
        with self.assertRaisesRegex(BadInput, "choose one for environment"):
            MISTAKES["environment-clipped"].rig(cg_config(), rig_with())

    def test_tone_mappings_follow_their_formulas(self) -> None:
        light = np.array([[[0.0, 0.18, 4.0]]], np.float32)
        np.testing.assert_allclose(picture_of_mapping("linear", 4)(light), [[[0, 0.18, 1]]])
        np.testing.assert_allclose(picture_of_mapping("gamma", 4)(light), [[[0, 0.18 ** (1 / 2.2), 1]]], rtol=1e-6)
        np.testing.assert_allclose(
            picture_of_mapping("exponential", 4)(light), (1 - np.exp(-light)) ** (1 / 2.2), rtol=1e-5
        )
        shown = picture_of_mapping("reinhard", 4)(light)
        self.assertAlmostEqual(float(shown[0, 0, 2]), 1.0, places=6)  # the white point is shown as white
        self.assertAlmostEqual(float(shown[0, 0, 1]), (0.18 * (1 + 0.18 / 16) / 1.18) ** (1 / 2.2), places=6)
        for name, white in (("reinhard", 0), ("nothing", 4)):
            with self.assertRaises(BadInput):
                picture_of_mapping(name, white)
