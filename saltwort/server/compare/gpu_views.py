"""HTTP for live pictures: what the browser needs to draw them by itself, and to prove that it draws them right."""

import base64

import numpy as np
import PyOpenColorIO as ocio
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs.proof import proof_colours
from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.engine.displays import DISPLAY_KINDS, display_kind
from saltwort.core.engine.gpu import CODES, FUNCTION, TARGETS, gpu_program
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, linear_to_ap0
from saltwort.core.findings.checks.views import LARGEST_DIFFERENCE
from saltwort.core.images import read_box
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.gamuts import AP0, AP1, rgb_to_rgb, solve
from saltwort.core.views.sample_pictures import sample_picture
from saltwort.server.compare.operations import note_difference
from saltwort.server.http import BINARY, parsed
from saltwort.server.images.pictures import stored
from saltwort.server.projects.asked import ConfigQuery, choice_asked, config_asked
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.views import project_named
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of
from saltwort.server.scene.render_views import render_named
from saltwort.server.scene.rig import Asked, in_working_space, layers_of, picture_of, prepared
from saltwort.server.scene.serializers import triple

RIG = "rig"
"""The test picture that is the rig, as it is lit now."""
LARGEST_LIVE = 4096
"""Pixels on the longest side of a picture that a browser is sent: WebGL2 holds textures of that size everywhere."""


class TextureOfProgram(serializers.Serializer):
    """A LUT: float32 in base64, `channels` for each of its texels."""

    sampler = serializers.CharField()
    size = serializers.ListField(child=serializers.IntegerField())
    channels = serializers.IntegerField()
    smooth = serializers.BooleanField()
    values = serializers.CharField()


class ProgramSerializer(serializers.Serializer):
    """GLSL ES 3.0 with a function from light in the working space to what was asked for; `luminance` are the weights of
    red, green and blue in the working space, `to_log` and `from_log` its 3×3 matrices to and from the primaries of
    ACEScct (AP1), row by row; null where nobody can tell. `light` says of what kind the display's light is."""

    glsl = serializers.CharField()
    function = serializers.CharField()
    textures = TextureOfProgram(many=True)
    luminance = triple()
    to_log = serializers.ListField(child=triple(), allow_null=True)
    from_log = serializers.ListField(child=triple(), allow_null=True)
    light = serializers.ChoiceField(choices=DISPLAY_KINDS)


class ProgramQuery(ViewChoiceSerializer, ConfigQuery):
    """A program, and what it gives: see `gpu_program`. `numbers_in` is the space of the file that is looked at."""

    target = serializers.ChoiceField(choices=TARGETS, default=CODES)
    numbers_in = serializers.CharField(max_length=200, default=ocio.ROLE_SCENE_LINEAR)


@extend_schema(parameters=[ProgramQuery], responses=ProgramSerializer)
@api_view(["GET"])
def program(request: Request, slug: str) -> Response:
    asked = parsed(request, ProgramQuery, query=True)
    config, choice = config_asked(project_named(slug), asked), choice_asked(asked)
    made = gpu_program(config, choice, asked["target"], asked["numbers_in"])
    textures = [
        {**vars(texture), "values": base64.b64encode(texture.values.tobytes()).decode()} for texture in made.textures
    ]
    to_ap0 = linear_to_ap0(config, "scene_linear")
    to_log = None if to_ap0 is None else solve(rgb_to_rgb(AP1, AP0), to_ap0)
    answer = {
        "glsl": made.glsl,
        "function": FUNCTION,
        "textures": textures,
        "luminance": [1 / 3] * 3 if to_ap0 is None else (AP0_TO_XYZ_D65 @ to_ap0)[1].tolist(),
        "to_log": None if to_log is None else to_log.tolist(),
        "from_log": None if to_log is None else solve(to_log, np.eye(3)).tolist(),
        "light": display_kind(config, choice),
    }
    return Response(ProgramSerializer(answer).data)


