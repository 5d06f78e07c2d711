"""HTTP for swatches and renders."""

from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import screen_view
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.scene.swatches import convert
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.http import BINARY, finite, parsed, picture
from saltwort.server.images.operations import store_upload
from saltwort.server.images.pictures import LARGEST_PICTURE, drawn
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.projects.views import project_named
from saltwort.server.scene import operations
from saltwort.server.scene.models import Render, Swatch
from saltwort.server.scene.serializers import (
    NewSwatch,
    RenderSerializer,
    RenderSpaceChange,
    SwatchChange,
    SwatchSerializer,
)
from saltwort.server.uploads import RenderUpload


@extend_schema(methods=["GET"], responses=SwatchSerializer(many=True))
@extend_schema(methods=["POST"], request=NewSwatch, responses={201: SwatchSerializer})
@api_view(["GET", "POST"])
def swatches(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, NewSwatch)
        swatch = operations.add_swatch(project, asked["name"], _typed(asked))
        return Response(_swatch(swatch), status=status.HTTP_201_CREATED)
    return Response([_swatch(swatch) for swatch in project.swatches.select_related("project__current")])


@extend_schema(methods=["PUT"], request=SwatchChange, responses=SwatchSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["PUT", "DELETE"])
def swatch(request: Request, slug: str, pk: int) -> Response:
    found = get_object_or_404(Swatch.objects.select_related("project__current"), project__slug=slug, pk=pk)
    if request.method == "DELETE":
        found.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
    asked = parsed(request, SwatchChange)
    return Response(_swatch(operations.change_swatch(found, asked["based_on"], asked["name"], _typed(asked))))


@extend_schema(methods=["GET"], responses=RenderSerializer(many=True))
@extend_schema(methods=["POST"], request={"multipart/form-data": RenderUpload}, responses={201: RenderSerializer})
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def renders(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        upload = parsed(request, RenderUpload)["file"]
        render = operations.add_render(project, upload.name, store_upload(upload))
        return Response(_render(render), status=status.HTTP_201_CREATED)
    return Response([_render(render) for render in project.renders.select_related("image", "project__current")])


@extend_schema(methods=["PUT"], request=RenderSpaceChange, responses=RenderSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["PUT", "DELETE"])
def render(request: Request, slug: str, pk: int) -> Response:
    found = render_named(slug, pk)
    if request.method == "DELETE":
        found.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)
    asked = parsed(request, RenderSpaceChange)
    return Response(_render(operations.set_render_space(found, asked["based_on"], asked["space"])))


class RenderPictureQuery(ViewChoiceSerializer):
    """The project's view where none is named."""

    display = serializers.CharField(required=False)
    view = serializers.CharField(required=False)
    exposure = serializers.FloatField(default=0.0)
    size = serializers.IntegerField(min_value=16, max_value=LARGEST_PICTURE, default=96)


@extend_schema(parameters=[RenderPictureQuery], responses=BINARY)
@api_view(["GET"])
def render_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    found, asked = render_named(slug, pk), parsed(request, RenderPictureQuery, query=True)
    config = config_of(found.project.current)
    choice = screen_view(config, current_setup(found.project).view)
    if "view" in asked:
        choice = ViewChoice(asked.get("display", choice.display), asked["view"], asked["look"])
    space = operations.space_of(found).space
    return picture(drawn(found.image, config, space, choice, asked["exposure"], asked["size"]))


def render_named(slug: str, pk: int) -> Render:
    """The render of a URL."""
    return get_object_or_404(Render.objects.select_related("image", "project__current"), project__slug=slug, pk=pk)


def _typed(asked: dict[str, Any]) -> TypedColour:
    return TypedColour(asked["space"], asked["unit"], asked["text"])


def _swatch(swatch: Swatch) -> dict[str, Any]:
    config = config_of(swatch.project.current)
    try:
        converted = convert(config, swatch.typed, screen_view(config, current_setup(swatch.project).view))
        colours = {"working": finite(converted.working), "shown": finite(converted.shown)}
    except BadInput:  # the finding swatch.unknown-space says what to do
        colours = {"working": [None] * 3, "shown": [None] * 3}
    own = {name: getattr(swatch, name) for name in ("id", "version", "name", "space", "unit", "text")}
    return SwatchSerializer({**own, **colours}).data


def _render(render: Render) -> dict[str, Any]:
    facts, space = render.image.measured(), operations.space_of(render)
    depends = {"v": f"{render.image_id[:12]}-{render.project.current.config_hash[:12]}-{space.space}"}
    return RenderSerializer(
        {
            "id": render.pk,
            "name": render.name,
            "version": render.version,
            "space": space.space,
            "told_by": space.told_by,
            "width": facts.header.width,
            "height": facts.header.height,
            "bit_depth": facts.header.bit_depth,
            "peak": max((value for value in facts.stats.max[:3] if value is not None), default=None),
            "above_one": facts.stats.above_one,
            "thumbnail": f"/api/projects/{render.project.slug}/renders/{render.pk}/picture?{urlencode(depends)}",
            "image": render.image_id[:12],
        }
    ).data
