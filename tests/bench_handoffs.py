"""Test cards and pictures that come back: how many are answered rightly, of random cases, and how long it takes.

.venv/bin/python -m tests.bench_handoffs
"""

import os
import time
import warnings
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from io import BytesIO
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image

from saltwort.core.explain.explained import explain
from saltwort.core.explain.frames import Expectation, figures_of, judged
from saltwort.core.explain.frames import light_of as light_of_frame
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.question import Question
from saltwort.core.images import read_pixels
from saltwort.core.images.intake import survey_apart
from saltwort.core.images.reading import Pixels
from saltwort.core.stations.handshake.answer import AGREED
from saltwort.core.threads import CORES
from tests.bench_shared import Row, seconds
from tests.made_cards import answered, cases, is_right
from tests.made_frames import CHOICES, Frame, frames, frames_config, light_of
from tests.made_frames import is_right as frame_is_right
from tests.made_night import frame_light, write_frame

SEED = int(os.environ.get("SALTWORT_SEED", str(time.time_ns() % 100_000)))
CASES = 300
FRAMES = 12


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
    for deviations, count, goal in ((0, 50, 0.98), (1, 60, 0.98), (2, 20, 0.95), (3, 12, 0.9)):
        right = sum(answered_frame(frame) for frame in frames(count, SEED, deviations))
        what = f"pictures with {deviations} deviations explained rightly, {count} of seed {SEED}"
        yield Row(what, f"{right / count:.1%}", f"at least {goal:.0%}", right / count >= goal)
    for what, change in (("one deviation", _powered), ("what is none that is known", _odd)):
        taken = seconds(partial(explain, _large(change)))
        yield Row(f"a picture of 4K beside a render of 4K, {what}", f"{taken:.1f} s", "under 5 s", taken < 5)


def _powered(codes: Pixels) -> Pixels:
    return codes ** np.float32(1 / 2.2)


def _odd(codes: Pixels) -> Pixels:
    return np.asarray(0.5 + 0.5 * np.sin(3 * codes[..., [1, 2, 0]]), np.float32)


def _large(change: Callable[[Pixels], Pixels]) -> Question:
    """A picture of 4K that was saved as JPEG with its code values changed, and the light that it should show."""
    scene = Scene(frames_config(), CHOICES[0])  # type: ignore[arg-type]
    light = np.kron(light_of(2), np.ones((6, 6, 1), np.float32))
    codes = change(np.clip(scene.view()(light), 0, 1))
    page = BytesIO()
    Image.fromarray((codes * 255 + 0.5).astype(np.uint8)).save(page, "JPEG", quality=90)
    picture = np.asarray(Image.open(page).convert("RGB"), np.float32) / 255
    return Question(picture, "JPEG", light, scene.config, scene.choice, scene.expects_light)


def watched() -> Iterator[Row]:
    """How much longer looking at frames of 4K takes than decoding them, both on all cores."""
    scene = Scene(frames_config(), CHOICES[0], expects_light=True)  # type: ignore[arg-type]
    with TemporaryDirectory() as folder:
        files = []
        for number in range(FRAMES):
            light = np.kron(frame_light(number), np.ones((12, 12, 1), np.float32))
            files.append(write_frame(Path(folder), number, light))
        first = survey_apart(files[0], files[0].name, "")  # which starts the processes
        beside = light_of_frame(first, scene)
        with ThreadPoolExecutor(CORES) as pool:
            decoding = seconds(lambda: deque(pool.map(read_pixels, files), maxlen=0))

            def look() -> None:
                for found in pool.map(lambda file: survey_apart(file, file.name, ""), files):
                    judged(found, Expectation(scene), beside)
                    figures_of(found)

            taken = seconds(look)
    what = f"{FRAMES} frames of 4K watched, beside decoding them ({FRAMES / taken * 3600:,.0f} an hour)"
    yield Row(what, f"{taken / decoding:.2f} times", "at most 1.5 times", taken <= 1.5 * decoding)


def answered_frame(frame: Frame) -> bool:
    return frame_is_right(frame, explain(frame.question))


def rows() -> Iterator[Row]:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield from handshake()
        yield from explained()
        yield from watched()


if __name__ == "__main__":
    for row in rows():
        print(f"{'met   ' if row.met else 'MISSED'}  {row.what}: {row.measured} ({row.goal})")
