"""Test cards that come back: found, and what was done to them told."""

import os
from dataclasses import replace
from unittest import TestCase

import numpy as np

from saltwort.core.engine import apply, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.stations.handshake.answer import AGREED, UNDECIDED, UNKNOWN, WRONG, CameBack, answer
from saltwort.core.stations.handshake.card import COUNT, HEIGHT, WIDTH, Card, patch_corner
from saltwort.core.stations.handshake.found import find_card
from saltwort.core.stations.handshake.marks import BITS, CardMark, bits_of, mark_of
from saltwort.core.stations.kinds import kind_named
from saltwort.core.stations.proof import OUT_OF_DATE, PROVED, changed_since, depends_on, state_of
from saltwort.core.stations.simulation import Bench, form_fed
from tests.made_cards import answered, cases, is_right
from tests.samples import ACES_SDR, UNTONED, project_config

SEED = int(os.environ.get("SALTWORT_SEED", "1"))
CASES = 80
LEAST_RIGHT = 0.95


def card(kind: str = "compositor-nodes") -> Card:
    station = kind_named(kind).station("Comp")
    bench = Bench(station, project_config(), ACES_SDR, form_fed(station, project_config()))
    return Card(bench, CardMark.of(12, 34, bench.fed), "Lantern Quay, revision 34, Comp")


def seen(of: Card) -> np.ndarray:
    return np.clip(of.bench.agreed().shown(of.picture())[..., :3], 0, 1)


class Marks(TestCase):
    def test_any_mark_is_read_again_and_no_other_is(self) -> None:
        rng = np.random.default_rng(SEED)
        for _ in range(300):
            mark = CardMark.of(int(rng.integers(1 << 22)), int(rng.integers(1 << 20)), "texture")
            bits = bits_of(mark)
            self.assertEqual(mark_of(bits), mark)
            place = int(rng.integers(BITS))
            self.assertIsNone(mark_of([bit != (index == place) for index, bit in enumerate(bits)]))
        self.assertIsNone(mark_of([False] * BITS))
        self.assertIsNone(mark_of([True] * BITS))


class Found(TestCase):
    def test_patches_are_those_of_the_card(self) -> None:
        of = card()
        found = find_card(of.picture())
        self.assertEqual(found.mark, of.mark)
        np.testing.assert_allclose(found.numbers, of.numbers, rtol=1e-6)

    def test_mirrored_and_stretched(self) -> None:
        of = card()
        picture = np.repeat(seen(of)[:, ::-1], 2, axis=1)
        found = find_card(picture)
        self.assertEqual(found.mark, of.mark)
        self.assertAlmostEqual(found.scale[0], -2.0, delta=0.01)
        np.testing.assert_allclose(found.numbers[:, :3], seen_patches(of), atol=1e-6)

    def test_a_corner_that_is_cut_off(self) -> None:
        of = card()
        picture = seen(of)
        picture[:110, :110] = 0.3
        self.assertEqual(find_card(picture).mark, of.mark)

    def test_a_large_picture(self) -> None:
        of = card()
        found = find_card(np.repeat(np.repeat(seen(of), 5, axis=0), 5, axis=1))
        self.assertEqual(found.mark, of.mark)
        np.testing.assert_allclose(found.numbers[:, :3], seen_patches(of), atol=1e-6)

    def test_no_card(self) -> None:
        rng = np.random.default_rng(SEED)
        flat = np.full((300, 400, 3), 0.2, np.float32)
        for picture in (flat, rng.random((300, 400, 3)).astype(np.float32), seen(card())[:, :420]):
            with self.assertRaisesRegex(BadInput, "no test card"):
                find_card(picture)
        with self.assertRaisesRegex(BadInput, "no test card"):
            find_card(np.full((8, 8, 3), np.nan, np.float32))


def seen_patches(of: Card) -> np.ndarray:
    picture = seen(of)
    corners = (patch_corner(index) for index in range(COUNT))
    return np.array([picture[top + 20, left + 20] for left, top in corners])


