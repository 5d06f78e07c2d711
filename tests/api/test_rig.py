"""The rig of a project: what it depends on, what is kept of it, and what stands in its way."""

import os
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

import numpy as np
from django.conf import settings

from saltwort.core.errors import BadInput
from saltwort.core.images import read_pixels
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Scene, Swatch
from saltwort.core.scene.rig.stage import LAYERS
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import current_setup
from saltwort.server.scene import rig
from saltwort.server.scene.rig import Asked
from saltwort.server.textures.operations import add_texture, pin_texture
from tests.samples import LINEAR_REC709, SRGB, light, write
from tests.server import ServerTestCase


class RigTestCase(ServerTestCase):
    def set_scene(self, **change: object) -> Project:
        scene = replace(ScenePart.of(current_setup(self.project)), **change)
        self.project = change_setup(
            self.project, self.revision(), "scene", lambda setup: ScenePart.with_value(setup, scene)
        )
        return self.project

    def key(self) -> str:
        return rig.key_of(rig.prepared(self.project))

    def kept(self) -> list[Path]:
        return sorted((Path(settings.MEDIA_ROOT) / "rig").glob("*.npz"))

    def add(self, path: str, pixels: np.ndarray, sample_type: str = "half") -> None:
        file = write(self.folder / "files" / Path(path).name, pixels, sample_type)
        add_texture(self.project, path, store_file(file, path))


class WhatItDependsOn(RigTestCase):
    def test_lights_are_set_afterwards_and_materials_are_not(self) -> None:
        before = self.key()
        first, *others = ScenePart.of(current_setup(self.project)).lights
        self.set_scene(lights=(replace(first, stops=3.0, colour=TypedColour("", "kelvin", "2500")), *others))
        self.assertEqual(self.key(), before)
        self.set_scene(swatches=(Swatch("teal", TypedColour(SRGB, "8-bit", "47 106 104")),), swatch_on_rig="teal")
        with_swatch = self.key()
        self.assertNotEqual(with_swatch, before)
        self.set_scene(inputs=(("stone", "swatch:teal"),))
        self.assertNotEqual(self.key(), with_swatch)

    def test_a_texture_counts_by_its_pixels_and_by_how_it_is_read(self) -> None:
        self.add("quay_basecolor.png", light(16, 16, peak=1.0), "uint8")
        self.set_scene(inputs=(("stone", "quay_basecolor.png"),))
        as_colour = self.key()
        texture = pin_texture(self.project.textures.get(), 1, "Raw")
        as_data = self.key()
        self.assertNotEqual(as_colour, as_data)
        pin_texture(texture, texture.version, "")
        self.assertEqual(self.key(), as_colour)
        self.add("quay_basecolor.png", light(16, 16, peak=0.5), "uint8")
        self.assertNotEqual(self.key(), as_colour)

    def test_another_working_space_is_tried_without_being_saved(self) -> None:
        changed = rig.in_working_space(self.project, LINEAR_REC709)
        self.assertNotEqual(rig.key_of(rig.prepared(changed)), self.key())
        self.assertEqual((self.revision(), self.project.revisions.count()), (1, 1))
        self.assertIs(rig.in_working_space(self.project, "ACEScg"), self.project)
        with self.assertRaisesRegex(BadInput, "not scene-linear"):
            rig.in_working_space(self.project, SRGB)

    def test_a_map_of_numbers_that_is_decoded_is_decoded(self) -> None:
        self.add("quay_roughness.png", np.full((8, 8, 3), 0.5, np.float32), "uint8")
        self.set_scene(inputs=(("stone-roughness", "quay_roughness.png"),))
        plain = rig.prepared(self.project).rig.inputs["stone-roughness"]
        self.assertAlmostEqual(float(plain.pixels[0, 0, 0]), 0.5, delta=0.003)
        pin_texture(self.project.textures.get(), 1, SRGB)
        decoded = rig.prepared(self.project).rig.inputs["stone-roughness"]
        self.assertAlmostEqual(float(decoded.pixels[0, 0, 0]), 0.2140, delta=0.003)


