"""The quay as it was lit two years ago, without colour management: a USD scene with the habits of that time. Each is
on purpose, and listed in the README of the demo."""

import shutil
from pathlib import Path

import numpy as np
from django.conf import settings

from saltwort.core.images import write_image
from saltwort.demo.textures import SIDE, brass, decoded, eight_bit, grey, noise, rope, stones, wall
from saltwort.server.migrating.models import OldScene
from saltwort.server.migrating.operations import read_here
from saltwort.server.projects.models import Project

SCENE_NAME = "old_quay.usda"
LIGHTS_NAME = "old_quay_lights.usda"


FOLDER = "lantern_quay_teaser"
FRAMES = 3


def add_old_scene(project: Project) -> OldScene:
    """Write the scene, and have the project read it."""
    folder = Path(settings.MEDIA_ROOT) / FOLDER
    shutil.rmtree(folder, ignore_errors=True)
    return read_here(project, SCENE_NAME, [write_old_scene(folder)], [folder])


def write_old_scene(folder: Path) -> Path:
    """The scene, its layer of lights and its textures; the path of the scene."""
    maps = folder / "maps"
    maps.mkdir(parents=True)
    (folder / "frames").mkdir()
    height, _ = stones()
    write_image(maps / "wall_diff.png", eight_bit(wall()), "uint8")
    write_image(maps / "wall_rgh.png", eight_bit(grey(0.5 + 0.4 * height)), "uint8")
    write_image(maps / "brass_diff.png", eight_bit(brass()), "uint8")
    write_image(maps / "rope_diff.png", eight_bit(rope()), "uint8")
    write_image(maps / "moss_diff.exr", decoded(rope()), "half")
    write_image(maps / "wet_mask.png", eight_bit(grey(noise(77, (SIDE, SIDE), 6))), "uint8")
    for number in range(1, FRAMES + 1):
        light = decoded(wall()) * (0.5 + 1.5 * number / FRAMES)
        write_image(folder / "frames" / f"teaser.{number:04}.png", np.clip(light, 0, 1) ** (1 / 2.2), "uint8")
    (folder / LIGHTS_NAME).write_text(LIGHTS, encoding="utf-8")
    scene = folder / SCENE_NAME
    scene.write_text(SCENE, encoding="utf-8")
    return scene


