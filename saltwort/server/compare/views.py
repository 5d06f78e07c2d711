"""HTTP for the Compare step."""

from dataclasses import asdict
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import LARGEST_EXPOSURE
from saltwort.core.scene.renders import probe as measured_at
from saltwort.server.compare import operations
from saltwort.server.compare.models import Comparison
from saltwort.server.http import BasedOn, finite, parsed
from saltwort.server.images.pictures import pixels_of
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.setups import config_of
from saltwort.server.projects.views import project_named
from saltwort.server.scene.operations import space_of
from saltwort.server.scene.render_views import render_named
from saltwort.server.scene.serializers import triple


class ComparisonSerializer(serializers.Serializer):
    version = serializers.IntegerField()
    render = serializers.IntegerField(allow_null=True)
    exposure = serializers.FloatField()
    panes = ViewChoiceSerializer(many=True)


class ComparisonChange(BasedOn):
    render = serializers.IntegerField(allow_null=True)
    exposure = serializers.FloatField(min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    panes = ViewChoiceSerializer(many=True, min_length=1, max_length=operations.MOST_PANES)


class ProbeQuery(serializers.Serializer):
    """A point in pixels from the top left, and the side of the square that is averaged; through the views of the panes,
    or one that is named."""

    display = serializers.CharField(required=False)
    view = serializers.CharField(required=False)

    x = serializers.IntegerField(min_value=0)
    y = serializers.IntegerField(min_value=0)
    sample = serializers.IntegerField(min_value=1, max_value=101, default=1)
    exposure = serializers.FloatField(default=0.0, min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)


class ProbeViewSerializer(serializers.Serializer):
    values = triple()
    code_values = serializers.ListField(child=serializers.IntegerField())
    clipped = serializers.ListField(child=serializers.BooleanField())


class ProbeSerializer(serializers.Serializer):
    x = serializers.IntegerField()
    y = serializers.IntegerField()
    sample = serializers.IntegerField()
    light = triple()
    stops = triple()
    views = ProbeViewSerializer(many=True)


@extend_schema(methods=["GET"], responses=ComparisonSerializer)
@extend_schema(methods=["PUT"], request=ComparisonChange, responses=ComparisonSerializer)
@api_view(["GET", "PUT"])
def comparison(request: Request, slug: str) -> Response:
    project = project_named(slug)
    found = operations.comparison_of(project)
    if request.method == "PUT":
        asked = parsed(request, ComparisonChange)
        panes = [ViewChoice(**pane) for pane in asked["panes"]]
        render = get_object_or_404(project.renders, pk=asked["render"]) if asked["render"] else None
        operations.change_comparison(found, asked["based_on"], panes, asked["exposure"], render)
    return Response(_comparison(found))


@extend_schema(parameters=[ProbeQuery], responses=ProbeSerializer)
@api_view(["GET"])
def probe(request: Request, slug: str, pk: int) -> Response:
    render, asked = render_named(slug, pk), parsed(request, ProbeQuery, query=True)
    if "view" in asked and "display" in asked:
        views = [ViewChoice(asked["display"], asked["view"])]
    else:
        views = operations.panes_of(operations.comparison_of(render.project))
    result = measured_at(
        config_of(render.project.current),
        pixels_of(render.image, render.layer),
        space_of(render).space,
        (asked["x"], asked["y"]),
        asked["sample"],
        [(choice, asked["exposure"]) for choice in views],
    )
    shown = [{**asdict(view), "values": finite(view.values)} for view in result.views]
    return Response(ProbeSerializer({**asdict(result), "light": finite(result.light), "views": shown}).data)


def _comparison(found: Comparison) -> dict[str, Any]:
    render = found.render or found.project.renders.first()
    return ComparisonSerializer(
        {
            "version": found.version,
            "render": render.pk if render else None,
            "exposure": found.exposure,
            "panes": operations.panes_of(found),
        }
    ).data
