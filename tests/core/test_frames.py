"""Frames as they land: each mistake is told beside a good frame and, where it can be, by the frame alone."""

import os
import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.explain.alone import CODES, LIGHT, UNDECIDED, alone, cut_level
from saltwort.core.explain.frames import Earlier, Expectation, Figures, figures_of, judged, jumps, light_of
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.steps import processed
from saltwort.core.images import Survey, survey, write_image
from tests.made_frames import CHOICES, frames_config
from tests.made_frames import light_of as made_light
from tests.made_night import frame_light, mistakes, write_frame
from tests.samples import ACES_SDR

SEED = int(os.environ.get("SALTWORT_SEED", "1"))
PICTURES = (1, 2, 4, 5)
"""Seeds of made-up surfaces."""


class FramesTestCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.config = frames_config()
        self.wanted = Expectation(Scene(self.config, ACES_SDR, expects_light=True))  # type: ignore[arg-type]

    def surveyed(self, light: np.ndarray, sample: str = "half") -> Survey:
        return survey(write_frame(self.folder, 1, np.clip(light, 0, 1) if sample != "half" else light, sample=sample))

    def codes(
        self, light: np.ndarray, wanted: Expectation, beside: np.ndarray | None, sample: str = "half"
    ) -> list[str]:
        found = self.surveyed(light, sample)
        small = None if beside is None else light_of(self.surveyed(beside, sample), wanted.scene)
        return [note.code for note in judged(found, wanted, small)]


class Light(FramesTestCase):
    def test_good_frames_are_good(self) -> None:
        for seed in PICTURES:
            for number in (SEED, SEED + 40):
                light, before = frame_light(number, seed), frame_light(number - 1, seed)
                with self.subTest(seed, number=number):
                    self.assertEqual(self.codes(light, self.wanted, before), [])
                    self.assertEqual(self.codes(light, self.wanted, None), [])

    def test_every_mistake_beside_a_good_frame(self) -> None:
        for seed in PICTURES:
            for name, (code, change) in mistakes(self.config).items():  # type: ignore[arg-type]
                if code == "frame.exposure-jump":
                    continue  # told of all frames together
                with self.subTest(name, seed=seed):
                    light = frame_light(SEED, seed)
                    found = self.codes(change(light), self.wanted, frame_light(SEED + 1, seed))
                    self.assertEqual(found[:1], [code])

    def test_a_frame_of_an_earlier_revision(self) -> None:
        to_rec709 = processed(space_processor(self.config, "ACEScg", "Linear Rec.709 (sRGB)"))  # type: ignore[arg-type]
        wanted = Expectation(self.wanted.scene, (Earlier(3, to_rec709),))
        light = frame_light(SEED)
        found = self.surveyed(to_rec709(light))
        note = judged(found, wanted, light_of(self.surveyed(frame_light(SEED + 1)), wanted.scene))[0]
        self.assertEqual(note.code, "frame.other-revision")
        self.assertIn("revision 3", note.why)

    def test_a_pan_however_fast_is_no_mistake(self) -> None:
        quay = made_light(3)
        for speed in (4, 12, 40):
            beside = None
            for step in range(6):
                light = quay[40:310, step * speed : step * speed + 480] * np.float32(1 + 0.1 * np.sin(step))
                found = self.surveyed(np.ascontiguousarray(light))
                with self.subTest(speed=speed, step=step):
                    self.assertEqual(judged(found, self.wanted, beside), ())
                beside = light_of(found, self.wanted.scene)

    def test_a_frame_that_is_quite_another_is_not_called_wrong(self) -> None:
        self.assertEqual(self.codes(frame_light(1, 4), self.wanted, frame_light(1, 2)), [])

    def test_a_header_says_other_primaries(self) -> None:
        path = self.folder / "tagged.exr"
        write_image(path, frame_light(1), "half", {"colorInteropID": "lin_rec709_scene"})
        self.assertEqual([note.code for note in judged(survey(path), self.wanted, None)], ["frame.wrong-primaries"])