SCENE = """#usda 1.0
(
    defaultPrim = "Quay"
    doc = "Lantern Quay, test for the teaser"
    metersPerUnit = 1
    subLayers = [
        @./old_quay_lights.usda@
    ]
    upAxis = "Y"
)

# Lit by hand in one night. Do not touch the brass!
def Xform "Quay"
{
    def Sphere "Wall" (
        prepend apiSchemas = ["MaterialBindingAPI"]
    )
    {
        rel material:binding = </Quay/Materials/wall>
        color3f[] primvars:displayColor = [(0.42, 0.37, 0.33)]
    }

    def Scope "Materials"
    {
        def Material "wall"
        {
            token outputs:surface.connect = </Quay/Materials/wall/surface.outputs:surface>

            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </Quay/Materials/wall/degamma.outputs:out>
                float inputs:roughness.connect = </Quay/Materials/wall/degamma_rough.outputs:out>
                token outputs:surface
            }

            # the file is sRGB, so undo it
            def Shader "degamma"
            {
                uniform token info:id = "ND_power_color3FA"
                color3f inputs:in1.connect = </Quay/Materials/wall/diff.outputs:rgb>
                float inputs:in2 = 2.2
                color3f outputs:out
            }

            def Shader "diff"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./maps/wall_diff.png@
                token inputs:sourceColorSpace = "raw"
                float3 outputs:rgb
            }

            def Shader "degamma_rough"
            {
                uniform token info:id = "ND_power_float"
                float inputs:in1.connect = </Quay/Materials/wall/rgh.outputs:r>
                float inputs:in2 = 2.2
                float outputs:out
            }

            def Shader "rgh"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./maps/wall_rgh.png@
                token inputs:sourceColorSpace = "raw"
                float outputs:r
            }
        }

        def Material "brass"
        {
            color3f inputs:tarnish = (0.5, 0.392157, 0.2)
            token outputs:surface.connect = </Quay/Materials/brass/surface.outputs:surface>

            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </Quay/Materials/brass/degamma.outputs:out>
                color3f inputs:specularColor.connect = </Quay/Materials/brass/degamma_tarnish.outputs:out>
                float inputs:metallic = 1
                token outputs:surface
            }

            def Shader "degamma"
            {
                uniform token info:id = "ND_power_color3FA"
                color3f inputs:in1.connect = </Quay/Materials/brass/diff.outputs:rgb>
                float inputs:in2 = 2.2
                color3f outputs:out
            }

            def Shader "degamma_tarnish"
            {
                uniform token info:id = "ND_power_color3FA"
                color3f inputs:in1.connect = </Quay/Materials/brass.inputs:tarnish>
                float inputs:in2 = 2.2
                color3f outputs:out
            }

            def Shader "diff"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./maps/brass_diff.png@
                token inputs:sourceColorSpace = "sRGB"
                float3 outputs:rgb
            }
        }

        def Material "rope"
        {
            token outputs:surface.connect = </Quay/Materials/rope/surface.outputs:surface>

            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </Quay/Materials/rope/look.outputs:out>
                color3f inputs:emissiveColor = (0.8, 0.3, 0.05)
                token outputs:surface
            }

            # a look, not a correction: dries the rope
            def Shader "look"
            {
                uniform token info:id = "ND_power_color3FA"
                color3f inputs:in1.connect = </Quay/Materials/rope/diff.outputs:rgb>
                float inputs:in2 = 1.3
                color3f outputs:out
            }

            def Shader "diff"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./maps/rope_diff.png@ (
                    colorSpace = "sRGB - Texture"
                )
                float3 outputs:rgb
            }
        }

        def Material "moss"
        {
            token outputs:surface.connect = </Quay/Materials/moss/surface.outputs:surface>

            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor.connect = </Quay/Materials/moss/diff.outputs:rgb>
                float inputs:opacity.connect = </Quay/Materials/moss/wet.outputs:r>
                token outputs:surface
            }

            def Shader "diff"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./maps/moss_diff.exr@
                token inputs:sourceColorSpace = "sRGB"
                float3 outputs:rgb
            }

            def Shader "wet"
            {
                uniform token info:id = "UsdUVTexture"
                asset inputs:file = @./maps/wet_mask.png@
                token inputs:sourceColorSpace = "sRGB"
                float outputs:r
            }
        }

        def Material "enamel"
        {
            token outputs:surface.connect = </Quay/Materials/enamel/surface.outputs:surface>

            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor = (0.184314, 0.415686, 0.407843)
                token outputs:surface
            }
        }

        def Material "buoy"
        {
            token outputs:surface.connect = </Quay/Materials/buoy/surface.outputs:surface>

            def Shader "surface"
            {
                uniform token info:id = "UsdPreviewSurface"
                color3f inputs:diffuseColor = (0.399293, 0.018913, 0.009023)  # typed, corrected by hand
                token outputs:surface
            }
        }
    }
}
"""

LIGHTS = """#usda 1.0
(
    doc = "Lights and output of the quay"
)

def Scope "Lights"
{
    def SphereLight "Flame"
    {
        color3f inputs:color = (1, 0.45, 0.12)
        float inputs:intensity = 120
        float inputs:exposure = 1
    }

    def DistantLight "Dusk"
    {
        color3f inputs:color = (0.55, 0.7, 1)
        float inputs:intensity = 4
    }

    def SphereLight "Marker"
    {
        color3f inputs:color = (0, 1, 0.15)
        float inputs:intensity = 30
        bool inputs:enableColorTemperature = 0
    }
}

def Camera "Lens"
{
    float focalLength = 35
    bool toneMapping = 1 (
        displayGroup = "Output"
    )
    float outputGamma = 2.2
}
"""
