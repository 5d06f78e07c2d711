"""HTTP for the folders that a project watches."""

from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse, extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.findings.registry import LEVELS
from saltwort.core.images import encode_png, read_reduced
from saltwort.server.handoffs.models import Station
from saltwort.server.http import BINARY, BasedOn, author_of, parsed, picture
from saltwort.server.projects.views import project_named
from saltwort.server.scene.render_views import render_named
from saltwort.server.watching.models import LastLook, WatchedFolder
from saltwort.server.watching.operations import add_watched, remove_watched, switch
from saltwort.server.watching.series import ATTENTION, BLOCKED, GOOD, level_of, series_of
from saltwort.server.watching.summary import as_html, expected_told
from saltwort.server.watching.watch import scene_of

STATES = (GOOD, ATTENTION, BLOCKED)
WIDTH = 640


class WatchedSerializer(serializers.Serializer):
    """A watched folder: what its frames should hold, in words, and when it was last looked at, with why it could not
    be. `is_on` while Saltwort looks at it by itself."""

    id = serializers.IntegerField()
    version = serializers.IntegerField()
    place = serializers.CharField()
    name = serializers.SerializerMethodField()
    expected = serializers.SerializerMethodField()
    station = serializers.SerializerMethodField()
    is_on = serializers.BooleanField()
    looked = serializers.SerializerMethodField()
    error = serializers.SerializerMethodField()

    def get_name(self, folder: WatchedFolder) -> str:
        return Path(folder.place).name

    def get_expected(self, folder: WatchedFolder) -> str:
        return expected_told(folder)

    def get_station(self, folder: WatchedFolder) -> str:
        return folder.station.name if folder.station else ""

    @extend_schema_field(serializers.DateTimeField(allow_null=True))
    def get_looked(self, folder: WatchedFolder) -> Any:
        last = _last_look(folder)
        return last.looked if last else None

    def get_error(self, folder: WatchedFolder) -> str:
        last = _last_look(folder)
        return last.error if last else ""


def _last_look(folder: WatchedFolder) -> LastLook | None:
    return getattr(folder, "last_look", None)


class WatchRequest(serializers.Serializer):
    """A folder of this machine, and what its frames should hold: light, or a view; the project's, where none is
    named."""

    folder = serializers.CharField(max_length=4096)
    expects_light = serializers.BooleanField(default=True)
    display = serializers.CharField(max_length=200, allow_blank=True, default="")
    view = serializers.CharField(max_length=200, allow_blank=True, default="")
    station = serializers.IntegerField(required=False, allow_null=True, default=None)
    render = serializers.IntegerField(required=False, allow_null=True, default=None)


class SwitchRequest(BasedOn):
    is_on = serializers.BooleanField()


class FrameNoteSerializer(serializers.Serializer):
    """What is wrong with a frame."""

    code = serializers.CharField()
    level = serializers.SerializerMethodField()
    why = serializers.CharField()

    @extend_schema_field(serializers.ChoiceField(choices=LEVELS))
    def get_level(self, note: Any) -> str:
        return level_of(note.code)


class FrameFiguresSerializer(serializers.Serializer):
    """In the numbers of the file; `high` is the 99th percentile, `clipped` the share that is cut off."""

    peak = serializers.FloatField()
    mean = serializers.FloatField()
    high = serializers.FloatField()
    clipped = serializers.FloatField()


class SeenFrameSerializer(serializers.Serializer):
    name = serializers.CharField()
    number = serializers.IntegerField(allow_null=True)
    state = serializers.ChoiceField(choices=STATES)
    notes = FrameNoteSerializer(many=True)
    figures = FrameFiguresSerializer(allow_null=True)


class SeriesSerializer(serializers.Serializer):
    """The frames of one name by number, and the numbers between the first and the last that have not landed."""

    stem = serializers.CharField()
    frames = SeenFrameSerializer(many=True)
    missing = serializers.ListField(child=serializers.IntegerField())


@extend_schema(methods=["GET"], responses=WatchedSerializer(many=True))
@extend_schema(methods=["POST"], request=WatchRequest, responses={201: WatchedSerializer})
@api_view(["GET", "POST"])
def watched_folders(request: Request, slug: str) -> Response:
    """The folders that a project watches, and a new one."""
    project = project_named(slug)
    if request.method == "GET":
        folders = project.watched.select_related("station", "last_look")
        return Response(WatchedSerializer(folders, many=True).data)
    asked = parsed(request, WatchRequest)
    choice = ViewChoice(asked["display"], asked["view"]) if asked["view"] and not asked["expects_light"] else None
    station = get_object_or_404(Station, project=project, pk=asked["station"]) if asked["station"] else None
    made = add_watched(
        project,
        asked["folder"],
        expects_light=asked["expects_light"],
        choice=choice,
        station=station,
        render=render_named(slug, asked["render"]) if asked["render"] else None,
        author=author_of(request),
    )
    return Response(WatchedSerializer(made).data, status=status.HTTP_201_CREATED)


@extend_schema(methods=["PUT"], request=SwitchRequest, responses=WatchedSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["PUT", "DELETE"])
def watched_folder(request: Request, slug: str, pk: int) -> Response:
    """Have Saltwort go on or pause, or forget the folder."""
    folder = _named(slug, pk)
    if request.method == "DELETE":
        remove_watched(folder, author_of(request))
        return Response(status=status.HTTP_204_NO_CONTENT)
    asked = parsed(request, SwitchRequest)
    changed = switch(folder, asked["based_on"], is_on=asked["is_on"], author=author_of(request))
    return Response(WatchedSerializer(changed).data)


@extend_schema(responses=SeriesSerializer(many=True))
@api_view(["GET"])
def watched_frames(request: Request, slug: str, pk: int) -> Response:
    """The frames that were seen in a folder."""
    return Response(SeriesSerializer(series_of(_named(slug, pk)), many=True).data)


@extend_schema(responses=OpenApiResponse(OpenApiTypes.STR, "A page"))
@api_view(["GET"])
def watched_summary(request: Request, slug: str, pk: int) -> HttpResponse:
    """The page that sums up a folder, complete in itself."""
    response = HttpResponse(as_html(_named(slug, pk)), content_type="text/html; charset=utf-8")
    response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
    return response


class FramePictureQuery(serializers.Serializer):
    name = serializers.CharField(max_length=255)


@extend_schema(parameters=[FramePictureQuery], responses=BINARY)
@api_view(["GET"])
def watched_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    """A frame as it is now: light through the view, a picture as it stands."""
    folder = _named(slug, pk)
    frame = get_object_or_404(folder.frames, name=parsed(request, FramePictureQuery, query=True)["name"])
    file = Path(folder.place) / frame.name
    if not file.is_file():
        raise Http404
    scene = scene_of(folder, folder.project.current)
    numbers = np.ascontiguousarray(read_reduced(file, WIDTH, ""))
    if folder.expects_light:
        numbers = apply(view_processor(scene.config, ocio.ROLE_SCENE_LINEAR, scene.choice), numbers)
    return picture(encode_png(np.clip(np.nan_to_num(numbers), 0, 1)))


def _named(slug: str, pk: int) -> WatchedFolder:
    found = WatchedFolder.objects.select_related("project__current", "station", "last_look")
    return get_object_or_404(found, project__slug=slug, pk=pk)
