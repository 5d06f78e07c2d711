"""HTTP for the start of a project, what is next in one, and the walk through the demo."""

from dataclasses import asdict
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.project.start import DELIVERIES, PICTURES, SPACES, Answers
from saltwort.core.stations.kinds import KINDS
from saltwort.server.across import starting
from saltwort.server.across.next_steps import STATES, next_thing, step_states
from saltwort.server.across.walk import walk_of
from saltwort.server.http import BINARY, parsed, picture
from saltwort.server.images.models import StoredImage
from saltwort.server.projects.config_serializers import PrimariesSerializer
from saltwort.server.projects.views import project_named
from saltwort.server.uploads import PlainFile, read_upload


class StartChoiceSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    does = serializers.CharField()


class AnswersSerializer(serializers.Serializer):
    """Answers to the questions of the start; what is left out is what serves most."""

    base = serializers.CharField(max_length=200, allow_blank=True, default="")
    deliveries = serializers.ListField(child=serializers.CharField(max_length=40), default=list(Answers().deliveries))
    picture = serializers.CharField(max_length=40, default=Answers().picture)
    space = serializers.CharField(max_length=40, default=Answers().space)
    applications = serializers.ListField(
        child=serializers.CharField(max_length=40), default=list(Answers().applications)
    )


class StartOptionsSerializer(serializers.Serializer):
    """What can be answered, and the answers of an untouched page."""

    deliveries = StartChoiceSerializer(many=True)
    pictures = StartChoiceSerializer(many=True)
    spaces = StartChoiceSerializer(many=True)
    applications = StartChoiceSerializer(many=True)
    answers = AnswersSerializer()


class StartDisplaySerializer(serializers.Serializer):
    """A display with its view, and the share of it that the working space holds."""

    display = serializers.CharField()
    view = serializers.CharField()
    covered = serializers.FloatField()


class StartSpaceSerializer(serializers.Serializer):
    """A working space to choose: its primaries, and the shares of surface colours, of P3 and of Rec.2020 that it holds,
    0–1."""

    name = serializers.CharField()
    primaries = PrimariesSerializer()
    surfaces = serializers.FloatField()
    p3 = serializers.FloatField()
    rec2020 = serializers.FloatField()
    chosen = serializers.BooleanField()


class StartFactsSerializer(serializers.Serializer):
    """What answers lead to; `told` says what could not be followed."""

    base = serializers.CharField()
    working_space = serializers.CharField()
    spaces = StartSpaceSerializer(many=True)
    displays = StartDisplaySerializer(many=True)
    outputs = serializers.ListField(child=serializers.CharField())
    rules = serializers.ListField(child=serializers.CharField())
    applications = serializers.ListField(child=serializers.CharField())
    told = serializers.ListField(child=serializers.CharField())


class StartNamesRequest(serializers.Serializer):
    answers = AnswersSerializer()
    names = serializers.ListField(child=serializers.CharField(max_length=1024), max_length=starting.MOST_NAMES)


class StartNameSerializer(serializers.Serializer):
    """What the name of a texture tells: its map kind by which word, empty where it is left open, and the space."""

    name = serializers.CharField()
    kind = serializers.CharField(allow_blank=True)
    word = serializers.CharField(allow_blank=True)
    space = serializers.CharField()


class StartPictureQuery(serializers.Serializer):
    """Answers in one line, commas between several."""

    base = serializers.CharField(max_length=200, allow_blank=True, default="")
    picture = serializers.CharField(max_length=40)
    space = serializers.CharField(max_length=40)
    deliveries = serializers.CharField(max_length=200, allow_blank=True, default="")
    image = serializers.CharField(max_length=64, allow_blank=True, default="")
    stand_in = serializers.ChoiceField(choices=(starting.LAMPS, starting.RIG), default=starting.LAMPS)


class StartConfigSerializer(serializers.Serializer):
    base = serializers.CharField()


class StartRenderSerializer(serializers.Serializer):
    """A render that was sent, by the hash of its content."""

    image = serializers.CharField()


class StartRequest(serializers.Serializer):
    """A project to be made: its name, the answers, and a render that was sent, if any."""

    name = serializers.CharField(max_length=80)
    answers = AnswersSerializer()
    image = serializers.CharField(max_length=64, allow_blank=True, default="")
    image_name = serializers.CharField(max_length=200, allow_blank=True, default="")


class StartedSerializer(serializers.Serializer):
    slug = serializers.CharField()


