"""Scene documents: read for what they are, changed in place, and hostile ones refused."""

import difflib
import json
import struct
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase

from pxr import Sdf
from pygltflib import GLTF2

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats import gltf, listed, materialx, usd, usd_text
from saltwort.core.migration.formats.registry import format_of, formats
from saltwort.core.migration.graph import SPACE, Connect, RemoveNode, SetInput, SetSetting, SetSpace
from saltwort.core.migration.scene import read_scene
from saltwort.core.migration.uses import Uses
from saltwort.core.sandbox import Limits, run_sandboxed
from tests.core.made_scenes import gltf_scene, materialx_scene, picture, usd_scene

SEED = 20261127
LIST_CSV = (
    b"of,name,input,file,space,gamma,red,green,blue,note\r\n"
    b'material,wall,base_color,wall.png,,2.2,,,,"quoted, ""so"""\r\n'
    b"material,wall,emission_color,,,0.4545,0.5,0.25,0.125,\r\n"
    b"light,key,color,,,,1,0.5,0.25,\r\n"
)
LIST_JSON = b"""{ "rows": [
  {"name": "wall", "input": "base_color", "file": "wall.png", "gamma": 2.2, "odd": [1, 2]},
  {"of": "light", "name": "key", "input": "color", "colour": [1, 0.50, 0.25]} ],
  "settings": {"tone_mapping": true} }"""


class SceneTestCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class InPlace(SceneTestCase):
    """A change touches the lines that it is about, and the library reads the same as of its own change."""

    def lines_changed(self, before: bytes, after: bytes) -> list[str]:
        found = difflib.ndiff(before.decode().splitlines(), after.decode().splitlines())
        return [line for line in found if line[:1] in "+-"]

    def test_nothing_changed_is_the_same_bytes(self) -> None:
        for make in (usd_scene, materialx_scene, gltf_scene):
            made = make(self.folder / make.__name__, SEED, 4)
            content = made.path.read_bytes()
            self.assertEqual(format_of(made.path.name).rewritten(content, []), content, made.path.name)

    def test_usd_text_keeps_comments_and_layout(self) -> None:
        content = usd_scene(self.folder, SEED, 6, with_pictures=False).path.read_bytes()
        edits = [
            SetInput("/World/m3/surface", "inputs:emissiveColor", (0.1, 0.2, 0.3)),
            SetSpace("/World/m2/tex", "inputs:file", "srgb_rec709_scene"),
            SetInput("/World/m2/tex", "inputs:file", "./maps/other @ name.png"),
        ]
        after = usd.rewritten(content, edits)
        changed = self.lines_changed(content, after)
        self.assertEqual(sum(line.startswith("-") for line in changed), 3)
        for kept in (b"# glow", b"# a comment: @not@ a <path>", b'string unknown = "kept { as it is"', b"  lines { of"):
            self.assertIn(kept, after)
        layer = Sdf.Layer.CreateAnonymous(".usda")
        self.assertTrue(layer.ImportFromString(after.decode()))
        file = layer.GetAttributeAtPath("/World/m2/tex.inputs:file")
        self.assertEqual(file.default.path, "./maps/other @ name.png")
        self.assertEqual(file.GetInfo("colorSpace"), "srgb_rec709_scene")

    def test_usd_text_with_geometry(self) -> None:
        """Of a mesh each list is one token: a scene holds millions of numbers, and none of them is looked at."""
        points = ", ".join(f"({x}, -{x}.5, 1e-3)" for x in range(20_000))
        text = f"""#usda 1.0
def Mesh "wall" (
    doc = "(1, 2"
)
{{
    point3f[] points = [{points}] (
        interpolation = "vertex"
    )
    int[] faceVertexIndices = [ # from here
        0, 1,  # (not [this
        2]
    token[] names = ["a)", 'b [']
    float2[] st = [] ; float3 at = (
        1, 2, 3  # (
    )
    matrix4d xformOp:transform = ( (1, 0, 0, 0), (0, 1, 0, 0), (0, 0, 1, 0), (0, 0, 0, 1) )
    color3f[] primvars:displayColor = [(1, 0.5, 0.25),
        (0, 0, 0.125)] (interpolation = "vertex")
}}
"""
        change = SetInput("/wall", "primvars:displayColor", (0.1, 0.2, 0.3, 0.4, 0.5, 0.6))
        after = usd.rewritten(text.encode(), [change]).decode()
        expected = text.replace("[(1, 0.5, 0.25)", "[(0.1, 0.2, 0.3)").replace("(0, 0, 0.125)]", "(0.4, 0.5, 0.6)]")
        self.assertEqual(after, expected)
        self.assertLess(len(usd_text._Scanner(text)._kinds), 150)

    def test_crate_and_package_change_as_the_text_does(self) -> None:
        text = usd_scene(self.folder, SEED, 3, with_pictures=False).path.read_bytes()
        layer = Sdf.Layer.CreateAnonymous(".usda")
        layer.ImportFromString(text.decode())
        crate = self.folder / "scene.usdc"
        layer.Export(str(crate))
        package = self.folder / "scene.usdz"
        with Sdf.ZipFileWriter.CreateNew(str(package)) as writer:
            writer.AddFile(str(crate), "scene.usdc")
            writer.AddFile(str(picture(self.folder / "a.png", 1)), "a.png")
        edit = SetInput("/World/m1/surface", "inputs:emissiveColor", (0.25, 0.5, 1.0))
        told = [
            usd.read(usd.rewritten(content, [edit]), "x")
            .nodes["/World/m1/surface"]
            .inputs["inputs:emissiveColor"]
            .value
            for content in (text, crate.read_bytes(), package.read_bytes())
        ]
        self.assertEqual(told, [(0.25, 0.5, 1.0)] * 3)
        (self.folder / "again.usdz").write_bytes(usd.rewritten(package.read_bytes(), [edit]))
        with zipfile.ZipFile(self.folder / "again.usdz") as again, zipfile.ZipFile(package) as before:
            self.assertEqual(again.namelist(), before.namelist())
            self.assertEqual(again.read("a.png"), before.read("a.png"))

    def test_what_changes_over_time_is_changed_sample_by_sample(self) -> None:
        text = b"""#usda 1.0
def Material "M"
{
    def Shader "tex"
    {
        uniform token info:id = "UsdUVTexture"
        asset inputs:file.timeSamples = { 1: @a.0001.png@, 2: @a.0002.png@ }
        token inputs:sourceColorSpace = "sRGB"
    }
    color3f inputs:glow = (1, 1, 1) # and at other times
    color3f inputs:glow.timeSamples = {
        0: (1, 0.5, 0.25), # first
        12.5 : (0, 1, 0),
        1e2: None,
    }
    color3f[] primvars:displayColor.timeSamples = { 0: [(1, 0, 0), (0, 0, 1)], 24: [(0.5, 0, 0), (0, 0, 0.5)] }
    float inputs:gain.timeSamples = { 0: 1, 24: 2 }
}
"""
        layer = Sdf.Layer.CreateAnonymous(".usda")
        layer.ImportFromString(text.decode())
        crate = self.folder / "scene.usdc"
        layer.Export(str(crate))
        edits = [
            SetInput("/M", "inputs:glow@12.5", (0.125, 0.5, 0.75)),
            SetSpace("/M", "inputs:glow@12.5", "lin_ap1_scene"),
            SetSpace("/M", "inputs:glow@0", "lin_ap1_scene"),
            SetInput("/M", "primvars:displayColor@24", (0.25, 0, 0, 0, 0, 0.25)),
            SetInput("/M/tex", "inputs:file@2", "b.0002.png"),
            SetSpace("/M/tex", "inputs:file@1", "lin_rec709_scene"),
            SetSpace("/M/tex", "inputs:file@2", "lin_rec709_scene"),
        ]
        after = usd.rewritten(text, edits)
        for content in (after, usd.rewritten(crate.read_bytes(), edits)):
            nodes = usd.read(content, "x").nodes
            glow = nodes["/M"].inputs
            self.assertEqual(glow["inputs:glow"].value, (1.0, 1.0, 1.0))
            self.assertEqual(glow["inputs:glow@0"].value, (1.0, 0.5, 0.25))
            self.assertEqual(glow["inputs:glow@12.5"].value, (0.125, 0.5, 0.75))
            self.assertEqual(glow["inputs:glow@12.5"].said, "lin_ap1_scene")
            self.assertNotIn("inputs:glow@100", glow)
            self.assertEqual(glow["primvars:displayColor@24"].value, (0.25, 0.0, 0.0, 0.0, 0.0, 0.25))
            file = nodes["/M/tex"].inputs
            self.assertEqual([file[f"inputs:file@{time}"].value for time in (1, 2)], ["a.0001.png", "b.0002.png"])
            self.assertEqual(file["inputs:file@1"].said, "lin_rec709_scene")
            self.assertEqual(file["inputs:sourceColorSpace"].value, "raw")
        self.assertIn(b"# first", after)
        self.assertIn(b"1e2: None", after)
        self.assertEqual(usd.problems(after), usd.problems(text))

    def test_variants_are_changed_where_they_stand(self) -> None:
        text = (
            b'#usda 1.0\ndef Xform "A" (\n    variants = { string look = "wet" }\n    prepend variantSets = "look"\n)\n'
            b'{\n    variantSet "look" = {\n        "dry" {\n            over "M"\n            {\n'
            b"                color3f inputs:tint = (1, 0, 0)\n            }\n        }\n"
            b'        "wet" (\n            doc = "rain"\n        ) {\n            over "M"\n            {\n'
            b"                color3f inputs:tint = (0, 0, 1)\n            }\n        }\n    }\n}\n"
        )
        after = usd.rewritten(text, [SetInput("/A{look=wet}M", "inputs:tint", (0.5, 0.5, 0.5))])
        self.assertIn(b"(1, 0, 0)", after)
        self.assertIn(b"(0.5, 0.5, 0.5)", after)
        self.assertNotIn(b"(0, 0, 1)", after)

    def test_materialx_keeps_what_it_does_not_know(self) -> None:
        content = materialx_scene(self.folder, SEED, 4).path.read_bytes()
        after = materialx.rewritten(
            content,
            [
                SetInput("m1", "emission_color", (0.1, 0.2, 0.3)),
                SetSpace("g1/pic", "file", "srgb_texture"),
                SetSetting(SPACE, "acescg"),
            ],
        )
        self.assertEqual(sum(line.startswith("-") for line in self.lines_changed(content, after)), 3)
        self.assertIn(b"<!-- kept & as it is -->", after)
        self.assertEqual(materialx.problems(after), [])
        read = materialx.read(after, "x")
        self.assertEqual((read.space, read.nodes["m1"].inputs["emission_color"].value), ("acescg", (0.1, 0.2, 0.3)))

    def test_gltf_keeps_order_layout_and_unknown_extensions(self) -> None:
        content = gltf_scene(self.folder, SEED, 3).path.read_bytes()
        colour = SetInput("materials/1", "pbrMetallicRoughness/baseColorFactor", (0.1, 0.2, 0.3))
        after = gltf.rewritten(content, [colour])
        self.assertIn(b"2.50,", after)
        before, now = json.loads(content), json.loads(after)
        self.assertEqual(now["materials"][1]["pbrMetallicRoughness"].pop("baseColorFactor"), [0.1, 0.2, 0.3, 1.0])
        before["materials"][1]["pbrMetallicRoughness"].pop("baseColorFactor")
        self.assertEqual(now, before)
        text = json.dumps(json.loads(content)).encode()
        text += b" " * (-len(text) % 4)
        binary = struct.pack("<II", 4, 0x004E4942) + b"abcd"
        glb = struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(binary)) + struct.pack("<II", len(text), 0x4E4F534A)
        whole = gltf.rewritten(glb + text + binary, [colour])
        self.assertTrue(whole.endswith(binary))
        (self.folder / "again.glb").write_bytes(whole)
        by_other = GLTF2().load(str(self.folder / "again.glb"))
        self.assertEqual(by_other.materials[1].pbrMetallicRoughness.baseColorFactor, [0.1, 0.2, 0.3, 1.0])

    def test_lists_change_cell_by_cell(self) -> None:
        after = listed.rewritten_csv(LIST_CSV, [RemoveNode("row 1 gamma"), SetSpace("row 1", "file", "sRGB")])
        before_lines, lines = LIST_CSV.splitlines(True), after.splitlines(True)
        self.assertEqual(lines[1], b'material,wall,base_color,wall.png,sRGB,,,,,"quoted, ""so"""\r\n')
        self.assertEqual((lines[0], lines[2:]), (before_lines[0], before_lines[2:]))
        changed = listed.rewritten_json(LIST_JSON, [SetSetting("tone_mapping", False), SetSetting(SPACE, "ACEScg")])
        terms = json.loads(changed)
        self.assertEqual((terms["space"], terms["settings"]["tone_mapping"]), ("ACEScg", False))
        self.assertIn(b"0.50, 0.25", changed)

    def test_a_place_that_is_not_there_is_told(self) -> None:
        edits = (
            SetInput("/no/such", "inputs:x", (1.0,)),
            Connect("/no/such", "inputs:x", None),
            RemoveNode("/no/such"),
        )
        for make in (usd_scene, materialx_scene):
            content = make(self.folder / make.__name__, SEED, 1)
            for edit in edits:
                with self.subTest(make=make.__name__, edit=type(edit).__name__), self.assertRaises(BadInput):
                    format_of(content.path.name).rewritten(content.path.read_bytes(), [edit])


