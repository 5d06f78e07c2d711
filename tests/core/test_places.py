"""As expected is a claim about every pixel: pictures with something wrong in places, made at random."""

import os
from collections.abc import Callable
from io import BytesIO
from unittest import TestCase
from unittest.mock import patch

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from saltwort.core.explain import quick
from saltwort.core.explain.alignment import Placement
from saltwort.core.explain.explained import AS_EXPECTED, IN_PLACES, Explained, explain
from saltwort.core.explain.made import Made
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.places import COVERED, CUT, EXPOSED, QUICK, SINGLE, Coding, places
from saltwort.core.explain.question import STEP, Question
from tests.made_frames import CHOICES, frames_config, light_of

SEED = int(os.environ.get("SALTWORT_SEED", "20261203"))
Array = NDArray[np.float32]
RIGHT, WRONG = 10, 20
"""Pictures of each."""
CAUGHT, FALSE_ALARMS = 0.95, 0.04
"""Shares that are held, of damages that the coding shows and of right pictures; figures are printed."""


def with_alpha(colour: Array) -> Array:
    return np.concatenate([colour, np.ones_like(colour[..., :1])], axis=2)


def saved(codes: Array, how: str, random: np.random.Generator) -> tuple[Array, str]:
    codes = np.clip(np.nan_to_num(codes[..., :3]), 0, 1)
    if how == "half the size":
        height, width = (side // 2 * 2 for side in codes.shape[:2])
        codes = codes[:height, :width].reshape(height // 2, 2, width // 2, 2, 3).mean(axis=(1, 3))
    if how == "JPEG":
        content = BytesIO()
        Image.fromarray(np.round(codes * 255).astype(np.uint8)).save(
            content, "JPEG", quality=int(random.integers(75, 96))
        )
        return np.asarray(Image.open(content), np.float32) / np.float32(255), "JPEG"
    if how == "16 bits":
        return (np.round(codes * 65535) / 65535).astype(np.float32), "16 bits"
    noise = random.triangular(-1, 0, 1, codes.shape) if how == "dithered" else 0.0
    return (np.clip(np.round(codes * 255 + noise), 0, 255) / 255).astype(np.float32), "8 bits"


def cut(light: Array, view: Callable[[Array], Array], random: np.random.Generator) -> tuple[Array, str]:
    level = float(random.choice([0.5, 1, 2, 4]))
    return view(with_alpha(np.minimum(light, np.float32(level)))), CUT


def exposed(light: Array, view: Callable[[Array], Array], random: np.random.Generator) -> tuple[Array, str]:
    part, stops = random.uniform(0.08, 0.35), random.choice([-1.5, -0.7, 0.6, 1.0, 2.0])
    changed = light.copy()
    changed[:, : int(part * light.shape[1])] *= np.float32(2.0**stops)
    return view(with_alpha(changed)), EXPOSED


def covered(light: Array, view: Callable[[Array], Array], random: np.random.Generator) -> tuple[Array, str]:
    codes = view(with_alpha(light)).copy()
    height, width = random.integers(20, 60), random.integers(60, 200)
    top, left = random.integers(0, light.shape[0] - height), random.integers(0, light.shape[1] - width)
    codes[top : top + height, left : left + width, :3] = (random.uniform(0.6, 1), random.uniform(0, 0.3), 0.9)
    return codes, COVERED


def dead(light: Array, view: Callable[[Array], Array], random: np.random.Generator) -> tuple[Array, str]:
    codes = view(with_alpha(light)).copy()
    for _ in range(2):
        y, x = random.integers(8, light.shape[0] - 8), random.integers(8, light.shape[1] - 8)
        codes[y, x, :3] = np.where(codes[y, x, :3] > 0.5, 0, 1)
    return codes, SINGLE


def compressed(light: Array, view: Callable[[Array], Array], random: np.random.Generator) -> tuple[Array, str]:
    knee = random.uniform(0.3, 0.8)
    soft = knee + 0.5 * (1 - np.exp(-(np.maximum(light, knee) - knee) / 0.5))
    return view(with_alpha(np.where(light > knee, soft, light).astype(np.float32))), ""


DAMAGES = (cut, exposed, covered, dead, compressed)


class EveryPixel(TestCase):
    def scene(self, random: np.random.Generator) -> tuple[Scene, Array]:
        scene = Scene(frames_config(), CHOICES[int(random.integers(len(CHOICES)))])  # type: ignore[arg-type]
        return scene, light_of(int(random.integers(1, 7)))

    def asked(self, scene: Scene, light: Array, picture: Array, depth: str) -> Explained:
        return explain(Question(picture, depth, light, scene.config, scene.choice, False))  # type: ignore[arg-type]

    def test_right_pictures_have_no_such_place(self) -> None:
        random, alarms = np.random.default_rng(SEED), []
        for number in range(RIGHT):
            scene, light = self.scene(random)
            how = ("8 bits", "dithered", "16 bits", "JPEG", "half the size")[number % 5]
            picture, depth = saved(scene.view()(with_alpha(light)), how, random)
            said = self.asked(scene, light, picture, depth)
            if said.verdict != AS_EXPECTED:
                alarms.append(f"{number} {scene.choice.view} {how}: {said.sentence}")
        print(f"\nRight pictures, seed {SEED}: {len(alarms)} of {RIGHT} called otherwise", *alarms, sep="\n  ")
        self.assertLessEqual(len(alarms) / RIGHT, FALSE_ALARMS, alarms)

    def test_what_is_wrong_in_places_is_never_as_expected(self) -> None:
        random, missed, shown, named = np.random.default_rng(SEED + 1), [], 0, 0
        for number in range(WRONG):
            scene, light = self.scene(random)
            damage = DAMAGES[number % len(DAMAGES)]
            how = ("8 bits", "16 bits", "JPEG", "half the size")[number // len(DAMAGES) % 4]
            if damage is dead and how in ("JPEG", "half the size"):
                continue  # what is one pixel is lost in these
            view = scene.view()
            codes, looks = damage(light, view, random)
            off = np.abs(np.clip(codes[..., :3], 0, 1) - np.clip(view(with_alpha(light))[..., :3], 0, 1)).max(axis=2)
            if damage is not dead and (off > 12 / 255).mean() < 0.002:
                continue  # hardly to be seen
            picture, depth = saved(codes, how, random)
            said = self.asked(scene, light, picture, depth)
            shown += 1
            if said.verdict == AS_EXPECTED:
                missed.append(f"{number} {scene.choice.view} {damage.__name__} {how}")
            if said.verdict == IN_PLACES and said.places and how in ("8 bits", "16 bits") and looks:
                self.assertEqual(said.places.looks, looks, f"seed {SEED + 1}, {number} {scene.choice.view} {how}")
                named += 1
        print(f"\nWrong in places, seed {SEED + 1}: {len(missed)} of {shown} called as expected", *missed, sep="\n  ")
        self.assertLessEqual(len(missed) / shown, 1 - CAUGHT, missed)
        self.assertGreater(named, 2)

    def test_boxes_lie_where_it_is(self) -> None:
        random = np.random.default_rng(SEED + 2)
        scene, light = self.scene(random)
        codes = np.clip(scene.view()(with_alpha(light))[..., :3], 0, 1).copy()
        codes[100:140, 300:380] = (1.0, 0.0, 1.0)
        for flip in (False, True):
            picture = np.ascontiguousarray(codes[:, ::-1] if flip else codes)
            said = self.asked(scene, light, picture, "16 bits")
            assert said.places
            (box,) = said.places.boxes
            height, width = light.shape[:2]
            left = (width - 380) / width if flip else 300 / width
            np.testing.assert_allclose(
                (box.left, box.top, box.width, box.height), (left, 100 / height, 80 / width, 40 / height), atol=0.01
            )
            self.assertAlmostEqual(said.places.share, 80 * 40 / (height * width), delta=1e-4)

    def test_alpha_as_each_format_has_it(self) -> None:
        random = np.random.default_rng(SEED + 3)
        scene, light = self.scene(random)
        height, width = light.shape[:2]
        y, x = np.mgrid[0:height, 0:width]
        alpha = np.clip(1.3 - ((x - width / 2) ** 2 + (y - height / 2) ** 2) / (0.2 * width**2), 0, 1)[..., None]
        layer = np.concatenate([light * alpha, alpha], axis=2).astype(np.float32)
        straight = np.concatenate([np.where(alpha > 0, light, 0), alpha], axis=2).astype(np.float32)
        codes = np.clip(scene.view()(straight), 0, 1)
        self.assertEqual(self.asked(scene, layer, codes, "16 bits").verdict, AS_EXPECTED)
        black = np.ascontiguousarray(codes[..., :3] * alpha, np.float32)
        self.assertNotEqual(self.asked(scene, layer, black, "16 bits").verdict, AS_EXPECTED)
        alone = np.ascontiguousarray(scene.view()(layer)[..., :3])
        self.assertEqual(self.asked(scene, layer, alone, "16 bits").verdict, AS_EXPECTED)


class LookedUp(TestCase):
    def test_large_pictures_that_are_looked_up_first_differ_in_the_same_places(self) -> None:
        random = np.random.default_rng(SEED + 2)
        light = with_alpha(light_of(2))
        light[:9, :9, :3] = -0.5  # below what the LUT holds
        made = Made(Scene(frames_config(), CHOICES[0]).view())  # type: ignore[arg-type]
        whole = Placement((1.0, 1.0), (0.0, 0.0), "", 1.0)
        coding = Coding(STEP["JPEG"], clips=True, lossy=True, linear=False)
        for damage in (None, covered):
            codes = damage(light[..., :3], made.step, random)[0] if damage else made.step(light)
            picture, _ = saved(codes, "JPEG", random)
            exact = places(picture, light, whole, made, coding)
            with patch.object(quick, "FEWEST_PIXELS", 0):
                self.assertIsNotNone(quick.as_lut(made, light, QUICK * coding.step))
                found = places(picture, light, whole, made, coding)
            if damage is None or found is None or exact is None:
                self.assertEqual((exact, found), (None, None))
            else:
                self.assertEqual(exact.looks, found.looks)
                self.assertLess(np.mean(exact.mask != found.mask), 1e-3)
