"""Pictures that came back, made without the product's operations, are explained rightly, or not surely."""

import os
from collections import Counter
from unittest import TestCase

from saltwort.core.explain.explained import UNKNOWN, Explained, explain
from saltwort.core.explain.question import Question
from tests.made_returns import CASES, OPEN, RIGHT, WRONG, Returned, returned

SEED = int(os.environ.get("SALTWORT_SEED", "20261210"))
COUNT = int(os.environ.get("SALTWORT_RETURNS", str(len(CASES))))
"""Pictures: each case once; with more, calibration is held too."""
SURE = 0.9
LEAST_RIGHT = 0.9
"""Of a few; 0.96 and more were right of hundreds of other seeds."""
BINS = ((0.0, 0.5), (0.5, 0.8), (0.8, 0.92), (0.92, 0.975), (0.975, 1.01))
FILLED, APART = 30, 0.1
"""Answers that a bin must have to be held, and by how much what it says may be off."""


def answer(made: Returned, config: object) -> Explained:
    return explain(Question(made.picture, made.depth, made.light, config, made.choice, made.expects_light))  # type: ignore[arg-type]


class Returns(TestCase):
    def test_answers(self) -> None:
        rated: list[tuple[str, Explained]] = []
        told: list[str] = []
        for made, scene in returned(COUNT, SEED):
            said = answer(made, scene.config)
            rating = made.rated(said)
            rated.append((rating, said))
            if rating != RIGHT:
                told.append(f"{rating} at {said.confidence:.2f}: {made.what} → {said.verdict}, {said.sentence}")
        counts = Counter(rating for rating, _ in rated)
        print(f"\nReturned pictures, seed {SEED}: {dict(counts)} of {COUNT}", *told, sep="\n  ")
        self.assertEqual([line for line in told if line.startswith(WRONG) and _is_sure(line)], [])
        self.assertGreaterEqual(counts[RIGHT] / COUNT, LEAST_RIGHT, told)
        self.assertGreaterEqual((counts[RIGHT] + counts[OPEN]) / COUNT, LEAST_RIGHT, told)
        for low, high in BINS:
            filled = [each for each in rated if low <= each[1].confidence < high and each[1].verdict != UNKNOWN]
            if len(filled) >= FILLED:
                right = sum(rating == RIGHT for rating, _ in filled) / len(filled)
                claimed = sum(said.confidence for _, said in filled) / len(filled)
                self.assertGreater(right, claimed - APART, f"between {low} and {high}, seed {SEED}")


def _is_sure(line: str) -> bool:
    return float(line.partition(" at ")[2][:4]) >= SURE
