"""Pictures within USD packages (.usdz): read, converted and renamed where they stand."""

import zipfile

import numpy as np
from colour import matrix_RGB_to_RGB
from pxr import Usd

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats import usd
from saltwort.core.migration.plan import Asked, taken
from saltwort.core.migration.proof import proved
from saltwort.core.migration.report import report_of
from saltwort.core.migration.scene import IN_A_PACKAGE
from saltwort.core.migration.writing import gone_back, staged
from tests.core.made_scenes import layered_package, packed_scene
from tests.core.test_migration import MigrationTestCase


class Packages(MigrationTestCase):
    def test_they_are_converted_and_renamed_there(self) -> None:
        path = packed_scene(self.folder)
        draft = self.draft(path)
        self.assertEqual({file.name for use in draft.pictures for file in draft.scene.files_of(use.use)}, {
            "wall.1001.png", "wall.1002.png", "wall_rough.png"
        })  # fmt: skip
        plan = [Asked("convert-textures", {"to": "ACEScg"}), Asked("rename-textures", {"pattern": "{name}_{space}"})]
        changes = taken(draft, plan)
        out = self.folder / "out"
        with staged(draft, out) as outcome:
            rows = [row for row in proved(draft, outcome.place) if row.kind in ("picture", "data")]
            report = report_of(draft, plan, changes, rows, outcome.documents, outcome.written)
            outcome.put()
        self.assertEqual(len(rows), 3)
        self.assertTrue(all(row.same for row in rows), rows)
        with zipfile.ZipFile(out / "quay.usdz") as package, zipfile.ZipFile(path) as before:
            names = package.namelist()
            self.assertEqual(names[0], "quay.usdc")
            self.assertEqual(set(names[1:]), {
                "maps/wall_acescg.1001.exr", "maps/wall_acescg.1002.exr", "maps/wall_rough_raw.png", "sound/bell.mp3"
            })  # fmt: skip
            self.assertEqual(package.read("sound/bell.mp3"), before.read("sound/bell.mp3"))
            self.assertEqual(package.read("maps/wall_rough_raw.png"), before.read("maps/wall_rough.png"))
            starts = [info.header_offset + 30 + len(info.filename) + len(info.extra) for info in package.infolist()]
        self.assertEqual([start % 64 for start in starts], [0] * 5)
        stage = Usd.Stage.Open(str(out / "quay.usdz"))
        self.assertEqual(stage.GetAttributeAtPath("/M/tex.inputs:file").Get().path, "maps/wall_acescg.<UDIM>.exr")
        rough = stage.GetAttributeAtPath("/M/rough.inputs:file").Get()
        self.assertTrue(rough.resolvedPath.endswith("quay.usdz[maps/wall_rough_raw.png]"))
        again = self.draft(out / "quay.usdz")
        self.assertEqual([each.reading.space for each in again.pictures], ["Raw", "ACEScg"])
        self.assertIn(str(path.resolve() / "maps/wall.1001.png"), report.read)
        self.assertEqual(gone_back(outcome.written), [
            f"What was written to {out} is removed. The originals were never changed."
        ])  # fmt: skip

    def test_further_layers_are_migrated_there(self) -> None:
        path = layered_package(self.folder)
        draft = self.draft(path)
        self.assertEqual(list(draft.scene.documents), ["quay.usdz", "quay.usdz/props/lamp.usda"])
        self.assertEqual([(each.file, each.why) for each in draft.scene.refused], [("./other.usdz", IN_A_PACKAGE)])
        plan = [
            Asked("convert-colours", {"to": "ACEScg", "outside": "keep"}),
            Asked("rename-textures", {"pattern": "{name}_{space}"}),
        ]
        changes = taken(draft, plan)
        self.assertEqual({change.document for change in changes if change.step == "rename-textures"}, {
            "quay.usdz/props/lamp.usda"
        })  # fmt: skip
        out = self.folder / "out"
        with staged(draft, out) as outcome:
            rows = proved(draft, outcome.place)
            diffs = report_of(draft, plan, changes, rows, outcome.documents, outcome.written).differences
            outcome.put()
        self.assertTrue(all(row.same for row in rows), rows)
        self.assertEqual([file.path for file in outcome.written.files], ["quay.usdz"])
        with zipfile.ZipFile(out / "quay.usdz") as package:
            self.assertEqual(package.namelist(), ["quay.usda", "props/lamp.usda", "props/maps/glass_srgb.png"])
            self.assertIn(b"# a lamp of the quay", package.read("props/lamp.usda"))
        stage = Usd.Stage.Open(str(out / "quay.usdz"))
        glass = stage.GetAttributeAtPath("/Lamp/tex.inputs:file").Get()
        self.assertTrue(glass.resolvedPath.endswith("quay.usdz[props/maps/glass_srgb.png]"), glass)
        glow = stage.GetAttributeAtPath("/Lamp/surface.inputs:emissiveColor").Get()
        to_acescg = matrix_RGB_to_RGB("ITU-R BT.709", "ACEScg", chromatic_adaptation_transform="Bradford")
        np.testing.assert_allclose(glow, to_acescg @ (0.2, 0.1, 0.05), atol=2e-5)  # the white of ACES is rounded
        self.assertIn("glass_srgb", "".join(each.diff for each in diffs if each.document.endswith("lamp.usda")))

    def test_in_place_and_dry(self) -> None:
        path = packed_scene(self.folder)
        before = path.read_bytes()
        draft = self.draft(path)
        taken(draft, [Asked("convert-textures", {"to": "ACEScg"})])
        self.assertTrue(proved(draft, None))
        self.assertEqual(path.read_bytes(), before)
        with staged(draft, None) as outcome:
            outcome.put()
        self.assertNotEqual(path.read_bytes(), before)
        gone_back(outcome.written)
        self.assertEqual(path.read_bytes(), before)

    def test_what_a_package_cannot_hold(self) -> None:
        draft = self.draft(packed_scene(self.folder))
        taken(draft, [Asked("convert-textures", {"to": "ACEScg", "format": "tif-16"})])
        self.assertIn(
            "A package holds no .tif. Convert to EXR or PNG, or unpack it first.", [x.why for x in draft.left]
        )

    def test_files_that_lie_over_each_other_are_refused(self) -> None:
        content = bytearray(packed_scene(self.folder).read_bytes())
        at = content.rfind(b"PK\x01\x02")
        content[at + 20 : at + 28] = (len(content) * 2).to_bytes(4, "little") * 2
        with self.assertRaisesRegex(BadInput, "lie over each other"):
            usd.read(bytes(content), "x.usdz")
