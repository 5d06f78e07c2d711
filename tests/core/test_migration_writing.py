"""What a migration writes is there whole or not at all, whenever it is killed."""

import json
import os
import random
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from unittest import skipUnless
from unittest.mock import patch

from saltwort.core.errors import BadInput
from saltwort.core.migration import writing
from saltwort.core.migration.documents import Documents
from saltwort.core.migration.graph import SetInput
from saltwort.core.migration.plan import Asked, drafted, taken
from saltwort.core.migration.scene import hash_of, read_scene
from saltwort.core.migration.writing import Written, exchange, gone_back, staged
from tests.core.made_scenes import usd_scene
from tests.core.test_scene_documents import SEED, SceneTestCase
from tests.samples import base_config

TIMES = 50
WORKER = """
import itertools, os, signal, sys, threading
from pathlib import Path
from saltwort.core.sandbox import run_in_process
from saltwort.core.migration.plan import drafted, taken
from saltwort.core.migration.scene import read_scene
from saltwort.core.migration.writing import staged
from tests.samples import base_config
from tests.core.test_migration_writing import FAST

scene = Path(sys.argv[1])
draft = drafted(read_scene([scene], [scene.parent]), base_config(), "ACEScg")
taken(draft, FAST)

def migrate(output, last):
    run_in_process()
    calls = itertools.count(1)

    def count(frame, event, argument):
        if next(calls) == last:
            os.kill(os.getpid(), signal.SIGKILL)

    threading.setprofile(count)  # called at each call and return, of C functions too, in threads to come
    sys.setprofile(count)
    with staged(draft, output) as outcome:
        outcome.put()
    sys.setprofile(None)
    if not last:
        print(next(calls), flush=True)
    os._exit(0)

for line in sys.stdin:
    output, last = line.rstrip("\\n").split("|")
    child = os.fork()
    if not child:
        migrate(Path(output) if output else None, int(last))
    print("ended", os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), flush=True)
"""
FAST = [Asked("gamma-out"), Asked("declare-textures"), Asked("rename-textures")]


def state_of(folder: Path) -> dict[str, str]:
    """Every file of a folder with its hash; empty where it is not there."""
    return {file.relative_to(folder).as_posix(): hash_of(file) for file in sorted(folder.rglob("*")) if file.is_file()}


