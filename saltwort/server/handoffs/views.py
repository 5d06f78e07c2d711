"""HTTP for stations and their settings sheets."""

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs.export import packed
from saltwort.core.handoffs import sheet_text
from saltwort.core.project import Composed
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import change_station, config_file_of, sheet_of, versions_of
from saltwort.server.http import BINARY, BasedOn, download, parsed
from saltwort.server.projects.exports import exported
from saltwort.server.projects.serializers import ReplacementSerializer
from saltwort.server.projects.views import project_named


class StationSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    version = serializers.IntegerField()
    name = serializers.CharField()
    reads = serializers.CharField()
    ocio_version = serializers.CharField()
    follows_file_rules = serializers.BooleanField()


class StationChange(BasedOn):
    ocio_version = serializers.RegexField(r"^\d{1,2}\.\d{1,2}$")
    follows_file_rules = serializers.BooleanField()


class LineSerializer(serializers.Serializer):
    setting = serializers.CharField()
    value = serializers.CharField()
    why = serializers.CharField(allow_blank=True)


class SectionSerializer(serializers.Serializer):
    title = serializers.CharField()
    lines = LineSerializer(many=True)


@extend_schema(responses=StationSerializer(many=True))
@api_view(["GET"])
def stations(request: Request, slug: str) -> Response:
    return Response(StationSerializer(project_named(slug).stations, many=True).data)


@extend_schema(request=StationChange, responses=StationSerializer)
@api_view(["PUT"])
def station(request: Request, slug: str, pk: int) -> Response:
    asked = parsed(request, StationChange)
    return Response(StationSerializer(change_station(_station(slug, pk), **asked)).data)


@extend_schema(responses=SectionSerializer(many=True))
@api_view(["GET"])
def sheet(request: Request, slug: str, pk: int) -> Response:
    return Response(SectionSerializer(sheet_of(_station(slug, pk)), many=True).data)


class StationConfigSerializer(serializers.Serializer):
    """The config that a station gets: its file, its OCIO version, whether it is written for this station alone, and
    what that version cannot hold."""

    file = serializers.CharField()
    version = serializers.CharField()
    own = serializers.BooleanField()
    replacements = ReplacementSerializer(many=True)


@extend_schema(responses=StationConfigSerializer)
@api_view(["GET"])
def station_config(request: Request, slug: str, pk: int) -> Response:
    found = _station(slug, pk)
    version, own = versions_of(found)
    told = {
        "file": config_file_of(found),
        "version": version,
        "own": bool(own),
        "replacements": _config_for(found).replacements,
    }
    return Response(StationConfigSerializer(told).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def station_config_file(request: Request, slug: str, pk: int) -> HttpResponse:
    found = _station(slug, pk)
    return download(packed(_config_for(found).written), config_file_of(found), "application/zip")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def sheet_file(request: Request, slug: str, pk: int) -> HttpResponse:
    found = _station(slug, pk)
    text = sheet_text(found.described(), found.project.name, found.project.current.number, sheet_of(found))
    return download(text, f"{slug}-{found.name.lower()}.txt", "text/plain; charset=utf-8")


def _config_for(station: Station) -> Composed:
    """The config as a station gets it, with what its version could not hold. Nothing else is touched. Raises BadInput
    when the version cannot hold it."""
    return exported(station.project, versions_of(station)[1])


def _station(slug: str, pk: int) -> Station:
    return get_object_or_404(Station.objects.select_related("project__current"), project__slug=slug, pk=pk)
