"""Verdicts come true as often as they say: on textures made at random, from a printed seed."""

import os
from collections import defaultdict
from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.images import measure
from saltwort.core.textures.evidence import (
    CONFIDENT,
    Evidence,
    Verdict,
    data_space,
    evidence_for,
    holds_light,
    verdict_of,
)
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.pixel_evidence import DATA_SORTS, ENCODED, LINEAR
from tests.core.made_textures import DATA, LOG, ONE_COLOUR, make
from tests.core.test_images import ImageTestCase
from tests.samples import base_config

SEED = int(os.environ.get("SALTWORT_SEED", "20261126"))
NEUTRAL, TELLING = 800, 300
MOST_WRONG, FEWEST_RIGHT, FEWEST_RIGHT_TOLD = 0.03, 0.65, 0.98
OFF = 0.10
ENOUGH = 40
"""Files in a bin from which its share says something: at 0.7, ±0.07 is one standard deviation."""


@dataclass(frozen=True)
class Judged:
    """A file's verdict, whether it, or while undecided its likeliest candidate, is right, and the evidence for it."""

    kind: str
    verdict: Verdict
    is_right: bool
    evidence: list[Evidence]


def held_in(config: ocio.Config, space: str) -> str:
    if space == data_space(config):
        return DATA
    if config.getColorSpace(space).getEncoding() == "log":
        return LOG
    return LINEAR if holds_light(config, space) else ENCODED


class Calibration(ImageTestCase):
    def judged(self, count: int, *, telling: bool) -> list[Judged]:
        rng, config = np.random.default_rng(SEED + telling), base_config()
        print(f"textures from seed {SEED + telling}")
        found = []
        for _ in range(count):
            made = make(rng, self.folder, telling=telling)
            evidence = evidence_for(config, made.path.name, map_kind_of(made.path.name), measure(made.path))
            verdict = verdict_of(evidence)
            made.path.unlink()
            held = held_in(config, str(verdict.space or verdict.candidates[0].space))
            found.append(Judged(made.kind, verdict, held == made.holds, evidence))
        return found

    def assert_calibrated(self, judged: list[Judged]) -> None:
        bins: dict[int, list[Judged]] = defaultdict(list)
        for one in judged:
            if one.kind == ONE_COLOUR:
                self.assertFalse(one.verdict.is_sure, "a file of one colour tells nothing")
                continue
            bins[min(int(one.verdict.confidence * 10), 9)].append(one)
        for number, within in sorted(bins.items()):
            said = float(np.mean([one.verdict.confidence for one in within]))
            true = float(np.mean([one.is_right for one in within]))
            print(f"confidence from {number / 10:.1f}: {len(within)} files, {said:.2f}, right {true:.2f}")
            if len(within) >= ENOUGH:
                self.assertLessEqual(abs(said - true), OFF)

    def test_names_that_tell_nothing(self) -> None:
        judged = self.judged(NEUTRAL, telling=False)
        sure = [one for one in judged if one.verdict.is_sure]
        right, wrong = (sum(one.is_right == held for one in sure) / len(judged) for held in (True, False))
        print(f"decided rightly {right:.1%}, wrongly {wrong:.1%}, undecided {1 - len(sure) / len(judged):.1%}")
        self.assertLessEqual(wrong, MOST_WRONG)
        self.assertGreaterEqual(right, FEWEST_RIGHT)
        self.assert_calibrated(judged)
        for one in judged:
            if one.verdict.is_sure:
                self.assertTrue(any(piece.favours == one.verdict.space for piece in one.evidence), one)
            self.assertEqual(one.verdict.is_sure, one.verdict.confidence >= CONFIDENT)
            if not one.verdict.is_sure:
                first, second = one.verdict.candidates
                self.assertNotEqual(first.space, second.space)
                self.assertTrue(one.verdict.question.strip())

    def test_names_that_tell(self) -> None:
        judged = [one for one in self.judged(TELLING, telling=True) if one.kind not in (ONE_COLOUR, "log")]
        right = sum(one.is_right and one.verdict.is_sure for one in judged) / len(judged)
        print(f"decided rightly {right:.1%}")
        self.assertGreaterEqual(right, FEWEST_RIGHT_TOLD)

    def test_probabilities_of_all_candidates_add_up(self) -> None:
        self.assertEqual(len(DATA_SORTS), 4)
        for one in self.judged(40, telling=False):
            if not one.verdict.is_sure:
                self.assertLessEqual(sum(candidate.probability for candidate in one.verdict.candidates), 1.0)
