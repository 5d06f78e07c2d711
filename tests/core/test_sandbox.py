"""What strangers bring is read in a process that is ended when it takes too much."""

import ctypes
import os
import struct
import subprocess
import sys
import tempfile
import time
import zlib
from concurrent.futures import CancelledError
from pathlib import Path
from unittest import TestCase, skipUnless
from unittest.mock import patch

import numpy as np
import OpenImageIO as oiio
from django.conf import settings

from saltwort.core.errors import BadInput
from saltwort.core.images import intake
from saltwort.core.images.intake import SMALL_FILE, survey_apart, surveys_apart, take_in
from saltwort.core.sandbox import Limits, Sandboxed, run_sandboxed
from saltwort.core.sandbox.process import WorkerProcess
from saltwort.core.threads import CORES
from tests.samples import light, png_chunk, write

LIMITS = Limits(seconds=1, memory=200_000_000)


def doubled(number: int) -> int:
    return 2 * number


def never_ends() -> None:
    while True:
        pass


def eats_memory() -> None:
    kept = []
    while True:
        kept.append(np.ones(1_000_000))


def dies() -> None:
    ctypes.string_at(0)


def refuses() -> None:
    raise BadInput("Not like that.")


class Unsendable(Exception):
    def __init__(self, first: str, second: str) -> None:
        super().__init__(f"{first} {second}")


def fails_oddly() -> None:
    raise Unsendable("out of", "order")


def apart(work: object, *arguments: object) -> object:
    return run_sandboxed(work, *arguments, limits=LIMITS, called="it.png", advice="Save it again.")  # type: ignore[arg-type]


class RunSandboxed(TestCase):
    def test_results_and_refusals_come_back(self) -> None:
        self.assertEqual([apart(doubled, number) for number in range(3)], [0, 2, 4])
        with self.assertRaisesRegex(BadInput, "^Not like that.$"):
            apart(refuses)
        with self.assertRaisesRegex(RuntimeError, "^Unsendable: out of order$"):
            apart(fails_oddly)
        self.assertEqual(apart(doubled, 4), 8)

    def test_what_takes_too_much_is_ended_and_the_next_is_done(self) -> None:
        for work, words in (
            (never_ends, "it.png takes longer than 1 s to read, so it is not taken. Save it again."),
            (eats_memory, "it.png needs more than 0.2 GB to be read"),
            (dies, "it.png brings down the library that reads it"),
        ):
            with self.subTest(work.__name__), self.assertRaisesRegex(BadInput, words):
                apart(work)
            self.assertEqual(apart(doubled, 4), 8)

    def test_work_that_is_begun_is_waited_for_or_stopped(self) -> None:
        begun = [Sandboxed(doubled, (number,), LIMITS, "it.png", "") for number in range(3)]
        self.assertEqual([work.result() for work in begun], [0, 2, 4])
        self.assertTrue(all(work.is_done for work in begun))
        endless = [Sandboxed(never_ends, (), Limits(60, 200_000_000), "it.png", "") for _ in range(CORES)]
        for work in endless:
            self.assertFalse(work.is_done)
            work.stop()
        self.assertEqual(apart(doubled, 4), 8, "stopped, they keep no process from others")
        with self.assertRaises(CancelledError):
            endless[0].result()

    def test_what_is_stopped_as_it_ends_keeps_no_other_from_its_result(self) -> None:
        """Stopped once it is done, and before its result is given: its worker has the next piece of work already."""
        work = [Sandboxed(doubled, (3,), LIMITS, "it.png", "")]
        work[0].result()
        is_spent = WorkerProcess.is_spent.fget

        def stopped_meanwhile(worker: WorkerProcess) -> bool:
            spent = is_spent(worker)
            work[0].stop()
            return spent

        with patch.object(WorkerProcess, "is_spent", property(stopped_meanwhile)):
            work[0] = Sandboxed(doubled, (4,), LIMITS, "it.png", "")
            while not work[0].is_done:
                time.sleep(0.001)
        self.assertEqual(apart(doubled, 5), 10)

    def test_its_processes_end_with_the_one_that_asked(self) -> None:
        asking = (
            "import os, signal\n"
            "from tests.core.test_sandbox import apart\n"
            "if __name__ == '__main__':\n"
            "    print(apart(os.getpid), flush=True)\n"
            "    os.kill(os.getpid(), signal.SIGKILL)\n"
        )
        with tempfile.TemporaryDirectory() as folder:
            script = Path(folder) / "asking.py"
            script.write_text(asking)
            run = subprocess.run(
                [sys.executable, script],
                cwd=settings.BASE_DIR,
                env={**os.environ, "PYTHONPATH": str(settings.BASE_DIR)},
                stdout=subprocess.PIPE,
                text=True,
                check=False,
            )
        child = int(run.stdout)
        self.assertNotEqual(child, run.returncode)
        for _ in range(100):
            if not Path(f"/proc/{child}").exists():
                return
            time.sleep(0.1)
        self.fail("the process that read for it is still there")


