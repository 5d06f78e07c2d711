"""Chains, what stations do in simulation, and what is set wrong in them."""

from itertools import pairwise
from unittest import TestCase

import numpy as np

from saltwort.core.engine import ViewChoice, apply, load_config, space_processor, view_processor
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE
from saltwort.core.errors import BadInput
from saltwort.core.findings import codes
from saltwort.core.spaces.curves import srgb_encoded
from saltwort.core.stations import Station
from saltwort.core.stations.chain import check_arrows, columns, handed_over
from saltwort.core.stations.chain_simulation import Member, simulate
from saltwort.core.stations.kinds import BY_KEY, KINDS, kind_named
from saltwort.core.stations.lat_long import Turn, is_turned, turn_between, turned
from saltwort.core.stations.mistake import mistakes, possible, usual
from saltwort.core.stations.simulation import Bench, form_fed
from saltwort.core.stations.texture_table import curve_and_primaries, name_token
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, SRGB_DISPLAY, light, project_config

BARE = """ocio_profile_version: 2
roles: {default: lin, scene_linear: lin}
file_rules:
  - !<Rule> {name: Default, colorspace: default}
displays:
  screen:
    - !<View> {name: plain, colorspace: shown}
colorspaces:
  - !<ColorSpace> {name: lin, encoding: scene-linear}
  - !<ColorSpace> {name: shown, from_scene_reference: !<ExponentTransform> {value: 0.45}}
"""


def bench(kind: str, **abilities: object) -> Bench:
    station = kind_named(kind).station(kind).with_abilities(abilities)
    return Bench(station, project_config(), ACES_SDR, form_fed(station, project_config()))


def muted(height: int, width: int) -> np.ndarray:
    """Light as of surfaces: greys with some colour in them, up to 0.5."""
    grey = np.random.default_rng(9).random((height, width, 1)) * 0.4 + 0.01
    return (grey * (0.8 + 0.4 * np.random.default_rng(8).random((height, width, 3)))).astype(np.float32)


class Chains(TestCase):
    def test_columns_come_after_all_that_feed_them(self) -> None:
        rng = np.random.default_rng(11)
        for _ in range(100):
            keys = list(range(int(rng.integers(1, 12))))
            arrows = [(int(a), int(b)) for a in keys for b in keys if a < b and rng.random() < 0.3]
            order = rng.permutation(keys).tolist()
            made = columns(order, arrows)
            place = {key: index for index, column in enumerate(made) for key in column}
            self.assertEqual(sorted(place), keys)
            for giver, taker in arrows:
                self.assertLess(place[giver], place[taker])

    def test_circles_are_refused(self) -> None:
        check_arrows("abc", [("a", "b"), ("b", "c"), ("a", "c")])
        for arrows in ([("a", "a")], [("a", "b"), ("b", "a")], [("a", "b"), ("b", "c"), ("c", "a")], [("a", "x")]):
            with self.assertRaises(BadInput):
                check_arrows("abc", arrows)

    def test_what_lies_on_an_arrow(self) -> None:
        told = {
            (giver.key, taker.key): handed_over(giver.station("One"), taker.station("Other"))
            for giver in KINDS
            for taker in KINDS
        }
        self.assertEqual(told["texturing", "renderer"], "textures, each in its own space")
        self.assertEqual(told["renderer", "compositor-nodes"], "scene-linear EXR, half float, no view")
        self.assertIn("made in Outputs", told["renderer", "web-page"])
        self.assertIn("finished pictures", told["grading", "web-page"])
        self.assertIn("for looking", told["player", "web-page"])


