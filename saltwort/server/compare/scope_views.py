"""HTTP for scopes of a render, or of a part of it."""

from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine import apply, view_processor
from saltwort.core.engine.processors import LARGEST_EXPOSURE
from saltwort.core.images import encode_png
from saltwort.core.images.reading import Pixels
from saltwort.core.textures.close_up import chromaticities_of, histogram_of
from saltwort.core.views.grade import AFTER, BEFORE, graded
from saltwort.core.views.scopes import KINDS, on_stops, scope
from saltwort.server.compare.gpu_views import light_of
from saltwort.server.compare.grades import GradeQuery, grade_of
from saltwort.server.http import BINARY, parsed, picture
from saltwort.server.images.pictures import stored
from saltwort.server.projects.asked import ConfigQuery, choice_asked, config_asked
from saltwort.server.projects.config_serializers import PointSerializer, point_json
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import image_of, space_of
from saltwort.server.scene.render_views import render_named
from saltwort.server.textures.serializers import HistogramSerializer

SCOPED = 1024
"""Pixels on the longest side of what scopes are made of."""


class RegionQuery(ConfigQuery):
    """A part of the picture, as shares of it from the top left. `layer` is another than that of the render, `frame` one
    of a sequence."""

    layer = serializers.CharField(required=False, allow_blank=True, max_length=200)
    frame = serializers.IntegerField(required=False, min_value=0, default=None)
    x = serializers.FloatField(default=0.0, min_value=0, max_value=1)
    y = serializers.FloatField(default=0.0, min_value=0, max_value=1)
    width = serializers.FloatField(default=1.0, min_value=0, max_value=1)
    height = serializers.FloatField(default=1.0, min_value=0, max_value=1)
    exposure = serializers.FloatField(default=0.0, min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)


class ScopeQuery(ViewChoiceSerializer, GradeQuery, RegionQuery):
    """`light` shows light in stops, before the view, instead of code values after it."""

    kind = serializers.ChoiceField(choices=KINDS)
    light = serializers.BooleanField(default=False)


class LightScopeSerializer(serializers.Serializer):
    """A histogram of light in stops, and the chromaticities in it."""

    histogram = HistogramSerializer()
    chromaticities = PointSerializer(many=True)


@extend_schema(parameters=[ScopeQuery], responses=BINARY)
@api_view(["GET"])
def scope_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    render, asked = render_named(slug, pk), parsed(request, ScopeQuery, query=True)
    config, grade = config_asked(render.project, asked), grade_of(asked)
    light = light_of(config, render, _region(render, asked)) * np.float32(2 ** asked["exposure"])
    light = graded(config, light, grade, BEFORE)
    if asked["light"]:
        return picture(encode_png(scope(asked["kind"], on_stops(light))))
    view = view_processor(config, "scene_linear", choice_asked(asked), numbers_in=space_of(render).space)
    shown = graded(config, apply(view, light), grade, AFTER)
    return picture(encode_png(scope(asked["kind"], shown)))


@extend_schema(parameters=[RegionQuery], responses=LightScopeSerializer)
@api_view(["GET"])
def light_scope(request: Request, slug: str, pk: int) -> Response:
    render, asked = render_named(slug, pk), parsed(request, RegionQuery, query=True)
    config = config_asked(render.project, asked)
    sample = light_of(config, render, _region(render, asked)).reshape(-1, 3) * np.float32(2 ** asked["exposure"])
    found = {
        "histogram": histogram_of(sample, in_stops=True),
        "chromaticities": [point_json(xy) for xy in chromaticities_of(config, sample).tolist()],
    }
    return Response(LightScopeSerializer(found).data)


def _region(render: Render, asked: dict[str, Any]) -> Pixels:
    pixels = stored(image_of(render, asked["frame"]), SCOPED, asked.get("layer", render.layer))
    height, width = pixels.shape[:2]
    left, top = min(width - 1, int(asked["x"] * width)), min(height - 1, int(asked["y"] * height))
    right = max(left + 1, round((asked["x"] + asked["width"]) * width))
    bottom = max(top + 1, round((asked["y"] + asked["height"]) * height))
    return np.ascontiguousarray(pixels[top:bottom, left:right])