class WhatIsKept(RigTestCase):
    def test_a_quick_look_is_made_once_and_a_better_one_takes_its_place(self) -> None:
        made = rig.prepared(self.project)
        with patch("saltwort.server.scene.rig.PREVIEW", (32, 18, 1)):
            self.assertEqual(rig.best_size(made), (32, 18, 1))
            rig.layers_of(made)
            (file,) = self.kept()
            changed = file.stat().st_mtime_ns
            rig.layers_of(made)
            self.assertEqual(self.kept()[0].stat().st_mtime_ns, changed)
            rig.traced(made, (48, 27, 2))
            light_, size = rig.layers_of(made)
            self.assertEqual((size, light_.layers.shape[-2:]), ((48, 27, 2), (27, 48)))
            self.assertEqual(rig.quick_look(made).layers.shape[-2:], (18, 32))

    def test_what_is_kept_shows_what_was_rendered(self) -> None:
        made = rig.prepared(self.project)
        fresh = rig.traced(made, (32, 18, 1))
        again, _ = rig.layers_of(made)
        np.testing.assert_allclose(again.layers, fresh.layers, rtol=1e-3, atol=1e-6)  # kept as halves
        np.testing.assert_array_equal(again.bodies, fresh.bodies)

    def test_the_oldest_pictures_go(self) -> None:
        made = rig.prepared(self.project)
        rig.traced(made, (16, 16, 1))
        (file,) = (self.folder / "media" / "rig").glob("*.npz")
        with patch("saltwort.server.scene.rig.STORED_BYTES", file.stat().st_size * 2.5):
            for seconds, height in enumerate((17, 18), start=1):
                os.utime(file, (seconds, seconds))  # older than what comes after, whatever the disk's clock tells
                rig.traced(made, (16, height, 1))
        self.assertEqual(len(self.kept()), 2)
        self.assertFalse(file.exists())


class HowItIsShown(RigTestCase):
    def picture(self, **asked: object) -> np.ndarray:
        how = Asked(**asked)
        made = rig.asked_rig(rig.prepared(self.project), how)
        return rig.picture_of(made, rig.traced(made, (32, 18, 1)), how)[0]

    def test_a_light_alone_leaves_the_backplate_out(self) -> None:
        self.add("dusk_plate.exr", np.full((8, 16, 3), 5.0, np.float32))
        self.set_scene(inputs=(("backplate", "dusk_plate.exr"),))
        whole, alone = self.picture(), self.picture(solo="key")
        self.assertAlmostEqual(float(whole[0, 0].mean()), 5.0, delta=0.5)
        self.assertEqual(float(alone[0, 0].max()), 0.0)

    def test_solo_wins_over_mute_and_a_muted_light_stays_muted(self) -> None:
        self.assertGreater(float(self.picture(solo="key", muted=["key"]).max()), 0)
        everything = self.picture(muted=list(LAYERS[:4]))
        self.assertEqual(float(everything.max()), 0.0)

    def test_layers_add_up_to_the_picture(self) -> None:
        parts = sum(self.picture(solo=name).astype(np.float64) for name in LAYERS[:4])
        np.testing.assert_allclose(parts, self.picture(), rtol=1e-4, atol=1e-5)

    def test_a_tone_mapping_is_written_into_the_file_and_its_settings(self) -> None:
        made, how = rig.prepared(self.project), Asked(mapping="exponential")
        path = self.folder / "baked.exr"
        said = rig.write_picture(made, rig.traced(made, (32, 18, 1)), (32, 18, 1), how, path)
        self.assertEqual((said["tone_mapping"], said["seed"]), ("exponential", 1))
        self.assertLessEqual(float(read_pixels(path, "").max()), 1.0)
        self.assertGreater(float(read_pixels(path, "flame").max()), 1.0)  # the lights themselves stay light


class WhatStandsInItsWay(RigTestCase):
    def test_a_texture_with_values_that_are_no_numbers(self) -> None:
        broken = np.full((8, 16, 3), 0.5, np.float32)
        broken[2, 3] = np.nan
        self.add("dusk_env.exr", broken)
        self.set_scene(inputs=(("environment", "dusk_env.exr"),))
        self.assertIn("dusk_env.exr holds values that are no numbers", self.ask("/rig/picture", 400)["detail"])

    def test_a_texture_that_was_taken_away_leaves_the_rigs_own(self) -> None:
        self.add("quay_basecolor.png", light(16, 16, peak=1.0), "uint8")
        plain = self.key()
        self.set_scene(inputs=(("stone", "quay_basecolor.png"),))
        self.assertNotEqual(self.key(), plain)
        self.project.textures.all().delete()
        self.assertEqual(self.key(), plain)
        stone = next(slot for slot in self.ask("/rig")["slots"] if slot["name"] == "stone")
        self.assertEqual((stone["path"], stone["space"]), ("", ""))

    def test_a_pin_on_a_space_that_is_gone(self) -> None:
        self.add("quay_basecolor.png", light(16, 16, peak=1.0), "uint8")
        self.set_scene(inputs=(("stone", "quay_basecolor.png"),))
        self.project.textures.update(pin_space="Nowhere")
        self.assertIn("no colour space “Nowhere”", self.ask("/rig/picture", 400)["detail"])

    def test_a_rig_without_any_swatch_shows_middle_grey(self) -> None:
        self.assertEqual(ScenePart.of(current_setup(self.project)), Scene())
        made = rig.prepared(self.project)
        np.testing.assert_allclose(made.bands.of_typed_surface(made.rig.swatch), [0.18] * 3, atol=1e-4)
