"""The Outputs step's part of `make bench`: a film beside its parts, a LUT, and the memory that a film takes."""

import subprocess
import sys
import tempfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from saltwort.core.deliverables import Defaults, Source, deliverables
from saltwort.core.deliverables.kinds.movie import form_of
from saltwort.core.deliverables.kinds.still import DITHERED_FORM
from saltwort.core.deliverables.shown import quantised
from saltwort.core.images import write_image
from saltwort.core.images.video import FRAME_RATES, to_planes, writing_video
from saltwort.core.threads import on_all_cores
from tests.bench_shared import Row, seconds
from tests.samples import ACES_SDR, project_config

FRAMES, SIZE = 24, (540, 960)
SDR = {"display": "Rec.1886 Rec.709 - Display", "view": ACES_SDR.view, "codec": "hevc"}


def sequence(folder: Path, count: int = FRAMES) -> list[Source]:
    """Half-float EXR frames without noise, as renders are."""
    y, x = np.mgrid[0 : SIZE[0], 0 : SIZE[1]].astype(np.float32) / SIZE[1]
    found = []
    for number in range(1, count + 1):
        base = np.exp2(5 * np.sin(4 * x + number / 7) * np.cos(3 * y))
        file = folder / f"quay.{number:04}.exr"
        write_image(file, np.stack([base, base * 0.6, base * 0.3], -1).astype(np.float32), "half")
        found.append(Source(file, "ACEScg", number=number))
    return found


def film(folder: Path) -> Row:
    """A film of H.265, to the slower of its two parts alone: frames decoded and through the view, and the encoder."""
    config, made, sources = project_config(), deliverables()["movie"], sequence(folder)
    settings = made.settings_from(SDR, Defaults(ACES_SDR, "ACEScg"))
    form = form_of(config, settings)
    shown = []

    def show() -> None:
        shown.extend(np.concatenate(list(settings.picture(config, source).strips())) for source in sources)

    def encode() -> None:
        with writing_video(folder / "encoded.mp4", SIZE[::-1], FRAME_RATES[settings.fps], form) as writer:
            for codes in shown:
                writer.write(to_planes(codes, form))

    showing, encoding = seconds(show), seconds(encode)
    told: list[float] = []
    whole = seconds(
        lambda: made.write(config, sources, settings, folder / "film.mp4", lambda share, doing: told.append(share))
    )
    slower = max(showing, encoding)
    measured = (
        f"{slower / whole:.2f} times as fast as the slower part ({showing:.1f} s shown, {encoding:.1f} s encoded)"
    )
    return Row(
        f"a film of {FRAMES} frames of 960 × 540, verified", measured, "at least 0.9 times", slower / whole >= 0.9
    )


def frames_as_png(folder: Path) -> Row:
    """Frames written as PNG and read back, to the slower of two parts alone: decoding and the view, and PNG."""
    config, made, sources = project_config(), deliverables()["still"], sequence(folder)
    settings = made.settings_from({"bits": "8"}, Defaults(ACES_SDR, "ACEScg"))
    shown: dict[Path, Any] = {}

    def show(source: Source) -> None:
        strips = settings.picture(config, source).strips()
        noise = np.random.default_rng(0)
        shown[source.file] = np.concatenate([quantised(strip, 8, noise) for strip in strips])

    def encode(source: Source) -> None:
        write_image(source.file.with_suffix(".alone.png"), shown[source.file] / np.float32(255), "uint8", DITHERED_FORM)

    def make(source: Source) -> None:
        made.write(config, [source], settings, source.file.with_suffix(".png"), lambda share, doing: None)

    showing, encoding, whole = (seconds(partial(on_all_cores, each, sources)) for each in (show, encode, make))
    ratio = max(showing, encoding) / whole
    measured = f"{ratio:.2f} times as fast as the slower part ({showing:.1f} s shown, {encoding:.1f} s encoded)"
    return Row(f"{FRAMES} frames as 8-bit PNG, verified", measured, "at least 0.9 times", ratio >= 0.9)


MEMORY = """
import resource, sys
from pathlib import Path
from saltwort.core.deliverables import Defaults, deliverables
from tests.bench_outputs import SDR, sequence
from tests.samples import ACES_SDR, project_config
made = deliverables()["movie"]
settings = made.settings_from(SDR, Defaults(ACES_SDR, "ACEScg"))
folder = Path(sys.argv[1])
made.write(project_config(), sequence(folder, int(sys.argv[2])), settings, folder / "a.mp4", lambda *told: None)
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def memory_of_a_film(folder: Path) -> Row:
    """What a film of four times as many frames takes more."""
    peaks = []
    for count in (FRAMES, 4 * FRAMES):
        done = subprocess.run(
            [sys.executable, "-c", MEMORY, str(folder), str(count)], capture_output=True, text=True, check=True
        )
        peaks.append(float(done.stdout.split()[-1]))
    measured = f"{peaks[0]:.0f} MB, {peaks[1]:.0f} MB with four times the frames"
    return Row("memory for a film", measured, "no more than 1.1 times", peaks[1] <= 1.1 * peaks[0])


def lut() -> Row:
    made = deliverables()["lut"]
    settings = made.settings_from({"size": 65, "format": "clf"}, Defaults(ACES_SDR, "ACEScg"))
    with tempfile.TemporaryDirectory() as folder:
        taken = seconds(
            lambda: made.write(project_config(), [], settings, Path(folder) / "a.clf", lambda share, doing: None)
        )
    return Row("a LUT of 65³, measured over 100,000 colours and five sizes", f"{taken:.1f} s", "under 10 s", taken < 10)


def rows() -> Iterator[Row]:
    with tempfile.TemporaryDirectory() as folder:
        yield film(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        yield frames_as_png(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        yield memory_of_a_film(Path(folder))
    yield lut()


if __name__ == "__main__":
    for row in rows():
        print(f"{'met ' if row.met else 'MISS'}  {row.what}: {row.measured}  (goal: {row.goal})", flush=True)