def _answers(given: dict[str, Any]) -> Answers:
    lists = {name: tuple(dict.fromkeys(given[name])) for name in ("deliveries", "applications")}
    return Answers(**{**given, **lists})


@extend_schema(responses=StartOptionsSerializer)
@api_view(["GET"])
def options(request: Request) -> Response:
    """The questions of the start."""
    told = {
        "deliveries": DELIVERIES,
        "pictures": PICTURES,
        "spaces": SPACES,
        "applications": KINDS,
        "answers": asdict(Answers()),
    }
    return Response(StartOptionsSerializer(told).data)


@extend_schema(request=AnswersSerializer, responses=StartFactsSerializer)
@api_view(["POST"])
def facts(request: Request) -> Response:
    """What answers lead to, before anything is made."""
    return Response(StartFactsSerializer(starting.facts_of(_answers(parsed(request, AnswersSerializer)))).data)


@extend_schema(request=StartNamesRequest, responses=StartNameSerializer(many=True))
@api_view(["POST"])
def names(request: Request) -> Response:
    """What names of textures tell."""
    asked = parsed(request, StartNamesRequest)
    told = starting.names_told(_answers(asked["answers"]), asked["names"])
    return Response(StartNameSerializer(told, many=True).data)


@extend_schema(parameters=[StartPictureQuery], responses=BINARY)
@api_view(["GET"])
def start_picture(request: Request) -> HttpResponse:
    """A render that was sent, or a test picture, as answers would show it."""
    asked = parsed(request, StartPictureQuery, query=True)
    deliveries = tuple(filter(None, asked["deliveries"].split(",")))
    answers = Answers(asked["base"], deliveries, asked["picture"], asked["space"], ())
    image = get_object_or_404(StoredImage, pk=asked["image"]) if asked["image"] else None
    return picture(starting.picture_from(answers, image, asked["stand_in"]))


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: StartConfigSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def start_config(request: Request) -> Response:
    """A config that the project is to start from."""
    upload = parsed(request, PlainFile)["file"]
    base = starting.take_config(upload, read_upload(upload))
    return Response(StartConfigSerializer({"base": base}).data, status=status.HTTP_201_CREATED)


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: StartRenderSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def start_render(request: Request) -> Response:
    """A render to choose the picture by."""
    image = starting.take_render(parsed(request, PlainFile)["file"])
    return Response(StartRenderSerializer({"image": image.pk}).data, status=status.HTTP_201_CREATED)


@extend_schema(request=StartRequest, responses={201: StartedSerializer})
@api_view(["POST"])
def start(request: Request) -> Response:
    """Make the project: all answers are its first revision."""
    asked = parsed(request, StartRequest)
    image = get_object_or_404(StoredImage, pk=asked["image"]) if asked["image"] else None
    made = starting.make_project(asked["name"], _answers(asked["answers"]), image, asked["image_name"])
    return Response(StartedSerializer({"slug": made.slug}).data, status=status.HTTP_201_CREATED)


class NextThingSerializer(serializers.Serializer):
    """One thing to do, and the path below the project's own where it is done."""

    label = serializers.CharField()
    path = serializers.CharField()


class StepStateSerializer(serializers.Serializer):
    step = serializers.CharField()
    state = serializers.ChoiceField(choices=STATES)
    settled = serializers.ListField(child=serializers.CharField())
    open = serializers.ListField(child=serializers.CharField())
    next = NextThingSerializer(allow_null=True)


class NextSerializer(serializers.Serializer):
    """The six steps, and the one thing to do next; null when all is ready."""

    steps = StepStateSerializer(many=True)
    next = NextThingSerializer(allow_null=True)


@extend_schema(responses=NextSerializer)
@api_view(["GET"])
def whats_next(request: Request, slug: str) -> Response:
    """What is settled, what is open, and what to do next."""
    states = step_states(project_named(slug))
    return Response(NextSerializer({"steps": states, "next": next_thing(states)}).data)


class WalkStepSerializer(serializers.Serializer):
    """A mistake to find: where to look, what to look at, and whether it is mended."""

    key = serializers.CharField()
    title = serializers.CharField()
    look = serializers.CharField()
    path = serializers.CharField()
    done = serializers.BooleanField()


@extend_schema(responses=WalkStepSerializer(many=True))
@api_view(["GET"])
def walk(request: Request, slug: str) -> Response:
    """The walk through the mistakes of the demo; empty in other projects."""
    return Response(WalkStepSerializer(walk_of(project_named(slug)), many=True).data)
