"""HTTP for live pictures: what the browser needs to draw them by itself, and to prove that it draws them right."""

import base64

import numpy as np
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs.proof import proof_colours
from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.engine.gpu import FUNCTION, gpu_program
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, linear_to_ap0
from saltwort.core.engine.processors import ViewChoice
from saltwort.server.http import BINARY, parsed
from saltwort.server.images.pictures import stored
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.setups import config_of
from saltwort.server.projects.views import project_named
from saltwort.server.scene.operations import space_of
from saltwort.server.scene.render_views import render_named
from saltwort.server.scene.serializers import triple

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
    """GLSL ES 3.0 with a function from light in the working space to the display's code values; `luminance` are the
    weights of red, green and blue in the working space."""

    glsl = serializers.CharField()
    function = serializers.CharField()
    textures = TextureOfProgram(many=True)
    luminance = triple()


@extend_schema(parameters=[ViewChoiceSerializer], responses=ProgramSerializer)
@api_view(["GET"])
def program(request: Request, slug: str) -> Response:
    project = project_named(slug)
    config = config_of(project.current)
    made = gpu_program(config, ViewChoice(**parsed(request, ViewChoiceSerializer, query=True)))
    textures = [
        {**vars(texture), "values": base64.b64encode(texture.values.tobytes()).decode()} for texture in made.textures
    ]
    to_ap0 = linear_to_ap0(config, "scene_linear")
    luminance = [1 / 3] * 3 if to_ap0 is None else (AP0_TO_XYZ_D65 @ to_ap0)[1].tolist()
    answer = {"glsl": made.glsl, "function": FUNCTION, "textures": textures, "luminance": luminance}
    return Response(ProgramSerializer(answer).data)


@extend_schema(parameters=[ViewChoiceSerializer], responses=BINARY)
@api_view(["GET"])
def program_proof(request: Request, slug: str) -> HttpResponse:
    """The proof colours, and what the exact path makes of them: float32, all of the light, then all of the code
    values."""
    config = config_of(project_named(slug).current)
    choice = ViewChoice(**parsed(request, ViewChoiceSerializer, query=True))
    light = proof_colours()
    shown = apply(view_processor(config, "scene_linear", choice), light[np.newaxis])[0]
    return HttpResponse(light.tobytes() + shown.tobytes(), content_type="application/octet-stream")


class LightQuery(serializers.Serializer):
    size = serializers.IntegerField(min_value=16, max_value=LARGEST_LIVE, default=2048)


@extend_schema(parameters=[LightQuery], responses=BINARY)
@api_view(["GET"])
def light(request: Request, slug: str, pk: int) -> HttpResponse:
    """A render as light in the working space: its width and height as two 32-bit integers, then RGBA as half floats,
    rows from the top. Alpha is 1."""
    render, asked = render_named(slug, pk), parsed(request, LightQuery, query=True)
    config = config_of(render.project.current)
    pixels = stored(render.image, asked["size"], render.layer, largest=LARGEST_LIVE)
    space = space_of(render).space
    if space != config.getColorSpace("scene_linear").getName():
        pixels = apply(space_processor(config, space, "scene_linear"), pixels)
    height, width = pixels.shape[:2]
    rgba = np.ones((height, width, 4), np.float16)
    with np.errstate(over="ignore"):
        rgba[..., :3] = pixels
    response = HttpResponse(
        np.array([width, height], "<u4").tobytes() + rgba.tobytes(), content_type="application/octet-stream"
    )
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
