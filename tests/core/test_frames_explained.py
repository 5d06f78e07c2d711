"""Pictures that came back: what was done to them is told, of cases made at random."""

import os
import tempfile
from dataclasses import replace
from functools import cache
from pathlib import Path
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import apply
from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import place, reduced
from saltwort.core.explain.drawn import drawn
from saltwort.core.explain.explained import AS_EXPECTED, IN_PLACES, UNKNOWN, Explained, explain, rescued
from saltwort.core.explain.fitted import fitted
from saltwort.core.explain.operation import Scene, operations
from saltwort.core.explain.pictures import apart, as_expected, as_repaired
from saltwort.core.explain.question import Question
from saltwort.core.explain.undoing import undone_again
from saltwort.core.views.grade import AFTER, Grade, on_its_numbers
from tests.made_frames import CHOICES, Frame, answered, frames, frames_config, is_right, light_of

SEED = int(os.environ.get("SALTWORT_SEED", "1"))
RIGHT, SINGLES, PAIRS, THREES = 12, 10, 4, 2
"""Pictures of each; `make bench` tells the shares of many more."""


@cache
def asked(count: int, deviations: int) -> list[tuple[Frame, Explained]]:
    return [(frame, answered(frame)) for frame in frames(count, SEED, deviations)]


def answers(count: int, deviations: int) -> tuple[int, list[str]]:
    """How many are answered rightly, and what was said of the others."""
    right, told = 0, []
    for frame, said in asked(count, deviations):
        if is_right(frame, said):
            right += 1
        else:
            told.append(f"{frame} → {said.verdict} {[(each.code, dict(each.parameters)) for each in said.deviations]}")
        if frame.made and said.verdict == AS_EXPECTED:
            raise AssertionError(f"called as expected: {frame}")
    return right, told


def frame(deviations: int = 0) -> Frame:
    return next(frames(1, 3, deviations))


