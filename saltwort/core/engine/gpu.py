"""The engine's own GPU program of a view: GLSL ES 3.0 with its LUTs as textures, from the processor of the CPU."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine.processors import ViewChoice, build, check_view, known_space

FUNCTION = "throughView"
PREFIX = "view_"


@dataclass(frozen=True)
class GpuTexture:
    """A LUT of a program: `size` is its width and height, or three times the edge of a cube; `values` are float32,
    (texels, channels); `smooth` asks for linear interpolation."""

    sampler: str
    size: tuple[int, ...]
    channels: int
    smooth: bool
    values: NDArray[np.float32]


@dataclass(frozen=True)
class GpuProgram:
    """GLSL with a function FUNCTION from light, vec4, to the display's code values, and the textures it samples."""

    glsl: str
    textures: tuple[GpuTexture, ...]


def gpu_program(config: ocio.Config, choice: ViewChoice) -> GpuProgram:
    """The program from light in the working space through look and view. Exposure is a factor before it.

    Raises BadInput for unknown names, or a view that the config cannot make.
    """
    check_view(config, choice)
    working = known_space(config, ocio.ROLE_SCENE_LINEAR)
    view = ocio.DisplayViewTransform(src=working, display=choice.display, view=choice.view)
    transform: ocio.Transform = view
    if choice.look:
        view.setLooksBypass(True)
        transform = ocio.GroupTransform([ocio.LookTransform(working, working, choice.look), view])
    wanted = ocio.GpuShaderDesc.CreateShaderDesc(
        language=ocio.GPU_LANGUAGE_GLSL_ES_3_0, functionName=FUNCTION, pixelName="seen", resourcePrefix=PREFIX
    )
    wanted.setAllowTexture1D(False)  # WebGL has none
    build(config, transform).getDefaultGPUProcessor().extractGpuShaderInfo(wanted)
    flat = [_flat(texture) for texture in wanted.getTextures()]
    cubes = [_cube(texture) for texture in wanted.get3DTextures()]
    return GpuProgram(wanted.getShaderText(), (*flat, *cubes))


def _flat(texture: ocio.GpuShaderDesc.Texture) -> GpuTexture:
    channels = 1 if texture.channel == ocio.GpuShaderDesc.TEXTURE_RED_CHANNEL else 3
    values = np.array(texture.getValues(), np.float32).reshape(-1, channels)
    smooth = texture.interpolation != ocio.INTERP_NEAREST
    return GpuTexture(texture.samplerName, (texture.width, texture.height), channels, smooth, values)


def _cube(texture: ocio.GpuShaderDesc.Texture3D) -> GpuTexture:
    values = np.array(texture.getValues(), np.float32).reshape(-1, 3)
    smooth = texture.interpolation != ocio.INTERP_NEAREST
    return GpuTexture(texture.samplerName, (texture.edgeLen,) * 3, 3, smooth, values)
