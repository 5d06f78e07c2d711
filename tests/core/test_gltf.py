"""glTF that Saltwort writes, judged by the validator of those who keep the standard (schema, accessors, images)."""

import json
import struct
import subprocess
from pathlib import Path

from django.conf import settings

from saltwort.core.migration.plan import Asked, taken
from saltwort.core.migration.writing import staged
from tests.core.made_scenes import gltf_scene
from tests.core.test_migration import MigrationTestCase
from tests.core.test_scene_documents import SEED

JUDGE = """
import { validateBytes } from 'gltf-validator';
import { readFileSync } from 'node:fs';
const [folder, name] = process.argv.slice(-2);
const file = async (uri) => new Uint8Array(readFileSync(`${folder}/${decodeURIComponent(uri)}`));
const { issues } = await validateBytes(await file(name), { uri: name, externalResourceFunction: file });
console.log(JSON.stringify(issues.messages.map(({ code, pointer, severity }) => [severity, code, pointer])));
"""
ERROR = 0
PLAN = (
    Asked("decode-colours", {"colours": ["materials/0.pbrMetallicRoughness/baseColorFactor"]}),
    Asked("rename-textures", {"pattern": "{name}_{space}"}),
)


def judged(file: Path) -> list[list]:
    """What the validator says of a document: severity, code and place."""
    answer = subprocess.run(
        ["node", "--input-type=module", "--eval", JUDGE, "--", str(file.parent), file.name],
        cwd=settings.BASE_DIR / "web",
        capture_output=True,
        text=True,
        check=True,
    )
    return json.loads(answer.stdout)


def as_glb(file: Path) -> Path:
    """A .gltf in the binary form, beside it."""
    text = file.read_bytes()
    text += b" " * (-len(text) % 4)
    binary = file.with_suffix(".glb")
    binary.write_bytes(struct.pack("<4sIIII", b"glTF", 2, 20 + len(text), len(text), 0x4E4F534A) + text)
    return binary


class Valid(MigrationTestCase):
    def test_what_was_valid_stays_so(self) -> None:
        for seed in range(SEED, SEED + 3):
            made = gltf_scene(self.folder / str(seed), seed, 8).path
            for number, path in enumerate((made, as_glb(made))):
                draft = self.draft(path)
                changes = taken(draft, PLAN)
                self.assertEqual({change.step for change in changes}, {asked.step for asked in PLAN})
                with staged(draft, self.folder / f"out {seed} {number}") as outcome:
                    outcome.put()
                before, after = judged(path), judged(Path(outcome.written.folder) / path.name)
                self.assertNotEqual(path.read_bytes(), (Path(outcome.written.folder) / path.name).read_bytes())
                self.assertEqual(after, before)
                self.assertNotIn(ERROR, [severity for severity, *_ in after])

    def test_the_judge_sees_what_is_wrong(self) -> None:
        path = gltf_scene(self.folder, SEED, 2).path
        root = json.loads(path.read_text())
        root["materials"][0]["pbrMetallicRoughness"]["baseColorFactor"][1] = 1.5
        root["images"][1]["uri"] = "gone.png"
        path.write_text(json.dumps(root))
        self.assertEqual(
            {code for severity, code, _ in judged(path) if severity == ERROR}, {"VALUE_NOT_IN_RANGE", "IO_ERROR"}
        )