class Answers(TestCase):
    def test_right_pictures(self) -> None:
        right, told = answers(RIGHT, 0)
        self.assertGreaterEqual(right / RIGHT, 0.9, told)

    def test_one_deviation(self) -> None:
        right, told = answers(SINGLES, 1)
        print(f"\nExplained, seed {SEED}: {right} of {SINGLES} with one deviation", *told, sep="\n  ")
        self.assertGreaterEqual(right / SINGLES, 0.95, told)

    def test_two_deviations(self) -> None:
        right, told = answers(PAIRS, 2)
        self.assertGreaterEqual(right / PAIRS, 0.75, told)

    def test_exposure_and_two_deviations(self) -> None:
        right, told = answers(THREES, 3)
        self.assertGreaterEqual(right / THREES, 0.5, told)

    def test_what_is_none_of_these_is_unknown(self) -> None:
        question = frame().question
        red, green, blue = np.moveaxis(question.picture[..., :3], 2, 0)
        odd = np.stack([(0.5 * red + 0.5 * blue) ** 2, 0.3 + 0.5 * green * red, 0.6 * np.sqrt(blue)], axis=2)
        self.assertEqual(explain(replace(question, picture=odd)).verdict, UNKNOWN)

    def test_a_watermark_does_not_decide(self) -> None:
        question = frame().question
        marked = question.picture.copy()
        height, width = marked.shape[:2]
        marked[: height // 6, : width // 3] = (0.9, 0.1, 0.1)
        said = explain(replace(question, picture=marked))
        self.assertEqual((said.verdict, said.deviations), (IN_PLACES, ()))
        (box,) = said.places.boxes if said.places else ()
        np.testing.assert_allclose((box.left, box.top, box.width, box.height), (0, 0, 1 / 3, 1 / 6), atol=0.04)
        dark = explain(replace(question, picture=np.clip(marked, 0, 1) ** np.float32(2.2)))
        self.assertEqual([each.code for each in dark.deviations], ["power"])

    def test_code_values_rounded_before_they_were_changed_are_no_difference(self) -> None:
        question = frame().question
        codes = np.round(np.clip(question.scene.view()(question.light)[..., :3], 0, 1) * 255) / 255
        pale = (np.round(codes ** (1 / 2.2) * 255) / 255).astype(np.float32)
        said = explain(replace(question, picture=pale, depth="8 bits"))
        self.assertEqual(([each.code for each in said.deviations], said.places), (["power"], None))

    def test_what_the_file_cannot_tell_is_said(self) -> None:
        """Muted light looks the same in primaries that are near; strong colours tell."""
        scene = Scene(frames_config(), CHOICES[0])  # type: ignore[arg-type]
        strong = light_of(3)
        grey = strong[..., :3].mean(axis=2, keepdims=True)
        muted = strong.copy()
        muted[..., :3] = grey + np.float32(0.03) * (strong[..., :3] - grey)
        for light, expected in ((muted, True), (strong, False)):
            codes = np.clip(scene.view()(light), 0, 1)
            picture = (np.round(codes * 255) / 255).astype(np.float32)
            said = explain(Question(picture, "8 bits", light, scene.config, scene.choice, False))
            self.assertEqual((said.verdict, bool(said.alternatives)), (AS_EXPECTED, expected), said.sentence)
            if expected:
                told = {each.code for other in said.alternatives for each in other}
                self.assertIn("primaries", told)
                self.assertRegex(
                    said.sentence, "^The picture is as expected, or this file cannot tell it from: .* would tell.$"
                )

    def test_a_grade_is_recovered(self) -> None:
        question = frame().question
        made = Grade(AFTER, (1.15, 0.95, 0.9), (0.02, 0.0, -0.015), (0.9, 1.05, 1.1), 0.8)
        codes = np.clip(question.scene.view()(question.light), 0, 1)
        graded = np.clip(on_its_numbers(made, codes), 0, 1).astype(np.float32)
        said = explain(replace(question, picture=graded, depth="16 bits"))
        self.assertEqual([each.code for each in said.deviations], ["grade"])
        self.assertLess(said.residual[0], 0.5)
        for name, wanted in (("slope", made.slope), ("offset", made.offset), ("power", made.power)):
            np.testing.assert_allclose(said.deviations[0].parameters[name], wanted, atol=0.03)

    def test_bars_around_it_are_told(self) -> None:
        question = frame().question
        picture = question.picture[..., :3]
        height, width = picture.shape[:2]
        boxed = np.zeros((height + 60, width, 3), np.float32)
        boxed[30 : height + 30] = picture
        said = explain(replace(question, picture=boxed))
        self.assertEqual([each.code for each in said.deviations], ["geometry"])
        self.assertEqual(said.deviations[0].parameters["bars"], (0.0, 30.0, 0.0, 30.0))
        asked = replace(question, picture=boxed)
        self.assertLess(float(np.median(apart(asked, as_repaired(asked, said), as_expected(asked, said)))), 1.5)

    def test_a_picture_of_a_window_on_a_screen(self) -> None:
        question = frame().question
        picture = np.clip(question.picture[..., :3], 0, 1) ** np.float32(1 / 1.8)
        height, width = picture.shape[:2]
        screen = np.full((height + 190, width + 260, 3), 0.22, np.float32)
        screen[:40] = np.linspace(0.1, 0.5, width + 260)[:, np.newaxis]
        screen[60::18, 10:180] = 0.7  # lines of a list
        screen[70 : 70 + height, 220 : 220 + width] = picture
        said = explain(replace(question, picture=screen, depth="8 bits"))
        self.assertEqual([each.code for each in said.deviations], ["power", "geometry"], said)
        self.assertAlmostEqual(said.deviations[0].parameters["exponent"], 1 / 1.8, delta=0.03)
        np.testing.assert_allclose(said.deviations[1].parameters["bars"], (220, 70, 40, 120), atol=3)

    def test_a_picture_of_few_steps(self) -> None:
        question = frame().question
        few = np.round(np.clip(question.picture[..., :3], 0, 1) * 15) / np.float32(15)
        said = explain(replace(question, picture=few.astype(np.float32), depth="8 bits"))
        self.assertEqual([(each.code, each.parameters["bits"]) for each in said.deviations], [("steps", 4.0)])
        self.assertFalse(said.can_be_undone)

    def test_what_comes_nearest_to_the_unknown(self) -> None:
        chance = np.random.default_rng(SEED)
        expected = chance.random((2000, 3)) ** 1.5
        matrix = np.array([[0.8, 0.15, 0.05], [0.1, 0.85, 0.05], [0.02, 0.18, 0.8]])
        mixed = expected @ matrix.T
        seen = np.clip(0.9 * mixed**0.6 + 0.03 * np.sin(6 * mixed), 0, 1)
        seen[:60] = chance.random((60, 3))  # a watermark
        near = fitted(expected, seen)
        np.testing.assert_allclose(near.matrix, matrix, atol=0.03)
        self.assertLess(float(np.median(np.abs(near.of(expected) - seen))), 0.01)
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "near.clf"
            file.write_bytes(near.as_clf())
            processor = ocio.Config.CreateRaw().getProcessor(ocio.FileTransform(str(file))).getDefaultCPUProcessor()
            loaded = apply(processor, np.ascontiguousarray(expected[np.newaxis], np.float32))[0]
        np.testing.assert_allclose(loaded, near.of(expected), atol=1e-4)

    def test_the_same_is_undone_in_other_frames(self) -> None:
        undone = [(made, said) for made, said in asked(SINGLES, 1) if said.can_be_undone]
        self.assertGreater(len(undone), SINGLES / 4)
        for made, said in undone:
            with self.subTest(str(made)):
                plain = [{"code": each.code, **each.parameters} for each in said.deviations]
                scene, picture = made.question.scene, made.question.picture
                np.testing.assert_allclose(
                    undone_again(scene, plain, picture), rescued(made.question, said), rtol=1e-4, atol=1e-5
                )

    def test_the_chain_is_drawn(self) -> None:
        question = frame().question
        view = question.choice.view
        codes = question.scene.view()(question.light[..., :3])
        twice = replace(question, picture=np.clip(question.scene.view()(np.clip(codes, 0, 1)), 0, 1), depth="16 bits")
        parts = [(part.label, part.state) for part in drawn(twice, explain(twice))]
        self.assertEqual(parts[1:3], [(view, "expected"), (f"{view} again", "extra")])
        bare = replace(question, picture=np.clip(question.light[..., :3], 0, 1), depth="16 bits")
        self.assertIn((view, "missing"), [(part.label, part.state) for part in drawn(bare, explain(bare))])

    def test_flipped(self) -> None:
        question = frame().question
        said = explain(replace(question, picture=np.ascontiguousarray(question.picture[:, ::-1])))
        self.assertEqual([each.code for each in said.deviations], ["geometry"])
        self.assertEqual(said.deviations[0].parameters["flip"], "horizontal")
        turned = replace(question, picture=np.ascontiguousarray(question.picture[:, ::-1]))
        left = apart(turned, as_repaired(turned, said), as_expected(turned, said))
        self.assertLess(float(np.median(left)), 1.5)

    def test_what_is_cut_off_cannot_be_rescued(self) -> None:
        question = frame().question
        scene = question.scene
        cut = np.clip(scene.view()(np.clip(question.light, 0, 0.25)), 0, 1)
        asked = replace(question, picture=cut, depth="16 bits")
        said = explain(asked)
        self.assertEqual([each.code for each in said.deviations], ["clipped"])
        self.assertIn("cut off", said.lost[0])
        with self.assertRaisesRegex(BadInput, "cannot be undone"):
            rescued(asked, said)


class Placed(TestCase):
    def test_scaled_and_cut(self) -> None:
        light = light_of(3)
        part = light[20:500, 31:900][::2, ::2] ** np.float32(0.4)
        found = place(reduced(light), reduced(part))
        self.assertAlmostEqual(found.scale[0], 2.0, delta=0.01)
        self.assertAlmostEqual(found.shift[0], 31.0, delta=1.5)
        self.assertAlmostEqual(found.shift[1], 20.0, delta=1.5)

    def test_another_picture(self) -> None:
        self.assertFalse(place(reduced(light_of(1)), reduced(light_of(2))).is_same_picture)


class Operations(TestCase):
    def test_sentences_are_whole_and_undo_undoes(self) -> None:
        scene = Scene(frames_config(), CHOICES[0])  # type: ignore[arg-type]
        grey = np.random.default_rng(1).random((1, 200, 1)) * 0.3 + 0.12
        colours = (grey * (0.8 + 0.4 * np.random.default_rng(2).random((1, 200, 3)))).astype(np.float32)
        for operation in operations():
            for way in operation.ways(scene):
                sentence = operation.happened.format(**way.parameters)
                self.assertTrue(sentence.endswith("."), sentence)
                if way.undo and way.step and operation.stage != "view":
                    with self.subTest(operation.code, **way.parameters):
                        back = way.undo(way.step(colours))
                        np.testing.assert_allclose(back, colours, atol=2e-3)
