"""HTTP for test cards and what came back."""

from typing import get_args

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.stations.handshake.answer import VERDICTS, Came
from saltwort.core.stations.proof import STATES
from saltwort.server.handoffs.chain_views import StationMistakeSerializer, station_named
from saltwort.server.handoffs.models import Proof, Station
from saltwort.server.handoffs.proving import (
    Standing,
    as_agreed,
    as_came,
    card_zip,
    hand_in,
    hand_in_anywhere,
    standing_of,
)
from saltwort.server.http import BINARY, author_of, download, parsed, picture
from saltwort.server.projects.views import project_named


class CardProofSerializer(serializers.Serializer):
    """A test card that came back. `made` are the mistakes, in the order in which they happened, `others` what these
    numbers do not tell apart from them. `largest` is the largest difference to what is agreed, at the patch `where`;
    `left` what is left of it once the mistakes are made; `step` how much the coding of the file alone may make."""

    id = serializers.IntegerField()
    station = serializers.IntegerField(source="station_id")
    name = serializers.CharField()
    revision = serializers.IntegerField()
    came = serializers.ChoiceField(choices=get_args(Came))
    verdict = serializers.ChoiceField(choices=VERDICTS)
    made = StationMistakeSerializer(many=True, source="told.made")
    others = serializers.ListField(child=StationMistakeSerializer(many=True), source="told.others")
    largest = serializers.FloatField(source="told.largest")
    where = serializers.CharField(source="told.where")
    left = serializers.FloatField(source="told.left")
    step = serializers.FloatField(source="told.step")
    author = serializers.CharField(allow_blank=True)
    created = serializers.DateTimeField()


class StandingSerializer(serializers.Serializer):
    """How far an application is proved: its state, what has changed since in words, and all cards that came back, the
    last one first. `shows` and `writes` say what may come back."""

    state = serializers.ChoiceField(choices=STATES)
    changed = serializers.ListField(child=serializers.CharField())
    shows = serializers.BooleanField()
    writes = serializers.BooleanField()
    proofs = CardProofSerializer(many=True)


class HandedIn(serializers.Serializer):
    """A file that came back; `came` says whether it is what the application shows or what it writes, nothing where
    that follows from the file."""

    file = serializers.FileField()
    came = serializers.ChoiceField(choices=get_args(Came), required=False, allow_blank=True, default="")


@extend_schema(methods=["GET"], responses=StandingSerializer)
@extend_schema(methods=["POST"], request={"multipart/form-data": HandedIn}, responses={201: CardProofSerializer})
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def proofs(request: Request, slug: str, pk: int) -> Response:
    station = station_named(slug, pk)
    if request.method == "POST":
        asked = parsed(request, HandedIn)
        proof = hand_in(station, asked["file"], asked["came"], author_of(request))
        return Response(CardProofSerializer(proof).data, status=status.HTTP_201_CREATED)
    return Response(_standing_told(station, standing_of(station)))


class AnyCard(serializers.Serializer):
    file = serializers.FileField()


@extend_schema(request={"multipart/form-data": AnyCard}, responses={201: CardProofSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def any_proof(request: Request, slug: str) -> Response:
    """Take in a file with a test card, for the application that the card itself names."""
    proof = hand_in_anywhere(project_named(slug), parsed(request, AnyCard)["file"], author_of(request))
    return Response(CardProofSerializer(proof).data, status=status.HTTP_201_CREATED)


def _standing_told(station: Station, standing: Standing) -> dict[str, object]:
    told = {**vars(standing), "shows": standing.shows, "writes": standing.writes, "proofs": station.proofs.all()}
    return StandingSerializer(told).data


@extend_schema(responses=BINARY)
@api_view(["GET"])
def card(request: Request, slug: str, pk: int) -> HttpResponse:
    """The test card of an application, in the files that it may read, with the numbers that are expected."""
    station = station_named(slug, pk)
    return download(*card_zip(station), "application/zip")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def proof_picture(request: Request, slug: str, pk: int, proof: int, which: str) -> HttpResponse:
    """The card as it came back, or as it should have."""
    found = get_object_or_404(
        Proof.objects.select_related("station__project__current", "image"),
        station__project__slug=slug,
        station=pk,
        pk=proof,
    )
    return picture(as_came(found) if which == "came" else as_agreed(found))