@extend_schema(parameters=[ProgramQuery], responses=BINARY)
@api_view(["GET"])
def program_proof(request: Request, slug: str) -> HttpResponse:
    """The proof colours, and what the exact path makes of them: float32, all of the light, then all of the code
    values."""
    asked = parsed(request, ProgramQuery, query=True)
    config = config_asked(project_named(slug), asked)
    light = proof_colours()
    shown = apply(
        view_processor(config, "scene_linear", choice_asked(asked), numbers_in=asked["numbers_in"]), light[np.newaxis]
    )[0]
    return HttpResponse(light.tobytes() + shown.tobytes(), content_type="application/octet-stream")


class DifferenceNoted(ViewChoiceSerializer):
    """The largest difference that a browser's self-test found for a view, as a share of white."""

    largest = serializers.FloatField(min_value=0, max_value=1)


@extend_schema(request=DifferenceNoted, responses={204: None})
@api_view(["POST"])
def program_difference(request: Request, slug: str) -> Response:
    asked = parsed(request, DifferenceNoted)
    note_difference(project_named(slug), choice_asked(asked), asked["largest"], LARGEST_DIFFERENCE)
    return Response(status=status.HTTP_204_NO_CONTENT)


class LightQuery(ConfigQuery):
    """`size` bounds the longest side. `width` and `height` ask for a box of the picture in full resolution instead,
    from `x` and `y` in pixels from its upper left. `layer` is another than that of the render."""

    size = serializers.IntegerField(min_value=16, max_value=LARGEST_LIVE, default=2048)
    layer = serializers.CharField(required=False, allow_blank=True, max_length=200)
    x = serializers.IntegerField(min_value=0, default=0)
    y = serializers.IntegerField(min_value=0, default=0)
    width = serializers.IntegerField(min_value=1, max_value=LARGEST_LIVE, required=False)
    height = serializers.IntegerField(min_value=1, max_value=LARGEST_LIVE, required=False)


@extend_schema(parameters=[LightQuery], responses=BINARY)
@api_view(["GET"])
def light(request: Request, slug: str, pk: int) -> HttpResponse:
    """A render as light in the working space: its width and height as two 32-bit integers, then RGBA as half floats,
    rows from the top. Alpha is 1."""
    render, asked = render_named(slug, pk), parsed(request, LightQuery, query=True)
    layer = asked.get("layer", render.layer)
    if layer == "" and not render.image.measured().header.layers:
        layer = None  # of a file with nothing else in it, a small picture is kept
    if "width" in asked and "height" in asked:
        pixels = read_box(render.image.file, asked["x"], asked["y"], asked["width"], asked["height"], layer)
    else:
        pixels = stored(render.image, asked["size"], layer, largest=LARGEST_LIVE)
    return half_floats(light_of(config_asked(render.project, asked), render, pixels))


@extend_schema(parameters=[ConfigQuery], responses=BINARY)
@api_view(["GET"])
def test_light(request: Request, slug: str, name: str) -> HttpResponse:
    """One of the pictures to judge a view by, as `light` gives a render."""
    project, asked = project_named(slug), parsed(request, ConfigQuery, query=True)
    if name != RIG:
        return half_floats(sample_picture(config_asked(project, asked), name))
    made = prepared(in_working_space(project, asked["working"]) if asked["working"] else project)
    light, _ = layers_of(made)
    return half_floats(picture_of(made, light, Asked())[0])


def half_floats(pixels: Pixels) -> HttpResponse:
    height, width = pixels.shape[:2]
    rgba = np.ones((height, width, 4), np.float16)
    with np.errstate(over="ignore", invalid="ignore"):
        rgba[..., :3] = pixels
    size = np.array([width, height], "<u4").tobytes()
    response = HttpResponse([size, rgba.tobytes()], content_type="application/octet-stream")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def light_of(config: ocio.Config, render: Render, pixels: Pixels) -> Pixels:
    """A render's pixels, read in its space, as light in the working space of a config."""
    space = space_of(render).space
    if space == config.getColorSpace("scene_linear").getName():
        return pixels
    return apply(space_processor(config, space, "scene_linear"), pixels)