class GammaNodes(SceneTestCase):
    """Nodes that correct are told from those that somebody chose for a look."""

    def test_random_scenes(self) -> None:
        for seed in range(SEED, SEED + 6):
            for make, stem in ((usd_scene, "/World/{}/gamma"), (materialx_scene, "g{}/bend")):
                made = make(self.folder / f"{make.__name__}{seed}", seed, 8)
                uses = Uses(format_of(made.path.name).read(made.path.read_bytes(), made.path.name))
                for name, exponent in made.gammas.items():
                    path = stem.format(name if "World" in stem else name.removeprefix("m"))
                    found = uses.gammas[path]
                    self.assertAlmostEqual(found.exponent or 0, exponent, places=5)
                    corrects = max(exponent, 1 / exponent) not in (1.3, 1 / 0.7, 3.0, 1.1)
                    self.assertEqual(found.corrects, corrects, f"{exponent}, seed {seed}")
                self.assertEqual(len(uses.gammas), len(made.gammas))

    def test_a_range_node_and_one_that_is_driven(self) -> None:
        text = (
            b'<materialx version="1.39"><range name="r" type="color3"><input name="in" type="color3" nodename="t"/>'
            b'<input name="gamma" type="color3" value="2.2, 2.2, 2.2"/></range>'
            b'<power name="p" type="color3"><input name="in1" type="color3" nodename="t"/>'
            b'<input name="in2" type="float" nodename="u"/></power>'
            b'<image name="t" type="color3"><input name="file" type="filename" value="a.png"/></image></materialx>'
        )
        gammas = Uses(materialx.read(text, "x.mtlx")).gammas
        self.assertNotIn("r", gammas)  # one for each channel is a grade, and is told by nobody
        self.assertIsNone(gammas["p"].exponent)
        self.assertFalse(gammas["p"].corrects)


