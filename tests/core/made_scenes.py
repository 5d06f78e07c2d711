"""Scenes made at random: materials with pictures, gamma nodes, typed colours and lights, in every format, with comments
and parts that Saltwort does not know."""

import json
import random
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from pxr import Sdf

from saltwort.core.images import write_image

CORRECTING = (2.2, 0.4545, 1 / 2.2, 2.4, 1.8)
ARTISTIC = (1.3, 0.7, 3.0, 1.1)


@dataclass
class MadeScene:
    """A scene with what is in it: `gammas` by material the exponent, `colours` by material the typed colour."""

    path: Path
    gammas: dict[str, float] = field(default_factory=dict)
    colours: dict[str, tuple[float, ...]] = field(default_factory=dict)


def picture(path: Path, seed: int, *, grey: bool = False, sample_type: str = "uint8") -> Path:
    """A picture of smooth noise."""
    generator = np.random.default_rng(seed)
    small = generator.random((8, 8, 1 if grey else 3))
    path.parent.mkdir(parents=True, exist_ok=True)
    write_image(path, np.kron(small, np.ones((8, 8, 1))).astype(np.float32), sample_type)
    return path


def typed(random_: random.Random) -> tuple[float, ...]:
    return tuple(round(random_.uniform(0.02, 0.9), random_.choice((2, 3, 6))) for _ in range(3))


def usd_scene(folder: Path, seed: int, materials: int, *, with_pictures: bool = True) -> MadeScene:
    """A text layer: each material has a picture, by chance behind a gamma node, and a typed colour."""
    chance = random.Random(seed)
    made = MadeScene(folder / "scene.usda")
    parts = [
        '#usda 1.0\n(\n    defaultPrim = "World"\n    customLayerData = {\n        string unknown = "kept { as it is"\n'
        '    }\n)\n\n# a comment: @not@ a <path> "at all\n'
        'def Xform "World" (\n    kind = "component"\n)\n{\n'
    ]
    for number in range(materials):
        name = f"m{number}"
        exponent = chance.choice((None, chance.choice(CORRECTING), chance.choice(ARTISTIC)))
        colour = typed(chance)
        made.colours[name] = colour
        source = f"/World/{name}/tex.outputs:rgb"
        node = ""
        if exponent:
            made.gammas[name] = exponent
            node = (
                f'        # gamma {number}\n        def Shader "gamma"\n        {{\n'
                '            uniform token info:id = "ND_power_color3FA"\n'
                f"            color3f inputs:in1.connect = <{source}>\n"
                f"            float inputs:in2 = {exponent}\n            color3f outputs:out\n        }}\n\n"
            )
            source = f"/World/{name}/gamma.outputs:out"
        if with_pictures:
            picture(folder / "maps" / f"{name}_diff.png", seed * 1000 + number)
        parts.append(
            f'    def Material "{name}"\n    {{\n'
            f"        token outputs:surface.connect = </World/{name}/surface.outputs:surface>\n\n"
            '        def Shader "surface" (\n            doc = """three\n  lines { of\n  text"""\n'
            "        )\n        {\n"
            '            uniform token info:id = "UsdPreviewSurface"\n'
            f"            color3f inputs:diffuseColor.connect = <{source}>\n"
            f"            color3f inputs:emissiveColor = ({', '.join(map(str, colour))})  # glow\n"
            "            float inputs:roughness = 0.4; float inputs:metallic = 0\n"
            "            token outputs:surface\n        }\n\n"
            f"{node}"
            '        def Shader "tex"\n        {\n            uniform token info:id = "UsdUVTexture"\n'
            f"            asset inputs:file = @./maps/{name}_diff.png@\n"
            '            token inputs:sourceColorSpace = "raw"\n            float3 outputs:rgb\n        }\n    }\n\n'
        )
    parts.append(
        '    def SphereLight "Key"\n    {\n        color3f inputs:color = (1, 0.5, 0.25)\n'
        "        float inputs:intensity = 40\n    }\n}\n"
    )
    folder.mkdir(parents=True, exist_ok=True)
    made.path.write_text("".join(parts), encoding="utf-8")
    return made


def packed_scene(folder: Path) -> Path:
    """A package with a material that has two tiles and a map of roughness within, and something else."""
    (folder / "scene").mkdir(parents=True)
    layer = folder / "quay.usda"
    layer.write_text(
        '#usda 1.0\n(\n    defaultPrim = "M"\n)\ndef Material "M"\n{\n'
        "    token outputs:surface.connect = </M/surface.outputs:surface>\n"
        '    def Shader "surface"\n    {\n        uniform token info:id = "UsdPreviewSurface"\n'
        "        color3f inputs:diffuseColor.connect = </M/tex.outputs:rgb>\n"
        "        float inputs:roughness.connect = </M/rough.outputs:r>\n        token outputs:surface\n    }\n"
        '    def Shader "tex"\n    {\n        uniform token info:id = "UsdUVTexture"\n'
        "        asset inputs:file = @maps/wall.<UDIM>.png@\n"
        '        token inputs:sourceColorSpace = "sRGB"\n        float3 outputs:rgb\n    }\n'
        '    def Shader "rough"\n    {\n        uniform token info:id = "UsdUVTexture"\n'
        "        asset inputs:file = @./maps/wall_rough.png@\n"
        '        token inputs:sourceColorSpace = "raw"\n        float outputs:r\n    }\n}\n'
    )
    crate = folder / "quay.usdc"
    Sdf.Layer.FindOrOpen(str(layer)).Export(str(crate))
    files = {f"maps/wall.{1001 + seed}.png": picture(folder / f"{seed}.png", seed) for seed in (0, 1)}
    files["maps/wall_rough.png"] = picture(folder / "rough.png", 3, grey=True)
    files["sound/bell.mp3"] = folder / "bell.mp3"
    files["sound/bell.mp3"].write_bytes(b"ding" * 100)
    place = folder / "scene" / "quay.usdz"
    with Sdf.ZipFileWriter.CreateNew(str(place)) as writer:
        writer.AddFile(str(crate), "quay.usdc")
        for name, file in files.items():
            writer.AddFile(str(file), name)
    return place


