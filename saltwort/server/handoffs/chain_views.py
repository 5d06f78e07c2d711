"""HTTP for the chain as a graph, and for its simulation."""

from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine.typed import typed_in
from saltwort.core.errors import BadInput
from saltwort.core.stations.chain import columns, handed_over
from saltwort.core.stations.sheet import LEVELS
from saltwort.server.handoffs import operations
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import MOST_STATIONS
from saltwort.server.handoffs.proving import made_told
from saltwort.server.handoffs.simulating import (
    as_seen,
    mistakes_of,
    pair_of,
    picture_light,
    simulated,
    simulated_picture,
    tracer_told,
)
from saltwort.server.http import BINARY, author_of, parsed, picture
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.projects.views import project_named

WRONG_MARK = "~"
"""Between the id of a station and the key of its mistake, in a query."""


class ArrowSerializer(serializers.Serializer):
    """What `giver` writes, `taker` reads; `what` says in words what lies on the arrow."""

    giver = serializers.IntegerField()
    taker = serializers.IntegerField()
    what = serializers.CharField()


class ChainSerializer(serializers.Serializer):
    """The stations by id, in columns from left to right, each after all that feed it; and the arrows between them."""

    columns = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    arrows = ArrowSerializer(many=True)


class Takers(serializers.Serializer):
    """All stations by id that read what a station writes."""

    takers = serializers.ListField(child=serializers.IntegerField(), max_length=MOST_STATIONS)


class StationMistakeSerializer(serializers.Serializer):
    """Something that may be set wrong: `section` and `setting` are where it stands on the sheet, `finding` the one that
    warns of it, if any."""

    key = serializers.CharField()
    code = serializers.CharField()
    parameters = serializers.DictField(child=serializers.JSONField())
    label = serializers.CharField()
    happened = serializers.CharField()
    repair = serializers.CharField()
    section = serializers.CharField()
    setting = serializers.CharField()
    level = serializers.ChoiceField(choices=LEVELS)
    finding = serializers.CharField(allow_blank=True)


class WrongQuery(serializers.Serializer):
    """`wrong` is an id of a station, `~`, and the key of a mistake, as often as needed; `render` the picture that goes
    through the chain, the project's first if none is named."""

    wrong = serializers.ListField(child=serializers.CharField(max_length=600), max_length=MOST_STATIONS, required=False)
    render = serializers.IntegerField(required=False, default=None)


class SeenQuery(WrongQuery):
    """`agreed` shows what it would be were all as agreed."""

    station = serializers.IntegerField()
    agreed = serializers.BooleanField(default=False)


class PairQuery(serializers.Serializer):
    """`mistake` is its key; without `agreed` it is made."""

    mistake = serializers.CharField(max_length=600)
    agreed = serializers.BooleanField(default=False)
    render = serializers.IntegerField(required=False, default=None)


def _numbers(label: str) -> serializers.ListField:
    return serializers.ListField(child=serializers.FloatField(), allow_null=True, help_text=label)


class TracerAtStation(serializers.Serializer):
    """The test colour: code values that are shown, and numbers in the file handed on; and the same as agreed."""

    shown = _numbers("")
    shown_agreed = _numbers("")
    written = _numbers("")
    written_agreed = _numbers("")


class RepairSerializer(serializers.Serializer):
    """Whether what came in wrong can be put right here; `lost` is the share of the pixels that cannot."""

    possible = serializers.BooleanField()
    lost = serializers.FloatField()
    why = serializers.CharField()


class SimulatedStation(serializers.Serializer):
    """What an application shows and hands on; `repair` where its file came in wrong."""

    id = serializers.IntegerField()
    shown_wrong = serializers.BooleanField()
    handed_wrong = serializers.BooleanField()
    tracer = TracerAtStation()
    repair = RepairSerializer(allow_null=True)


@extend_schema(responses=ChainSerializer)
@api_view(["GET"])
def chain(request: Request, slug: str) -> Response:
    """The chain as a graph."""
    return Response(_chain_of(project_named(slug)))