class Answers(TestCase):
    def test_what_changes_nothing_is_no_answer(self) -> None:
        """Negatives cut off are in few patches: an exposure of 0 stops left no more of them than that share."""
        of = card()
        light = of.bench.agreed().written(of.picture())[..., :3]
        said = answer(of, CameBack(find_card(np.maximum(light, 0)), "written", "half"))
        self.assertNotIn("stops", {name for made in said.made for name in made.slip.parameters})

    def test_made_by_arithmetic_of_our_own(self) -> None:
        """Each with what it must be told as."""
        of = card()
        bench = of.bench
        light, shown = (way(of.picture())[..., :3] for way in (bench.agreed().written, bench.agreed().shown))
        to_rec709 = apply(space_processor(bench.config, "ACEScg", "Linear Rec.709 (sRGB)"), np.ascontiguousarray(light))
        stops = np.log2(np.maximum(light, 2.0**-16))
        acescct = np.where(light <= 0.0078125, 10.5402377416545 * light + 0.0729055341958355, (stops + 9.72) / 17.52)
        for name, numbers, came, depth, code, parameters in (
            ("negatives", np.maximum(light, 0), "written", "half", "negatives-clipped", {}),
            ("swap in the file", light[..., ::-1], "written", "half", "channels", {"order": "BGR"}),
            ("swap on screen", np.clip(shown, 0, 1)[..., ::-1], "shown", "8 bits", "channels", {"order": "BGR"}),
            ("log left in", acescct, "written", "half", "encoded", {"space": "ACEScct"}),
            ("power", np.clip(to_rec709, 0, None) ** (1 / 2.2), "shown", "8 bits", "curve-alone",
             {"space": "Gamma 2.2 Encoded Rec.709"}),
        ):  # fmt: skip
            with self.subTest(name):
                picture = np.ascontiguousarray(numbers, np.float32)
                picture = np.clip(picture, 0, 1) if came == "shown" else picture
                said = answer(of, CameBack(find_card(picture), came, depth))
                # What is light in and light out may be swapped on reading as well as on writing.
                self.assertEqual(said.verdict, UNDECIDED if name == "swap in the file" else WRONG)
                self.assertEqual({made.mistake.code for others in said.others for made in others} - {code}, set())
                (made,) = said.made
                self.assertEqual(made.mistake.code, code)
                self.assertEqual({key: made.slip.parameters[key] for key in parameters}, parameters)

    def test_random_cases(self) -> None:
        """The share of right answers, and not one that calls a wrong card right."""
        right, told = 0, []
        for case in cases(CASES, SEED):
            said = answered(case)
            if is_right(case, said):
                right += 1
            else:
                told.append(f"{case} → {said and said.verdict} {said and [made.key for made in said.made]}")
            if case.made is not None and said is not None:
                self.assertNotEqual(said.verdict, AGREED, str(case))
        print(f"\nHandshake, seed {SEED}: {right} of {CASES} cases right", *told, sep="\n  ")
        self.assertGreaterEqual(right / CASES, LEAST_RIGHT, told)

    def test_two_mistakes_one_after_the_other(self) -> None:
        of = card()
        dark = np.clip(of.bench.agreed().shown(of.picture() * np.float32(0.5))[..., :3], 0, 1) ** np.float32(1 / 2.2)
        said = answer(of, CameBack(find_card(dark), "shown", "float"))
        self.assertIn(said.verdict, (WRONG, UNDECIDED))
        made = {each.mistake.code: each.slip.parameters for each in said.made}
        self.assertEqual(made.keys(), {"exposure", "power"})
        self.assertAlmostEqual(float(made["power"]["exponent"]), 1 / 2.2, delta=0.02)
        self.assertAlmostEqual(float(made["exposure"]["stops"]), -1.0, delta=0.05)

    def test_what_is_none_of_these_is_unknown(self) -> None:
        of = card()
        picture = seen(of)
        odd = np.stack([np.sin(picture[..., 0] * 3) ** 2, picture[..., 2] ** 3, 1 - picture[..., 1]], axis=-1)
        said = answer(of, CameBack(find_card(np.maximum(odd, 0.02) * (picture > 0)), "shown", "8 bits"))
        self.assertEqual(said.verdict, UNKNOWN)

    def test_what_is_covered_does_not_count(self) -> None:
        of = card()
        picture = seen(of)
        picture[HEIGHT - 150 : HEIGHT - 100, WIDTH - 300 : WIDTH - 200] = 0.9  # a menu over two patches
        said = answer(of, CameBack(find_card(picture ** np.float32(2.2)), "shown", "8 bits"))
        self.assertEqual(said.made[0].mistake.code, "power")


class Proofs(TestCase):
    def test_what_touches_it_and_what_does_not(self) -> None:
        at = card().bench
        then = depends_on(at)
        self.assertEqual(changed_since(then, depends_on(card().bench)), [])
        other = depends_on(replace(at, choice=UNTONED))
        self.assertRegex(changed_since(then, other)[0], "the view was .*ACES 2.0.* and is .*Un-tone-mapped")
        self.assertEqual(state_of(AGREED, []), PROVED)
        self.assertEqual(state_of(AGREED, ["the view"]), OUT_OF_DATE)