class Hostile(SceneTestCase):
    def test_what_is_no_document_is_refused_in_a_sentence(self) -> None:
        contents = (
            b"", b"\x00" * 64, b"#usda 1.0\n" + b"(" * 5000, b"PXR-USDC" + b"\xff" * 200, b"PK\x03\x04junk", b"{",
            b"[" * 100_000, b'<!DOCTYPE m [<!ENTITY a "b">]><materialx version="1.39">&a;</materialx>',
            b'{"asset": {"version": "2.0"}, "materials": 3}', b"glTF" + struct.pack("<II", 2, 1 << 30) + b"\xff" * 8,
            b'{"rows": [3]}', b"name\nx", b"\xff\xfe\x00",
        )  # fmt: skip
        for format_ in formats():
            for suffix in format_.suffixes:
                for content in contents:
                    path = self.folder / f"bad{suffix}"
                    path.write_bytes(content)
                    with self.subTest(suffix=suffix, content=content[:20]):
                        try:
                            read_scene([path], [self.folder])
                        except BadInput as error:
                            self.assertRegex(str(error), r"^(bad\.|This )\S*.{15}")

    def test_nothing_outside_the_allowed_folders_is_opened(self) -> None:
        secret = self.folder / "secret"
        picture(secret / "key.png", 1)
        (secret / "layer.usda").write_text("#usda 1.0\n")
        inside = self.folder / "inside"
        inside.mkdir()
        (inside / "link.png").symlink_to(secret / "key.png")
        scene = inside / "scene.usda"
        scene.write_text(
            "#usda 1.0\n(\n    subLayers = [ @../secret/layer.usda@, @/etc/passwd@, @http://x.y/z.usda@ ]\n)\n"
            + "".join(
                f'def Shader "S{number}"\n{{\n    uniform token info:id = "UsdUVTexture"\n'
                f"    asset inputs:file = @{path}@\n}}\n"
                for number, path in enumerate(("../secret/key.png", "link.png", "/etc/passwd", "../secret/<UDIM>.png"))
            )
        )
        found = read_scene([scene], [inside])
        self.assertEqual(list(found.documents), ["scene.usda"])
        self.assertEqual(dict(found.files), {})
        self.assertEqual(len(found.refused), 7)

    def test_references_that_double_each_time_are_not_followed(self) -> None:
        """Thirty levels of two each: a thousand million prims, were they put together."""
        levels = "".join(
            f'def "p{n}"\n{{\n    def "a" (references = </p{n + 1}>)\n    {{\n    }}\n'
            f'    def "b" (references = </p{n + 1}>)\n    {{\n    }}\n}}\n'
            for n in range(30)
        )
        limited = run_sandboxed(
            usd.problems, f"#usda 1.0\n{levels}".encode(), limits=Limits(5, 1 << 30), called="", advice=""
        )
        self.assertEqual([each for each in limited if "connected" in each], [])

    def test_circles_and_depth(self) -> None:
        for name, other in (("a", "b"), ("b", "a")):
            (self.folder / f"{name}.usda").write_text(f"#usda 1.0\n(\n    subLayers = [ @./{other}.usda@ ]\n)\n")
        self.assertEqual(len(read_scene([self.folder / "a.usda"], [self.folder]).documents), 2)
        for number in range(60):
            (self.folder / f"d{number}.usda").write_text(
                f"#usda 1.0\n(\n    subLayers = [ @./d{number + 1}.usda@ ]\n)\n"
            )
        with self.assertRaisesRegex(BadInput, "deep"):
            read_scene([self.folder / "d0.usda"], [self.folder])

    def test_connections_in_a_circle_end(self) -> None:
        text = "#usda 1.0\n" + "".join(
            f'def Shader "S{number}"\n{{\n    uniform token info:id = "ND_power_color3FA"\n'
            f"    color3f inputs:in1.connect = </S{(number + 1) % 3}.outputs:out>\n    float inputs:in2 = 2.2\n}}\n"
            for number in range(3)
        )
        text += 'def Shader "T"\n{\n    uniform token info:id = "UsdUVTexture"\n    asset inputs:file = @a.png@\n}\n'
        text = text.replace("</S1.outputs:out>", "</T.outputs:rgb>")
        self.assertEqual(len(Uses(usd.read(text.encode(), "x.usda")).pictures), 1)