@extend_schema(request=Takers, responses=ChainSerializer)
@api_view(["PUT"])
def takers(request: Request, slug: str, pk: int) -> Response:
    """Say which applications read what one writes."""
    station = station_named(slug, pk)
    operations.hand_on_to(station, parsed(request, Takers)["takers"], author_of(request))
    return Response(_chain_of(station.project))


def _chain_of(project: Project) -> dict[str, Any]:
    stations = {station.pk: station.described() for station in project.stations.all()}
    arrows = list(project.hand_offs.values_list("giver_id", "taker_id"))
    told = {
        "columns": columns(list(stations), arrows),
        "arrows": [
            {"giver": giver, "taker": taker, "what": handed_over(stations[giver], stations[taker])}
            for giver, taker in arrows
        ],
    }
    return ChainSerializer(told).data


@extend_schema(responses=StationMistakeSerializer(many=True))
@api_view(["GET"])
def station_mistakes(request: Request, slug: str, pk: int) -> Response:
    """What is mostly set wrong in an application."""
    return Response(StationMistakeSerializer(map(made_told, mistakes_of(station_named(slug, pk))), many=True).data)


@extend_schema(parameters=[WrongQuery], responses=SimulatedStation(many=True))
@api_view(["GET"])
def simulation(request: Request, slug: str) -> Response:
    """The chain with some of its applications set wrong: what becomes of the picture and of the test colour."""
    project, asked = project_named(slug), parsed(request, WrongQuery, query=True)
    wrong = _wrong(asked)
    seen = simulated_picture(project, wrong, asked["render"])
    traced = simulated(project, wrong, _tracer(project))
    told = [
        {
            "id": key,
            "shown_wrong": outcome.shown_wrong,
            "handed_wrong": outcome.handed_wrong,
            "tracer": tracer_told(traced[key]),
            "repair": outcome.repair,
        }
        for key, outcome in seen.items()
    ]
    return Response(SimulatedStation(told, many=True).data)


@extend_schema(parameters=[SeenQuery], responses=BINARY)
@api_view(["GET"])
def simulation_picture(request: Request, slug: str) -> HttpResponse:
    """What an application of the simulated chain shows."""
    asked = parsed(request, SeenQuery, query=True)
    station = station_named(slug, asked["station"])
    outcomes = simulated_picture(station.project, _wrong(asked), asked["render"])
    return picture(as_seen(station, outcomes[station.pk], agreed=asked["agreed"]))


@extend_schema(parameters=[PairQuery], responses=BINARY)
@api_view(["GET"])
def mistake_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    """What a mistake looks like, or what is right instead: of two pictures the one that is asked for."""
    station, asked = station_named(slug, pk), parsed(request, PairQuery, query=True)
    right, wrong = pair_of(station, asked["mistake"], picture_light(station.project, asked["render"]))
    return picture(right if asked["agreed"] else wrong)


def station_named(slug: str, pk: int) -> Station:
    """The station of a URL."""
    return get_object_or_404(Station.objects.select_related("project__current"), project__slug=slug, pk=pk)


def _wrong(asked: dict[str, Any]) -> dict[int, str]:
    wrong = {}
    for one in asked.get("wrong", []):
        station, mark, key = one.partition(WRONG_MARK)
        if not mark or not station.isdecimal():
            raise BadInput(
                f"“{one[:60]}” says no mistake: write the id of a station, {WRONG_MARK} and its key.", "wrong"
            )
        wrong[int(station)] = key
    return wrong


def _tracer(project: Project) -> np.ndarray:
    config = config_of(project.current)
    typed = project.tracer
    if config.getColorSpace(typed.space) is None:  # the tracer outlives the config it was typed for
        return np.full((1, 1, 3), 0.18, np.float32)
    return np.array([[typed_in(config, typed, ocio.ROLE_SCENE_LINEAR)]], np.float32)
