"""HTTP for stations and their settings sheets."""

from typing import get_args

from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils.text import slugify
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.stations.kinds import BY_KEY, KINDS, kind_named
from saltwort.core.stations.proof import STATES
from saltwort.core.stations.sheet import LEVELS, Kind
from saltwort.core.stations.station import READS_RENDERS, READS_TEXTURES, Ability, abilities
from saltwort.core.stations.station import Station as CoreStation
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import (
    MOST_STATIONS,
    add_station,
    change_station,
    copy_station,
    order_stations,
    remove_station,
    sheet_of,
    texture_table,
)
from saltwort.server.handoffs.proving import standing_of
from saltwort.server.handoffs.sheets import sheet_as
from saltwort.server.http import BINARY, BasedOn, as_csv, as_json_file, author_of, download, parsed
from saltwort.server.projects.views import project_named


@extend_schema_field({"oneOf": [{"type": "string"}, {"type": "boolean"}]})
class AbilityValue(serializers.JSONField):
    """A choice by its value, or yes or no; core knows which an ability has."""


class ChoiceOfAbility(serializers.Serializer):
    value = serializers.CharField()
    label = serializers.CharField()


class AbilitySerializer(serializers.Serializer):
    """What an application may be able to do. Without choices it is yes or no; `reads` says which applications have it,
    `where` which value of another ability it takes for it to do something."""

    key = serializers.CharField()
    label = serializers.CharField()
    effect = serializers.CharField()
    default = AbilityValue()
    where = serializers.DictField(child=serializers.CharField())
    choices = serializers.SerializerMethodField()
    reads = serializers.ListField(child=serializers.ChoiceField(choices=[READS_TEXTURES, READS_RENDERS]))

    @extend_schema_field(ChoiceOfAbility(many=True))
    def get_choices(self, ability: Ability) -> list[dict[str, str]]:
        return [{"value": value, "label": label} for value, label in ability.choices.items()]


class StationKindSerializer(serializers.Serializer):
    """A kind of application to start from."""

    key = serializers.CharField()
    label = serializers.CharField()
    does = serializers.CharField()
    reads = serializers.ChoiceField(choices=[READS_TEXTURES, READS_RENDERS])


class StationSerializer(serializers.Serializer):
    """`abilities` has a value for each that concerns the application; `kind` is empty where it was described by
    hand."""

    id = serializers.IntegerField()
    version = serializers.IntegerField()
    name = serializers.CharField()
    kind = serializers.CharField(allow_blank=True)
    reads = serializers.CharField()
    abilities = serializers.SerializerMethodField()
    hands_on_to = serializers.SerializerMethodField()
    proof = serializers.SerializerMethodField()

    @extend_schema_field(serializers.DictField(child=AbilityValue()))
    def get_abilities(self, station: Station) -> dict[str, str | bool]:
        described = station.described()
        return {ability.key: described.able(ability) for ability in abilities() if described.has(ability)}

    @extend_schema_field(serializers.ListField(child=serializers.IntegerField()))
    def get_hands_on_to(self, station: Station) -> list[int]:
        return [arrow.taker_id for arrow in station.hands_on_to.all()]

    @extend_schema_field(serializers.ChoiceField(choices=STATES))
    def get_proof(self, station: Station) -> str:
        return standing_of(station).state


class StationChange(BasedOn):
    """Those abilities that change, by key; and another name, where one is given."""

    abilities = serializers.DictField(child=AbilityValue(), default=dict)
    name = serializers.CharField(max_length=80, required=False)


class StationCopy(serializers.Serializer):
    name = serializers.CharField(max_length=80)


class NewStation(serializers.Serializer):
    """One of a kind, or described by what it reads."""

    name = serializers.CharField(max_length=80)
    kind = serializers.ChoiceField(choices=list(BY_KEY), allow_blank=True, default="")
    reads = serializers.ChoiceField(choices=[READS_TEXTURES, READS_RENDERS], default=READS_RENDERS)
    abilities = serializers.DictField(child=AbilityValue(), default=dict)


ROWS_AT_ONCE = 200


class StationOrder(serializers.Serializer):
    """All stations of the project by their ids, in the order of work."""

    stations = serializers.ListField(child=serializers.IntegerField(), max_length=MOST_STATIONS)


class SettingSerializer(serializers.Serializer):
    """`key` stays, `label` is what most applications call it, `kind` says what the value is. It is set at `level`, and
    those `overridden_at` may say otherwise; `otherwise` is what goes wrong then, and `symptom` what that looks like."""

    key = serializers.CharField()
    label = serializers.CharField()
    value = serializers.CharField(allow_blank=True)
    kind = serializers.ChoiceField(choices=get_args(Kind))
    why = serializers.CharField(allow_blank=True)
    level = serializers.ChoiceField(choices=LEVELS)
    overridden_at = serializers.ListField(child=serializers.ChoiceField(choices=LEVELS))
    otherwise = serializers.CharField(allow_blank=True)
    symptom = serializers.CharField(allow_blank=True)


