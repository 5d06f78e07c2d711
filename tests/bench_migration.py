"""Large scenes: read, planned, written, proved.

.venv/bin/python -m tests.bench_migration
"""

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

from saltwort.core.migration.habits.registry import habits_of
from saltwort.core.migration.plan import drafted, taken, usual_plan
from saltwort.core.migration.proof import proved
from saltwort.core.migration.report import report_of
from saltwort.core.migration.scene import read_scene
from saltwort.core.migration.writing import staged
from tests.bench_shared import Row, seconds
from tests.core.made_scenes import usd_scene
from tests.samples import base_config

MATERIALS = 2_000
SEED = 5


def rows() -> Iterator[Row]:
    with TemporaryDirectory() as folder:
        path = usd_scene(Path(folder) / "scene", SEED, MATERIALS).path
        base_config()
        took = seconds(lambda: _migrate(path, Path(folder) / "out"))
    yield Row(f"a scene of {MATERIALS:,} materials migrated and proved", f"{took:.1f} s", "under 20 s", took < 20)


def _migrate(path: Path, output: Path) -> None:
    scene = read_scene([path], [path.parent])
    draft = drafted(scene, base_config(), "ACEScg")
    habits_of(draft)
    plan = usual_plan("ACEScg", "rename")
    changes = taken(draft, plan)
    with staged(draft, output) as outcome:
        proof = proved(draft, outcome.place)
        report_of(draft, plan, changes, proof, outcome.documents, outcome.written)
        outcome.put()


if __name__ == "__main__":
    for row in rows():
        print(f"{'met   ' if row.met else 'MISSED'}  {row.what}: {row.measured} ({row.goal})")