class Pictures(FramesTestCase):
    def test_frames_through_a_view(self) -> None:
        light, before = frame_light(SEED, 2), frame_light(SEED + 1, 2)
        for choice in CHOICES:
            wanted = Expectation(Scene(self.config, choice))  # type: ignore[arg-type]
            view = view_processor(self.config, "ACEScg", choice)  # type: ignore[arg-type]
            right, near = apply(view, light), apply(view, before)
            for name, made, codes in (
                ("right", right, []),
                ("light", light, ["frame.without-view"]),
                ("other", apply(view_processor(self.config, "ACEScg", _other(choice)), light), ["frame.changed"]),  # type: ignore[arg-type]
                ("washed", np.clip(right, 0, 1) ** np.float32(1 / 2.2), ["frame.changed"]),
            ):
                with self.subTest(choice.view, made=name):
                    self.assertEqual(self.codes(made, wanted, near, "uint8"), codes)

    def test_light_is_told_without_another_frame(self) -> None:
        wanted = Expectation(Scene(self.config, ACES_SDR))  # type: ignore[arg-type]
        self.assertEqual(self.codes(frame_light(SEED), wanted, None), ["frame.without-view"])


def _other(choice: ViewChoice) -> ViewChoice:
    return next(each for each in CHOICES if each != choice)


class Alone(FramesTestCase):
    def test_what_it_holds(self) -> None:
        light = frame_light(SEED)
        view = view_processor(self.config, "ACEScg", ACES_SDR)  # type: ignore[arg-type]
        for name, numbers, sample, holds in (
            ("light above 1", light, "half", LIGHT),
            ("a view in 8 bits", apply(view, light), "uint8", CODES),
            ("a bright view in floats", apply(view, light) * 0.4 + 0.5, "half", CODES),
            ("neither dark nor bright", np.full_like(light, 0.2), "half", UNDECIDED),
        ):
            with self.subTest(name):
                said = alone(self.config, self.surveyed(numbers, sample), "ACEScg")  # type: ignore[arg-type]
                self.assertEqual(said.holds, holds, said.why)
                self.assertGreater(said.confidence, 0.4)

    def test_a_lamp_of_one_colour_is_no_cut(self) -> None:
        light = np.clip(frame_light(SEED), 0, 0.9).reshape(-1, 3)
        light[::50] = (4.0, 3.0, 2.0)
        self.assertIsNone(cut_level(light))
        self.assertAlmostEqual(cut_level(np.clip(frame_light(SEED).reshape(-1, 3), 0, 0.7)) or 0.0, 0.7, places=3)

    def test_figures(self) -> None:
        light = np.full((40, 60, 3), 0.25, np.float32)
        light[0, 0] = 8.0
        figures = figures_of(self.surveyed(light))
        self.assertAlmostEqual(figures.peak, 8.0, places=2)
        self.assertAlmostEqual(figures.mean, 0.25 + 7.75 / 2400, places=3)
        self.assertEqual(figures.clipped, 0.0)


class Jumps(TestCase):
    def shot(self, levels: list[float]) -> dict[int, Figures]:
        return {at + 1001: Figures(8.0, level, level * 4, 0.0) for at, level in enumerate(levels)}

    def test_one_that_pops(self) -> None:
        self.assertEqual(list(jumps(self.shot([1.0] * 10 + [1.4] + [1.0] * 10))), [1011])

    def test_some_that_are_dark(self) -> None:
        found = jumps(self.shot([1.0] * 10 + [0.5] * 3 + [1.0] * 10))
        self.assertEqual(list(found), [1011, 1012, 1013])
        self.assertIn("1 stops darker", found[1011])

    def test_a_change_for_good_is_told_once(self) -> None:
        found = jumps(self.shot([1.0] * 10 + [2.0] * 20))
        self.assertEqual(list(found), [1011])
        self.assertIn("From here on", found[1011])

    def test_the_first_and_the_last(self) -> None:
        self.assertEqual(list(jumps(self.shot([2.0] + [1.0] * 12))), [1001])
        self.assertEqual(list(jumps(self.shot([1.0] * 12 + [2.0]))), [1013])

    def test_a_lamp_that_comes_into_the_frame_is_no_jump(self) -> None:
        shot = {at: Figures(20.0, 0.3 + 0.004 * at, 0.5 if at < 9 else 12.0, 0.0) for at in range(30)}
        self.assertEqual(jumps(shot), {})
        popped = {**shot, 4: Figures(20.0, 0.31, 9.0, 0.0)}
        self.assertEqual(list(jumps(popped)), [4])

    def test_a_fade_and_a_shot_that_flickers_do_not_jump(self) -> None:
        self.assertEqual(jumps(self.shot([2.0 ** (-at / 8) for at in range(60)])), {})
        rng = np.random.default_rng(SEED)
        self.assertEqual(jumps(self.shot([float(2 ** rng.normal(0, 0.15)) for _ in range(60)])), {})