class SectionSerializer(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    settings = SettingSerializer(many=True)


@extend_schema(responses=AbilitySerializer(many=True))
@api_view(["GET"])
def station_abilities(request: Request) -> Response:
    """What can be said of an application."""
    return Response(AbilitySerializer(abilities(), many=True).data)


@extend_schema(responses=StationKindSerializer(many=True))
@api_view(["GET"])
def station_kinds(request: Request) -> Response:
    """Kinds of applications to start from."""
    return Response(StationKindSerializer(KINDS, many=True).data)


@extend_schema(methods=["GET"], responses=StationSerializer(many=True))
@extend_schema(methods=["POST"], request=NewStation, responses={201: StationSerializer})
@api_view(["GET", "POST"])
def stations(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, NewStation)
        name, kind = asked["name"], asked["kind"]
        described = kind_named(kind).station(name) if kind else CoreStation(name, asked["reads"])
        added = add_station(project, described.with_abilities(asked["abilities"]), author_of(request), kind)
        return Response(StationSerializer(added).data, status=status.HTTP_201_CREATED)
    return Response(StationSerializer(project.stations, many=True).data)


@extend_schema(methods=["PUT"], request=StationChange, responses=StationSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["PUT", "DELETE"])
def station(request: Request, slug: str, pk: int) -> Response:
    found = _station(slug, pk)
    if request.method == "DELETE":
        remove_station(found, author_of(request))
        return Response(status=status.HTTP_204_NO_CONTENT)
    return Response(
        StationSerializer(change_station(found, **parsed(request, StationChange), author=author_of(request))).data
    )


@extend_schema(request=StationCopy, responses={201: StationSerializer})
@api_view(["POST"])
def station_copy(request: Request, slug: str, pk: int) -> Response:
    """Another application that can do the same."""
    copied = copy_station(_station(slug, pk), parsed(request, StationCopy)["name"], author_of(request))
    return Response(StationSerializer(copied).data, status=status.HTTP_201_CREATED)


class TableQuery(serializers.Serializer):
    """`search` is looked for in paths, `kind` is the label of a map kind, `by_hand` leaves out what the file rules
    tell; `start` is the row to begin with."""

    search = serializers.CharField(max_length=200, default="", allow_blank=True)
    kind = serializers.CharField(max_length=80, default="", allow_blank=True)
    by_hand = serializers.BooleanField(default=False)
    start = serializers.IntegerField(min_value=0, default=0)


class TextureRowSerializer(serializers.Serializer):
    """What to set for a texture; `rename` is the name that tells its space by a token, empty where none is needed."""

    path = serializers.CharField()
    kind = serializers.CharField(allow_blank=True)
    set = serializers.CharField(allow_blank=True)
    value = serializers.CharField()
    why = serializers.CharField()
    by_hand = serializers.BooleanField()
    rename = serializers.CharField(allow_blank=True)


class TextureTable(serializers.Serializer):
    """A part of the rows, of `count` that there are in all; `kinds` are those of the textures before they are
    narrowed."""

    count = serializers.IntegerField()
    kinds = serializers.ListField(child=serializers.CharField())
    rows = TextureRowSerializer(many=True)


@extend_schema(parameters=[TableQuery], responses=TextureTable)
@api_view(["GET"])
def station_textures(request: Request, slug: str, pk: int) -> Response:
    """The textures as one application must be told of them, a part at a time."""
    asked = parsed(request, TableQuery, query=True)
    table = texture_table(_station(slug, pk), asked["search"], asked["kind"], by_hand=asked["by_hand"])
    rows = table.part(asked["start"], ROWS_AT_ONCE)
    return Response(TextureTable({"count": table.count, "kinds": table.kinds, "rows": rows}).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def station_textures_file(request: Request, slug: str, pk: int, ending: str) -> StreamingHttpResponse:
    """All of them, as CSV or JSON."""
    found = _station(slug, pk)
    rows = map(vars, texture_table(found).rows())
    send = as_csv if ending == "csv" else as_json_file
    return send(rows, f"{slug}-{slugify(found.name) or found.pk}-textures")


@extend_schema(request=StationOrder, responses=StationSerializer(many=True))
@api_view(["PUT"])
def station_order(request: Request, slug: str) -> Response:
    project = project_named(slug)
    order_stations(project, parsed(request, StationOrder)["stations"], author_of(request))
    return Response(StationSerializer(project.stations, many=True).data)


@extend_schema(responses=SectionSerializer(many=True))
@api_view(["GET"])
def sheet(request: Request, slug: str, pk: int) -> Response:
    return Response(SectionSerializer(sheet_of(_station(slug, pk)), many=True).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def sheet_file(request: Request, slug: str, pk: int, ending: str) -> HttpResponse:
    """The sheet as text, Markdown, one HTML file without scripts, or JSON."""
    found = _station(slug, pk)
    text, content_type = sheet_as(found, ending)
    return download(text, f"{slug}-{slugify(found.name) or found.pk}.{ending}", content_type)


def _station(slug: str, pk: int) -> Station:
    return get_object_or_404(Station.objects.select_related("project__current"), project__slug=slug, pk=pk)