def png(width: int, height: int, *, interlaced: bool = False) -> bytes:
    """An 8-bit RGB PNG of zeros, which packs to a thousandth (W3C PNG, third edition, 5 and 8.1)."""
    packing = zlib.compressobj(1)
    passes = [(0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2)]
    packed = b""
    for left, top, across, down in passes if interlaced else [(0, 0, 1, 1)]:
        line = b"\0" * (1 + 3 * -(-(width - left) // across))
        packed += b"".join(packing.compress(line) for _ in range(-(-(height - top) // down)))
    header = png_chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, interlaced))
    pixels = png_chunk(b"IDAT", packed + packing.flush())
    return b"\x89PNG\r\n\x1a\n" + header + pixels + png_chunk(b"IEND", b"")


class Bombs(TestCase):
    """Small files that are large once they are read."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def assert_refused(self, file: Path, words: str) -> None:
        self.assertLess(file.stat().st_size, SMALL_FILE)
        with self.subTest(file.name), self.assertRaisesRegex(BadInput, f"^{file.name} {words}"):
            take_in(file, file.name, self.folder / "store", copy=True)
        self.assertEqual(list((self.folder / "store").rglob("*.*")), [], "something was kept of it")

    def test_a_picture_that_takes_too_long(self) -> None:
        file = self.folder / "wide.png"
        file.write_bytes(png(1_000_000, 268))
        self.assert_refused(file, "takes longer than 4 s to read")

    def test_a_picture_that_is_unpacked_whole(self) -> None:
        file = self.folder / "interlaced.png"
        file.write_bytes(png(16_384, 16_384, interlaced=True))
        self.assert_refused(file, "(needs more than 1 GB|takes longer than 4 s)")

    def promised(self, name: str, width: int, height: int, channels: int, tile: int = 0) -> Path:
        """A file with nothing but a header."""
        spec = oiio.ImageSpec(width, height, channels, "float")
        spec.tile_width = spec.tile_height = tile
        file = self.folder / name
        output = oiio.ImageOutput.create(str(file))
        self.assertTrue(output.open(str(file), spec), output.geterror())
        output.close()
        return file

    def test_a_single_tile(self) -> None:
        file = self.promised("tile.tif", 8192, 8192, 3, tile=8192)
        self.assert_refused(file, "has tiles of 8192 × 8192 pixels, .* more than 256 MB")

    def test_many_channels(self) -> None:
        file = self.promised("many.tif", 16_384, 16_384, 9, tile=32)
        self.assert_refused(file, "says it has 16384 × 16384 pixels of 9 channels")

    def test_one_among_many_keeps_no_other_out(self) -> None:
        plain = [write(self.folder / f"wall_{number}.png", light(32, 32, 1.0, number), "uint8") for number in range(20)]
        bomb, broken = self.folder / "bomb.png", self.folder / "broken.png"
        bomb.write_bytes(png(1_000_000, 268))
        broken.write_bytes(b"\x89PNG nothing")
        paths = [*plain[:5], bomb, *plain[5:12], broken, *plain[12:]]
        told: list[float] = []
        quick = patch.object(intake, "SMALL_FILE_LIMITS", Limits(seconds=1, memory=1_000_000_000))
        quick.start()
        self.addCleanup(quick.stop)
        found = surveys_apart(paths, told.append)
        self.assertEqual(list(found), paths)
        self.assertEqual([path for path, one in found.items() if isinstance(one, BadInput)], [bomb, broken])
        for path in (bomb, broken):
            with self.assertRaises(BadInput) as alone:
                survey_apart(path, path.name)
            self.assertEqual(str(found[path]), str(alone.exception))
        self.assertEqual(told[-1], 1.0)

    def test_a_plain_picture_passes(self) -> None:
        file = write(self.folder / "plain.png", light(peak=1.0), "uint8")
        taken = take_in(file, file.name, self.folder / "store", copy=True)
        self.assertEqual((taken.suffix, taken.size), (".png", file.stat().st_size))


class Forked(TestCase):
    @skipUnless(hasattr(os, "fork"), "only where processes can fork")
    def test_a_forked_process_has_workers_of_its_own(self) -> None:
        """Forked while its parent's worker works; both get their own results."""
        begun = [Sandboxed(doubled, (number,), LIMITS, "it.png", "") for number in range(40)]
        child = os.fork()
        if not child:
            os._exit(0 if [apart(doubled, number) for number in range(3)] == [0, 2, 4] else 1)
        self.assertEqual([work.result() for work in begun], [2 * number for number in range(40)])
        self.assertEqual(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), 0)
        self.assertEqual(apart(doubled, 4), 8)
