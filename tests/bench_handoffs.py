"""Test cards that come back: how many are answered rightly, of cases made at random, and how long an answer takes.

.venv/bin/python -m tests.bench_handoffs
"""

import os
import time
import warnings
from collections.abc import Iterator

from saltwort.core.stations.handshake.answer import AGREED
from tests.bench_shared import Row
from tests.made_cards import answered, cases, is_right

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


def rows() -> Iterator[Row]:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield from handshake()


if __name__ == "__main__":
    for row in rows():
        print(f"{'met   ' if row.met else 'MISSED'}  {row.what}: {row.measured} ({row.goal})")
