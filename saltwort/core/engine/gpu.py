"""The engine's own GPU program of a view: GLSL ES 3.0 with its LUTs as textures, from the processor of the CPU."""

from dataclasses import dataclass

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine.displays import HDR, HDR_WHITE, SCREENS, SDR_WHITE, display_kind
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, colours_of_view
from saltwort.core.engine.processors import ViewChoice, build, check_view, view_steps
from saltwort.core.engine.transforms import clamp_transform, matrix_transform
from saltwort.core.spaces.gamuts import rgb_to_xyz, solve

FUNCTION = "throughView"
PREFIX = "view_"
CODES, LIGHT = "codes", "light"
TARGETS = (CODES, LIGHT, *SCREENS)


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


def gpu_program(
    config: ocio.Config, choice: ViewChoice, target: str = CODES, numbers_in: str = ocio.ROLE_SCENE_LINEAR
) -> GpuProgram:
    """The program from light in the working space through look and view. Exposure is a factor before it. A view that
    shows a file's own numbers gives those of the space `numbers_in`.

    `target` says what it gives: the display's code values, as CODES; the display's LIGHT, CIE XYZ under D65 with Y = 1
    at 100 cd/m²; or code values of another screen, a key of SCREENS, that show the same light, of HDR as far as its
    reference white.

    Raises BadInput for unknown names, a view that the config cannot make, or one whose numbers are no display light
    where light is asked for.
    """
    check_view(config, choice)
    transform = ocio.GroupTransform([*view_steps(config, choice, numbers_in), *_to_target(config, choice, target)])
    wanted = ocio.GpuShaderDesc.CreateShaderDesc(
        language=ocio.GPU_LANGUAGE_GLSL_ES_3_0, functionName=FUNCTION, pixelName="seen", resourcePrefix=PREFIX
    )
    wanted.setAllowTexture1D(False)  # WebGL has none
    build(config, transform).getDefaultGPUProcessor().extractGpuShaderInfo(wanted)
    flat = [_flat(texture) for texture in wanted.getTextures()]
    cubes = [_cube(texture) for texture in wanted.get3DTextures()]
    return GpuProgram(wanted.getShaderText(), (*flat, *cubes))


def _to_target(config: ocio.Config, choice: ViewChoice, target: str) -> list[ocio.Transform]:
    if target == CODES:
        return []
    space = colours_of_view(config, choice)
    # A display cannot show what lies outside its code values.
    steps = [clamp_transform(), ocio.ColorSpaceTransform(space, DISPLAY_INTERCHANGE)]
    if target == LIGHT:
        return steps
    # On an SDR screen, HDR reference white is its white, and what is brighter is cut.
    white = SDR_WHITE / HDR_WHITE if display_kind(config, choice) == HDR else 1.0
    encode = ocio.ExponentWithLinearTransform([2.4] * 3 + [1.0], [0.055] * 3 + [0.0])
    encode.setDirection(ocio.TRANSFORM_DIR_INVERSE)
    to_screen = matrix_transform(solve(rgb_to_xyz(SCREENS[target]), np.eye(3) * white))
    return [*steps, to_screen, clamp_transform(), encode]


def _flat(texture: ocio.GpuShaderDesc.Texture) -> GpuTexture:
    channels = 1 if texture.channel == ocio.GpuShaderDesc.TEXTURE_RED_CHANNEL else 3
    values = np.array(texture.getValues(), np.float32).reshape(-1, channels)
    smooth = texture.interpolation != ocio.INTERP_NEAREST
    return GpuTexture(texture.samplerName, (texture.width, texture.height), channels, smooth, values)


def _cube(texture: ocio.GpuShaderDesc.Texture3D) -> GpuTexture:
    values = np.array(texture.getValues(), np.float32).reshape(-1, 3)
    smooth = texture.interpolation != ocio.INTERP_NEAREST
    return GpuTexture(texture.samplerName, (texture.edgeLen,) * 3, 3, smooth, values)