class Arithmetic(TestCase):
    """Each kind as agreed against the engine."""

    def setUp(self) -> None:
        self.config = project_config()
        self.light = light(12, 20, peak=6.0)
        self.view = view_processor(self.config, "ACEScg", ACES_SDR)

    def test_what_is_shown_through_a_config_is_the_engines_view(self) -> None:
        seen = apply(self.view, self.light)
        for kind in ("render-viewer", "compositor-nodes", "compositor-layers", "grading"):
            np.testing.assert_array_equal(bench(kind).agreed().shown(self.light), seen, kind)
        codes = np.clip(light(12, 20, peak=1.0), 0, 1)
        decoded = apply(space_processor(self.config, SRGB, "ACEScg"), codes)
        for kind in ("texturing", "renderer", "renderer-tone-mapping"):
            np.testing.assert_allclose(bench(kind).agreed().shown(codes), apply(self.view, decoded), atol=1e-6)

    def test_what_others_show(self) -> None:
        untoned = bench("editor-icc").agreed().shown(self.light)
        rec709 = apply(space_processor(self.config, "ACEScg", LINEAR_REC709), self.light).astype(np.float64)
        meant = srgb_encoded(np.clip(rec709, 0, 1))
        np.testing.assert_allclose(np.clip(untoned, 0, 1), meant, atol=2e-4)
        codes = np.clip(light(12, 20, peak=1.0), 0, 1)
        for kind in ("texturing-srgb", "renderer-gamma", "engine"):
            np.testing.assert_allclose(bench(kind).agreed().shown(codes), codes, atol=5e-5)
        for kind in ("player", "web-page"):
            np.testing.assert_array_equal(bench(kind).agreed().shown(codes), codes)
        through_lut = bench("editor-lut").agreed().shown(self.light)
        self.assertLess(float(np.abs(through_lut - apply(self.view, self.light)).mean()), 3e-3)

    def test_what_is_handed_on(self) -> None:
        for kind in ("compositor-nodes", "compositor-transform", "editor-lut"):
            np.testing.assert_array_equal(bench(kind).agreed().written(self.light), self.light)
        self.assertIsNone(bench("player").hands_on)
        np.testing.assert_array_equal(bench("grading").agreed().written(self.light), apply(self.view, self.light))
        codes = np.clip(light(12, 20, peak=1.0), 0, 1)
        np.testing.assert_allclose(bench("texturing").agreed().written(codes), codes, atol=5e-5)

    def test_the_view_undone_gives_light_back(self) -> None:
        at = bench("compositor-nodes")
        dim = muted(12, 20)
        np.testing.assert_allclose(at.view_undone()(at.view()(dim)), dim, atol=5e-3)
        assert at.encoded_only is not None and at.encoding_undone is not None
        np.testing.assert_allclose(at.encoding_undone(at.encoded_only(dim)), dim, atol=1e-3)


class Mistakes(TestCase):
    def test_each_changes_what_it_says(self) -> None:
        """A mistake in reading or showing changes what is seen, one in writing what is handed on."""
        rng = np.random.default_rng(5)
        wide = (rng.random((8, 9, 4)) ** 3 * 12).astype(np.float32)
        wide[..., 3] = rng.random((8, 9))
        for kind in KINDS:
            at = bench(kind.key)
            fed = wide if at.fed == "light" else np.clip(wide / 8, 0, 1)
            agreed = at.agreed()
            for made in usual(at):
                with self.subTest(kind.key, mistake=made.key):
                    run, stage = made.slip.run, made.mistake.stage
                    seen = np.allclose(run.shown(fed), agreed.shown(fed), atol=1e-6)
                    handed = np.allclose(run.written(fed), agreed.written(fed), atol=1e-6)
                    if stage == "show":
                        self.assertTrue(handed)
                    if stage == "write":
                        self.assertTrue(seen)

    def test_keys_are_unique_sentences_are_whole_and_findings_exist(self) -> None:
        known = {code.code for code in codes()}
        for kind in KINDS:
            made = possible(bench(kind.key))
            self.assertEqual(len({one.key for one in made}), len(made))
            for one in made:
                for sentence in (one.told(one.mistake.happened), one.told(one.mistake.repair)):
                    self.assertNotRegex(sentence, r"[{}]")
                    self.assertTrue(sentence.endswith("."), sentence)
        for mistake in mistakes():
            if mistake.finding:
                self.assertIn(mistake.finding, known)

    def test_undo_takes_it_back(self) -> None:
        """Of light within what no step cuts off."""
        dim = light(10, 10, peak=0.5) + 0.02
        for kind in KINDS:
            at = bench(kind.key)
            if at.hands_on != "light" or at.fed == "picture" or at.fed_space is None:
                continue
            fed = dim if at.fed == "light" else at.between("ACEScg", at.fed_space)(dim)
            for made in possible(at):
                if made.slip.undo is None or made.mistake.stage == "show":
                    continue
                with self.subTest(kind.key, mistake=made.key):
                    back = made.slip.undo(made.slip.run.written(fed))
                    share = (np.abs(back - at.agreed().written(fed)) < 0.02).all(axis=2).mean()
                    self.assertGreater(float(share), 0.9)


