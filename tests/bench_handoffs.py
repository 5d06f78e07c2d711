"""Test cards and pictures that come back: how many are answered rightly, of random cases, and how long it takes.

.venv/bin/python -m tests.bench_handoffs
"""

import os
import time
import warnings
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from saltwort.core.explain.explained import explain
from saltwort.core.stations.handshake.answer import AGREED
from tests.bench_shared import Row, seconds
from tests.made_cards import answered, cases, is_right
from tests.made_frames import Frame, frames
from tests.made_frames import is_right as frame_is_right

SEED = int(os.environ.get("SALTWORT_SEED", str(time.time_ns() % 100_000)))
CASES = 300


def handshake() -> Iterator[Row]:
    """Right answers among cases with a mistake and without."""
    right = wrongly_agreed = 0
    taken = 0.0
    for case in cases(CASES, SEED):
        start = time.perf_counter()
        said = answered(case)
        taken += time.perf_counter() - start
        right += is_right(case, said)
        wrongly_agreed += case.made is not None and said is not None and said.verdict == AGREED
    share = right / CASES
    yield Row(f"test cards answered rightly, {CASES} of seed {SEED}", f"{share:.1%}", "at least 95 %", share >= 0.95)
    yield Row("wrong test cards called as agreed", str(wrongly_agreed), "none", wrongly_agreed == 0)
    yield Row("an answer to a test card", f"{taken / CASES:.2f} s", "under 1 s", taken / CASES < 1)


def explained() -> Iterator[Row]:
    """Right answers about pictures that came back, by how many deviations they have, and how long a 4K one takes."""
    for deviations, count, goal in ((0, 50, 0.98), (1, 60, 0.98), (2, 20, 0.95)):
        right = sum(answered_frame(frame) for frame in frames(count, SEED, deviations))
        what = f"pictures with {deviations} deviations explained rightly, {count} of seed {SEED}"
        yield Row(what, f"{right / count:.1%}", f"at least {goal:.0%}", right / count >= goal)
    question = next(frames(1, 3, 1)).question
    picture, light = (
        np.repeat(np.repeat(pixels, -(-3840 // pixels.shape[1]), axis=0), -(-3840 // pixels.shape[1]), axis=1)
        for pixels in (question.picture, question.light)
    )
    large = replace(question, picture=picture, light=light)
    taken = seconds(lambda: explain(large))
    yield Row(
        "a picture of 4K beside a render of 4K explained, one deviation", f"{taken:.1f} s", "under 5 s", taken < 5
    )


def answered_frame(frame: Frame) -> bool:
    return frame_is_right(frame, explain(frame.question))


def rows() -> Iterator[Row]:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield from handshake()
        yield from explained()


if __name__ == "__main__":
    for row in rows():
        print(f"{'met   ' if row.met else 'MISSED'}  {row.what}: {row.measured} ({row.goal})")