class AllOrNothing(SceneTestCase):
    def made(self) -> Path:
        made = usd_scene(self.folder / "scene", SEED, 12)
        (self.folder / "scene" / "notes.txt").write_text("not of the scene")
        return made.path

    def migrated(self, path: Path, output: Path | None) -> Written:
        draft = drafted(read_scene([path], [path.parent]), base_config(), "ACEScg")
        taken(draft, FAST)
        with staged(draft, output) as outcome:
            outcome.put()
        return outcome.written

    @skipUnless(hasattr(os, "fork"), "where folders change places in one step, processes can fork")
    def test_killed_at_any_moment_all_is_old_or_all_is_new(self) -> None:
        """Killed at calls drawn at random from all that a migration makes while it writes, so that neither a fast nor a
        busy machine decides where; a third of them among the last, where the outcome appears."""
        chance = random.Random(SEED)
        path = self.made()
        old = state_of(path.parent)
        self.migrated(path, self.folder / "expected")
        new = state_of(self.folder / "expected")
        worker = subprocess.Popen(
            [sys.executable, "-c", WORKER, str(path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self.addCleanup(worker.communicate)
        for in_place in (False, True):
            with self.subTest(in_place=in_place):
                output = self.folder / "out"
                expected = {**new, "notes.txt": old["notes.txt"]} if in_place else new
                calls = self._run(worker, None if in_place else output, 0)
                self._as_it_was(path)
                moments = [
                    *(chance.randrange(1, calls) for _ in range(TIMES // 3)),
                    *(calls - chance.randrange(0, 40) for _ in range(TIMES // 2 - TIMES // 3)),
                ]
                ends = {"old": 0, "new": 0}
                for moment in moments:
                    self._run(worker, None if in_place else output, moment)
                    found = state_of(path.parent if in_place else output)
                    before = old if in_place else {}
                    self.assertIn(found, (before, expected), f"killed at call {moment} of {calls}, seed {SEED}")
                    ends["new" if found == expected else "old"] += 1
                    if not in_place:
                        self.assertEqual(state_of(path.parent), old, "originals are never changed")
                    elif found == expected:
                        self.assertEqual(state_of(self.folder / "scene.before-migration"), old)
                    self._as_it_was(path)
                self.assertGreater(min(ends.values()), 0, f"both ends are met: {ends}, seed {SEED}")

    def _run(self, worker: subprocess.Popen[str], output: Path | None, last: int) -> int:
        """Migrate in a process that is killed at a call, or never for 0; how many calls it made. Two threads never make
        quite as many twice, so that one that is to be killed at the last may come through."""
        assert worker.stdin and worker.stdout
        worker.stdin.write(f"{output or ''}|{last}\n")
        worker.stdin.flush()
        calls = last or int(worker.stdout.readline())
        said, code = worker.stdout.readline().split()
        self.assertEqual(said, "ended")
        self.assertIn(int(code), (0, -signal.SIGKILL) if last else (0,))
        return calls

    def _as_it_was(self, path: Path) -> None:
        """The scene as it was made, and nothing beside it that a migration left."""
        kept = self.folder / "scene.before-migration"
        if kept.exists() and (path.parent / "maps" / "m0_diff_srgb.png").exists():
            shutil.rmtree(path.parent)
            kept.rename(path.parent)
        for left in (self.folder / "out", kept, *self.folder.glob(".writing-*")):
            shutil.rmtree(left, ignore_errors=True)

    def test_going_back_removes_what_was_written_and_leaves_what_was_changed(self) -> None:
        path = self.made()
        old = state_of(path.parent)
        done = self.migrated(path, self.folder / "out")
        (self.folder / "out" / "scene.usda").write_text("#usda 1.0\n# worked on since\n")
        told = gone_back(done)
        self.assertEqual(list(state_of(self.folder / "out")), ["scene.usda"])
        self.assertIn("scene.usda", told[1])
        self.assertEqual(state_of(path.parent), old)

    def test_going_back_in_place(self) -> None:
        path = self.made()
        old = state_of(path.parent)
        done = self.migrated(path, None)
        self.assertIn("maps/m0_diff_srgb.png", state_of(path.parent))
        self.assertEqual(state_of(Path(done.kept)), old)
        gone_back(done)
        self.assertEqual(state_of(path.parent), old)
        with self.assertRaisesRegex(BadInput, "nothing to go back to"):
            gone_back(done)

    def test_going_back_from_what_never_came_so_far(self) -> None:
        """The report stands before the folders change places: killed between, there is nothing to take back."""
        path = self.made()
        old = state_of(path.parent)
        done = self.migrated(path, None)
        shutil.copytree(done.folder, self.folder / "as-staged")
        gone_back(done)
        (self.folder / "as-staged").rename(done.kept)
        with self.assertRaisesRegex(BadInput, "never came so far"):
            gone_back(done)
        self.assertEqual(state_of(path.parent), old)

    def test_originals_outlive_a_disk_that_fails_in_the_last_step(self) -> None:
        path = self.made()
        old = state_of(path.parent)
        with patch.object(writing, "sync", side_effect=OSError(5, "Input/output error")), self.assertRaises(BadInput):
            self.migrated(path, None)
        self.assertEqual(state_of(path.parent), old)
        real = writing.exchange

        def exchanged(first: Path, second: Path) -> None:
            real(first, second)
            raise OSError(5, "Input/output error")

        with patch.object(writing, "exchange", exchanged), self.assertRaises(BadInput):
            self.migrated(path, None)
        kept = [state_of(folder) for folder in self.folder.iterdir() if folder.is_dir()]
        self.assertIn(old, kept, "the originals are somewhere")

    def test_folders_change_places_where_no_call_does_it(self) -> None:
        first, second = self.folder / "first", self.folder / "second"
        for folder in (first, second):
            folder.mkdir()
            (folder / "name").write_text(folder.name, encoding="utf-8")
        rename = Path.rename
        for failing in range(3):
            steps = iter(range(9))

            def fails(path: Path, target: Path, failing: int = failing, steps: Iterator[int] = steps) -> Path:
                if next(steps) == failing:
                    raise OSError(5, "Input/output error")
                return rename(path, target)

            with self.subTest(failing=failing), patch.object(writing.ctypes, "CDLL", lambda *_, **__: object()):
                with patch.object(Path, "rename", fails), self.assertRaises(OSError):
                    exchange(first, second)
                self.assertEqual([(folder / "name").read_text() for folder in (first, second)], ["first", "second"])
        with patch.object(writing.ctypes, "CDLL", lambda *_, **__: object()):
            exchange(first, second)
        self.assertEqual([(folder / "name").read_text() for folder in (first, second)], ["second", "first"])
        self.assertEqual(list(self.folder.glob("*.being-written*")), [])

    def test_a_document_that_cannot_hold_its_changes_leaves_nothing(self) -> None:
        path = self.made()
        old = state_of(path.parent)
        draft = drafted(read_scene([path], [path.parent]), base_config(), "ACEScg")
        draft.edit(path.name, SetInput("/World/nowhere", "inputs:file", "other.png"))
        documents = Documents(draft)
        with self.assertRaisesRegex(BadInput, "cannot hold this change"):
            _ = documents.contents
        with self.assertRaisesRegex(BadInput, "cannot hold this change"):
            documents.check()
        for output in (self.folder / "out", None):
            with self.assertRaisesRegex(BadInput, "cannot hold this change"), staged(draft, output):
                self.fail("It is no outcome.")
        self.assertEqual(state_of(path.parent), old)
        self.assertEqual([each.name for each in self.folder.iterdir()], ["scene"])

    def test_nothing_is_overwritten(self) -> None:
        path = self.made()
        (self.folder / "out").mkdir()
        for output, why in (
            (self.folder / "out", "there already"),
            (path.parent / "within", "within each other"),
            (self.folder, "there already"),
        ):
            with self.assertRaisesRegex(BadInput, why):
                self.migrated(path, output)
        self.assertEqual(json.dumps(state_of(self.folder / "out")), "{}")