class Simulation(TestCase):
    def chain(self, *kinds: str, wrong: dict[int, str] | None = None) -> dict:
        members = {}
        for index, kind in enumerate(kinds):
            at = bench(kind)
            made = next((one for one in possible(at) if one.key.startswith((wrong or {}).get(index, "-"))), None)
            members[index] = Member(at, [index - 1] if index else [], made)
        return simulate(members, range(len(kinds)), 5 * muted(10, 12))

    def test_a_baked_view_reaches_all_that_follow_and_is_repaired_in_part(self) -> None:
        found = self.chain("renderer", "compositor-nodes", "grading", "web-page", wrong={0: "write:view-baked"})
        self.assertFalse(found[0].shown_wrong)
        self.assertTrue(all(found[index].shown_wrong for index in (1, 2, 3)))
        repair = found[1].repair
        assert repair is not None
        self.assertTrue(repair.possible)
        self.assertLess(repair.lost, 0.5)
        self.assertIn("written into the file", repair.why)
        last = found[3].repair
        assert last is not None
        self.assertFalse(last.possible)

    def test_of_two_that_feed_one_the_wrong_file_counts(self) -> None:
        baked = next(made for made in possible(bench("renderer")) if made.mistake.code == "view-baked")
        members = {
            0: Member(bench("renderer"), []),
            1: Member(bench("renderer"), [], baked),
            2: Member(bench("compositor-nodes"), [0, 1]),
        }
        found = simulate(members, [0, 1, 2], light(8, 8))
        self.assertTrue(found[2].shown_wrong)

    def test_every_pair_of_kinds(self) -> None:
        for one, other in pairwise([kind.key for kind in KINDS]):
            found = self.chain(one, other)
            self.assertFalse(found[0].shown_wrong or found[1].shown_wrong, (one, other))


class Environments(TestCase):
    def test_flux_of_each_row_is_kept(self) -> None:
        rng = np.random.default_rng(2)
        for _ in range(20):
            pixels = (rng.random((6, int(rng.integers(5, 60)), 3)) ** 8 * 1e3).astype(np.float32)
            turn = Turn(float(rng.uniform(0, 360)), bool(rng.integers(2)))
            made = turned(pixels, turn)
            np.testing.assert_allclose(made.sum(axis=1), pixels.sum(axis=1), rtol=1e-4)

    def test_back_and_forth(self) -> None:
        pixels = light(8, 36)
        np.testing.assert_array_equal(turned(turned(pixels, Turn(90.0)), Turn(270.0)), pixels)
        np.testing.assert_array_equal(turned(pixels, Turn(0.0, True)), pixels[:, ::-1])

    def test_between_two(self) -> None:
        one = BY_KEY["renderer"].station("One")
        other = one.with_abilities({"lat_long_centre": "90"})
        self.assertFalse(is_turned(one, Station("Two", "textures")))
        self.assertEqual(turn_between(one, other), Turn(270.0))
        self.assertEqual(turn_between(other, one), Turn(90.0))


class Tables(TestCase):
    def test_tokens_and_words_for_spaces(self) -> None:
        config = project_config()
        tokens = [name_token(config, name) for name in (SRGB, "ACEScg", LINEAR_REC709, "Raw", "ACEScct")]
        self.assertEqual(tokens, ["srgb", "acescg", "lin_rec709", "raw", "acescct"])
        self.assertEqual(curve_and_primaries(config, SRGB), "sRGB; Rec.709")
        self.assertIn("data", curve_and_primaries(config, "Raw"))
        self.assertIn("convert", curve_and_primaries(config, "ACEScct"))


class Bare(TestCase):
    """A config that tells neither what its numbers mean nor has a space of textures."""

    def test_every_kind_and_every_mistake_goes_on(self) -> None:
        config = load_config(BARE)
        for kind in KINDS:
            station = kind.station("It")
            at = Bench(station, config, ViewChoice("screen", "plain"), form_fed(station, config))
            self.assertNotEqual(at.fed, "texture")
            for made in possible(at):
                self.assertEqual(made.slip.run.shown(muted(4, 5)).shape, (4, 5, 3))
                self.assertEqual(made.slip.run.written(muted(4, 5)).shape, (4, 5, 3))


class Names(TestCase):
    def test_spaces_the_simulation_stands_on(self) -> None:
        config = project_config()
        self.assertEqual(bench("renderer").texture_space, SRGB)
        self.assertTrue(config.hasRole(DISPLAY_INTERCHANGE))
        self.assertIn(SRGB_DISPLAY, config.getDisplays())