def layered_package(folder: Path) -> Path:
    """A package whose first layer refers to another within, which has a texture of its own beside it, and to a package
    that is not there."""
    (folder / "scene").mkdir(parents=True)
    lamp = (
        "#usda 1.0\n# a lamp of the quay\n"
        'def Material "Lamp"\n{\n    token outputs:surface.connect = </Lamp/surface.outputs:surface>\n'
        '    def Shader "surface"\n    {\n        uniform token info:id = "UsdPreviewSurface"\n'
        "        color3f inputs:diffuseColor.connect = </Lamp/tex.outputs:rgb>\n"
        "        color3f inputs:emissiveColor = (0.2, 0.1, 0.05)\n        token outputs:surface\n    }\n"
        '    def Shader "tex"\n    {\n        uniform token info:id = "UsdUVTexture"\n'
        '        asset inputs:file = @./maps/glass.png@\n        token inputs:sourceColorSpace = "sRGB"\n'
        "        float3 outputs:rgb\n    }\n}\n"
    )
    first = '#usda 1.0\ndef "Lamp" (references = @./props/lamp.usda@</Lamp>)\n{\n}\n'
    first += 'def "Far" (references = @./other.usdz@</Far>)\n{\n}\n'
    place = folder / "scene" / "quay.usdz"
    with Sdf.ZipFileWriter.CreateNew(str(place)) as writer:
        for number, (name, text) in enumerate((("quay.usda", first), ("props/lamp.usda", lamp))):
            layer = folder / f"{number}.usda"
            layer.write_text(text)
            writer.AddFile(str(layer), name)
        writer.AddFile(str(picture(folder / "glass.png", 5)), "props/maps/glass.png")
    return place


def materialx_scene(folder: Path, seed: int, materials: int) -> MadeScene:
    """A document with a graph for each material."""
    chance = random.Random(seed)
    made = MadeScene(folder / "scene.mtlx")
    parts = ['<?xml version="1.0"?>\n<!-- kept & as it is -->\n<materialx version="1.39" colorspace="lin_rec709">\n']
    for number in range(materials):
        name = f"m{number}"
        exponent = chance.choice((None, chance.choice(CORRECTING), chance.choice(ARTISTIC)))
        colour = typed(chance)
        made.colours[name] = colour
        picture(folder / f"{name}_diff.png", seed * 1000 + number)
        node, last = "", "pic"
        if exponent:
            made.gammas[name] = exponent
            last = "bend"
            node = (
                f'    <power name="bend" type="color3"> <!-- {number} -->\n'
                '      <input name="in1" type="color3" nodename="pic" />\n'
                f'      <input name="in2" type="float" value="{exponent}"/>\n    </power>\n'
            )
        parts.append(
            f'  <nodegraph name="g{number}">\n    <image name="pic" type="color3" unknown:attribute="1">\n'
            f'      <input name="file" type="filename" value="{name}_diff.png" colorspace="none" />\n'
            f"    </image>\n{node}"
            f'    <output name="out" type="color3" nodename="{last}" />\n  </nodegraph>\n'
            f'  <standard_surface name="{name}" type="surfaceshader">\n'
            f'    <input name="base_color" type="color3" nodegraph="g{number}" output="out" />\n'
            f'    <input name="emission_color"\n           type="color3" value="{", ".join(map(str, colour))}" />\n'
            "  </standard_surface>\n"
        )
    parts.append("</materialx>\n")
    folder.mkdir(parents=True, exist_ok=True)
    made.path.write_text("".join(parts).replace(' unknown:attribute="1"', ' show_note="1"'), encoding="utf-8")
    return made


def gltf_scene(folder: Path, seed: int, materials: int) -> MadeScene:
    """A document with unknown extensions and numbers written in several ways."""
    chance = random.Random(seed)
    made = MadeScene(folder / "scene.gltf")
    listed = []
    for number in range(materials):
        name = f"m{number}"
        made.colours[name] = typed(chance)
        picture(folder / f"{name} diff.png", seed * 1000 + number)
        listed.append(
            {
                "name": name,
                "pbrMetallicRoughness": {
                    "baseColorFactor": [*made.colours[name], 1.0],
                    "baseColorTexture": {"index": number},
                },
                "extensions": {"QUAY_unknown": {"kept": [1, 2.50, "x"]}},
            }
        )
    root = {
        "asset": {"version": "2.0", "generator": "tests"},
        "extensionsUsed": ["QUAY_unknown"],
        "materials": listed,
        "textures": [{"source": number} for number in range(materials)],
        "images": [{"uri": f"m{number}%20diff.png"} for number in range(materials)],
    }
    folder.mkdir(parents=True, exist_ok=True)
    made.path.write_text(json.dumps(root, indent=3).replace("2.5,", "2.50,"), encoding="utf-8")
    return made
