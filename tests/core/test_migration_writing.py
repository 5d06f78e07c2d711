"""What a migration writes is there whole or not at all, whenever it is killed."""

import json
import random
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

from saltwort.core.errors import BadInput
from saltwort.core.migration.plan import Asked, drafted, taken
from saltwort.core.migration.scene import hash_of, read_scene
from saltwort.core.migration.writing import Written, gone_back, staged
from tests.core.made_scenes import usd_scene
from tests.core.test_scene_documents import SEED, SceneTestCase
from tests.samples import base_config

TIMES = 50
WORKER = """
import sys
from pathlib import Path
from saltwort.core.migration.plan import Asked, drafted, taken
from saltwort.core.migration.scene import read_scene
from saltwort.core.migration.writing import staged
from tests.samples import base_config
from tests.core.test_migration_writing import FAST

scene, output = Path(sys.argv[1]), sys.argv[2]
draft = drafted(read_scene([scene], [scene.parent]), base_config(), "ACEScg")
taken(draft, FAST)
for line in sys.stdin:  # each line is one migration more, so that the killing falls into writing
    with staged(draft, Path(output) if output else None) as outcome:
        print("staged", flush=True)
        outcome.put()
    print("put", flush=True)
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

    def test_killed_at_any_moment_all_is_old_or_all_is_new(self) -> None:
        chance = random.Random(SEED)
        path = self.made()
        old = state_of(path.parent)
        self.migrated(path, self.folder / "expected")
        new = state_of(self.folder / "expected")
        for in_place in (False, True):
            with self.subTest(in_place=in_place):
                expected = {**new, "notes.txt": old["notes.txt"]} if in_place else new
                ends = {"old": 0, "new": 0}
                for _ in range(TIMES // 2):
                    output = self.folder / "out"
                    self._kill(path, None if in_place else output, chance.random())
                    where = path.parent if in_place else output
                    found = state_of(where)
                    before = old if in_place else {}
                    self.assertIn(found, (before, expected), f"seed {SEED}")
                    ends["new" if found == expected else "old"] += 1
                    if not in_place:
                        self.assertEqual(state_of(path.parent), old, "originals are never changed")
                    elif found == expected:
                        self.assertEqual(len(list(self.folder.glob("scene.before-migration*"))), 1)
                        shutil.rmtree(path.parent)
                        next(self.folder.glob("scene.before-migration*")).rename(path.parent)
                    for left in (output, *self.folder.glob(".writing-*"), *self.folder.glob("scene.before*")):
                        shutil.rmtree(left, ignore_errors=True)
                self.assertGreater(min(ends.values()), 0, f"both ends are met: {ends}, seed {SEED}")

    def _kill(self, path: Path, output: Path | None, share: float) -> None:
        """Begin a migration in another process, and kill it after a part of the time that one takes."""
        if not hasattr(self, "_took"):
            self._took = 0.0
        process = subprocess.Popen(
            [sys.executable, "-c", WORKER, str(path), str(output or "")],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        assert process.stdin and process.stdout
        started = time.monotonic()
        process.stdin.write("go\n")
        process.stdin.flush()
        if not self._took:
            process.stdout.readline()
            process.stdout.readline()
            self._took = time.monotonic() - started
        else:
            # Most of the time goes into starting; the writing is the last part.
            time.sleep(self._took * (0.8 + 0.4 * share))
        process.send_signal(signal.SIGKILL)
        process.wait()
        process.stdin.close()
        process.stdout.close()

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
