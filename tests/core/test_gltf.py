"""glTF that Saltwort writes, judged by the validator of those who keep the standard (schema, accessors, images)."""

import json
import struct
import subprocess
from base64 import b64encode
from pathlib import Path

import numpy as np
from django.conf import settings

from saltwort.core.images import read_pixels
from saltwort.core.migration.balls import balls_beside
from saltwort.core.migration.plan import Asked, taken
from saltwort.core.migration.proof import proved
from saltwort.core.migration.writing import staged
from tests.core.made_scenes import gltf_scene, picture
from tests.core.test_migration import MigrationTestCase
from tests.core.test_scene_documents import SEED
from tests.samples import SRGB

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


class Embedded(MigrationTestCase):
    """Pictures that stand within a document: in the second chunk of a .glb, or as text."""

    def scene(self) -> tuple[dict, bytes]:
        """A document of two materials, with a PNG in a view of a buffer and a JPEG as text, and the buffer."""
        png, jpeg = (picture(self.folder / f"held.{kind}", 7).read_bytes() for kind in ("png", "jpg"))
        data = f"data:image/jpeg;base64,{b64encode(jpeg).decode()}"
        binary = b"\0" * 12 + png + b"\0" * (-len(png) % 4)
        root = {
            "asset": {"version": "2.0"},
            "materials": [
                {"pbrMetallicRoughness": {"baseColorTexture": {"index": number}}, "name": f"m{number}"}
                for number in (0, 1)
            ],
            "textures": [{"source": 0}, {"source": 1}],
            "images": [{"bufferView": 0, "mimeType": "image/png"}, {"uri": data}],
            "bufferViews": [{"buffer": 0, "byteOffset": 12, "byteLength": len(png)}],
            "buffers": [{"byteLength": len(binary)}],
        }
        return root, binary

    def written(self, root: dict, binary: bytes) -> Path:
        text = json.dumps(root).encode()
        text += b" " * (-len(text) % 4)
        head = struct.pack("<4sIIII", b"glTF", 2, 28 + len(text) + len(binary), len(text), 0x4E4F534A)
        path = self.folder / "scene" / "held.glb"
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(head + text + struct.pack("<II", len(binary), 0x004E4942) + binary)
        return path

    def test_they_are_read_and_stay_as_they_are(self) -> None:
        path = self.written(*self.scene())
        self.assertEqual([row for row in judged(path) if row[0] == ERROR], [])
        draft = self.draft(path)
        files = [file for each in draft.pictures for file in draft.scene.files_of(each.use)]
        self.assertEqual([draft.scene.told(file) for file in files], [
            str(path.resolve() / name) for name in ("image 0.png", "image 1.jpg")
        ])  # fmt: skip
        np.testing.assert_array_equal(read_pixels(files[0]), read_pixels(self.folder / "held.png"))
        self.assertEqual(files[1].read_bytes(), (self.folder / "held.jpg").read_bytes())
        self.assertEqual([each.reading.space for each in draft.pictures], [SRGB, SRGB])
        self.assertEqual(taken(draft, [Asked("rename-textures", {"pattern": "{name}_{space}"})]), [])
        self.assertIn("stands within its document", draft.left[0].why)
        balls = balls_beside(draft, (96, 44), 1)
        assert balls is not None
        self.assertEqual(len(balls.names), 2)
        with staged(draft, self.folder / "out") as outcome:
            self.assertEqual([row.same for row in proved(draft, outcome.place)], [True, True])
            outcome.put()
        self.assertEqual((self.folder / "out" / "held.glb").read_bytes(), path.read_bytes())

    def test_hostile_places_are_passed_over(self) -> None:
        root, binary = self.scene()
        views = (
            {"buffer": 0, "byteOffset": 1 << 62, "byteLength": 1 << 62},
            {"buffer": -1, "byteLength": 4},
            {"buffer": 0, "byteOffset": "12", "byteLength": 4},
            {"buffer": 9, "byteLength": 4},
            {},
        )
        for view in views:
            for uri in ("data:image/png;base64,%%%", "data:,x", "data:"):
                with self.subTest(view=view, uri=uri):
                    hostile = {**root, "bufferViews": [view], "images": [root["images"][0], {"uri": uri}]}
                    scene = self.draft(self.written(hostile, binary)).scene
                    self.assertEqual(
                        [each.why for each in scene.refused], ["It is no picture that Saltwort reads."] * 2
                    )
        for number in (-1, 7, "0", None):
            hostile = {**root, "images": [{"bufferView": number}] * 2}
            self.assertEqual(len(self.draft(self.written(hostile, binary)).scene.refused), 2)
