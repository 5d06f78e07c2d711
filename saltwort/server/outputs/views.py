"""HTTP for outputs."""

from collections import Counter
from pathlib import PurePath
from typing import Any

from django.http import FileResponse, Http404, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.deliverables import (
    OF_PICTURES,
    TAKES,
    Defaults,
    Deliverable,
    deliverables,
    options_of,
)
from saltwort.core.deliverables.recipe import LONGEST_NAME
from saltwort.core.deliverables.told import verified_told
from saltwort.server.http import BINARY, as_zip, author_of, parsed
from saltwort.server.jobs.models import WAITING
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.outputs import foreseeing, frames, note, operations, recipes
from saltwort.server.outputs.models import MADE, REFUSED, Output, OutputFrame
from saltwort.server.outputs.sources import chosen_in
from saltwort.server.projects.views import project_named
from saltwort.server.scene.render_views import render_named
from saltwort.server.textures.serializers import FactSerializer

KINDS = list(deliverables())


class OptionChoice(serializers.Serializer):
    value = serializers.CharField(allow_blank=True)
    label = serializers.CharField()


class OptionCondition(serializers.Serializer):
    key = serializers.CharField()
    values = serializers.ListField(child=serializers.CharField(allow_blank=True))


class OptionSerializer(serializers.Serializer):
    """See Option. `default` is as the project has chosen."""

    key = serializers.CharField()
    label = serializers.CharField()
    kind = serializers.CharField()
    default = serializers.JSONField()
    choices = OptionChoice(many=True)
    lowest = serializers.FloatField(allow_null=True)
    highest = serializers.FloatField(allow_null=True)
    unit = serializers.CharField(allow_blank=True)
    use = serializers.CharField(allow_blank=True)
    only = OptionCondition(many=True)


class DeliverableSerializer(serializers.Serializer):
    """A kind of thing that leaves the project, what it is for, what it is made of, and its settings."""

    kind = serializers.CharField()
    label = serializers.CharField()
    use = serializers.CharField()
    takes = serializers.ChoiceField(choices=TAKES)
    verifies = serializers.BooleanField()
    compares = serializers.BooleanField()
    options = OptionSerializer(many=True)


class NewOutput(serializers.Serializer):
    """A deliverable, of a render where its kind takes pictures. Settings are those of the kind; what is left out is as
    the project has chosen. Of a sequence, `frames` are a range such as 1-100x2, or `all`; empty for the frame looked
    at."""

    kind = serializers.ChoiceField(choices=KINDS)
    render = serializers.IntegerField(allow_null=True, default=None)
    frames = serializers.CharField(max_length=200, allow_blank=True, default="")
    settings = serializers.DictField(default=dict)


class OutputFramesSerializer(serializers.Serializer):
    """How many files of a sequence are made, wait, or could not be made."""

    made = serializers.IntegerField()
    waiting = serializers.IntegerField()
    refused = serializers.IntegerField()


class OutputFrameSerializer(serializers.Serializer):
    """See OutputFrame."""

    number = serializers.IntegerField()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=(WAITING, MADE, REFUSED))
    reason = serializers.CharField(allow_blank=True)


class OutputSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    made_from = serializers.CharField()
    revision = serializers.IntegerField()
    recipe = serializers.CharField(allow_blank=True)
    created = serializers.DateTimeField()
    job = JobSerializer(allow_null=True)
    done = serializers.BooleanField()
    facts = FactSerializer(many=True)
    frames = OutputFramesSerializer(allow_null=True)


@extend_schema(responses=DeliverableSerializer(many=True))
@api_view(["GET"])
def deliverable_kinds(request: Request, slug: str) -> Response:
    """What can be made, with its settings as the project has chosen."""
    chosen = chosen_in(project_named(slug))
    offered = [_offered(made, chosen) for made in deliverables().values()]
    return Response(DeliverableSerializer(offered, many=True).data)


def _offered(made: Deliverable[Any], chosen: Defaults) -> dict[str, Any]:
    settings = made.settings_from({}, chosen)
    options = [
        {
            **vars(each),
            "default": getattr(settings, each.key),
            "choices": [{"value": value, "label": label} for value, label in each.choices],
            "only": [{"key": key, "values": values} for key, values in each.only],
        }
        for each in options_of(made.settings)
    ]
    return {
        "kind": made.kind,
        "label": made.label,
        "use": made.use,
        "takes": made.takes,
        "verifies": made.verifies,
        "compares": made.compares,
        "options": options,
    }


@extend_schema(methods=["GET"], responses=OutputSerializer(many=True))
@extend_schema(methods=["POST"], request=NewOutput, responses={201: OutputSerializer})
@api_view(["GET", "POST"])
def outputs(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, NewOutput)
        render = None if asked["render"] is None else render_named(slug, asked["render"])
        made = operations.make_output(project, asked["kind"], asked["settings"], render, frames=asked["frames"])
        return Response(output_json(made), status=status.HTTP_201_CREATED)
    return Response([output_json(output) for output in project.outputs.select_related("render", "revision", "job")])


@extend_schema(responses={204: None})
@api_view(["DELETE"])
def output(request: Request, slug: str, pk: int) -> Response:
    operations.remove_output(get_object_or_404(Output, project__slug=slug, pk=pk), author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def output_file(request: Request, slug: str, pk: int) -> FileResponse | StreamingHttpResponse:
    """The file, or those of a sequence in a zip."""
    found = get_object_or_404(Output, project__slug=slug, pk=pk)
    if made := list(found.frames.filter(state=MADE)):
        files = {frame.name: found.folder / frame.name for frame in made}
        return as_zip(files, PurePath(found.name).stem.strip(".#"), {"SHA256SUMS": frames.hashes_of(found)})
    if found.facts is None or not found.file.exists():
        raise Http404
    return FileResponse(found.file.open("rb"), as_attachment=True, filename=found.name)


@extend_schema(responses=OutputFrameSerializer(many=True))
@api_view(["GET"])
def output_frames(request: Request, slug: str, pk: int) -> Response:
    found = get_object_or_404(Output, project__slug=slug, pk=pk)
    return Response(OutputFrameSerializer(found.frames.all(), many=True).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def output_frame_file(request: Request, slug: str, pk: int, number: int) -> FileResponse:
    """One file of a sequence."""
    frame = get_object_or_404(
        OutputFrame.objects.select_related("output"), output__project__slug=slug, output=pk, number=number, state=MADE
    )
    file = frame.output.folder / frame.name
    if not file.exists():
        raise Http404
    return FileResponse(file.open("rb"), as_attachment=True, filename=frame.name)


@extend_schema(request=None, responses=OutputSerializer)
@api_view(["POST"])
def make_the_rest(request: Request, slug: str, pk: int) -> Response:
    """Make the frames of a sequence that failed, or were left when it was cancelled."""
    found = get_object_or_404(Output.objects.select_related("job", "render", "revision"), project__slug=slug, pk=pk)
    return Response(output_json(frames.make_the_rest(found)))


def output_json(output: Output) -> dict[str, Any]:
    """An output as the API gives it."""
    return OutputSerializer(
        {
            "id": output.pk,
            "kind": output.kind,
            "name": output.name,
            "made_from": _made_from(output),
            "revision": output.revision.number,
            "created": output.created,
            "job": output.job,
            "done": output.facts is not None,
            "recipe": output.recipe,
            "frames": _frames(output),
            "facts": [{"name": name, "value": value} for name, value in operations.told(output).items()],
        }
    ).data


def _frames(output: Output) -> dict[str, int] | None:
    states = Counter(output.frames.values_list("state", flat=True))
    return {"made": states[MADE], "waiting": states[WAITING], "refused": states[REFUSED]} if states else None


def _made_from(output: Output) -> str:
    if deliverables()[output.kind].takes not in OF_PICTURES and not output.settings.get("source_space"):
        return "the config"
    return output.render.name if output.render else "a render that was removed"


@extend_schema(responses=BINARY)
@api_view(["GET"])
def delivery_note(request: Request, slug: str) -> HttpResponse:
    """What was delivered, as a page to print."""
    return HttpResponse(note.delivery_note(project_named(slug)))


class ExpectedSerializer(serializers.Serializer):
    """See Expected."""

    files = serializers.IntegerField()
    bytes = serializers.IntegerField()
    losses = serializers.ListField(child=serializers.CharField())
    seconds = serializers.FloatField(allow_null=True)


@extend_schema(request=NewOutput, responses=ExpectedSerializer)
@api_view(["POST"])
def foresee_output(request: Request, slug: str) -> Response:
    """What an output will cost and lose. Nothing is made."""
    asked = parsed(request, NewOutput)
    render = None if asked["render"] is None else render_named(slug, asked["render"])
    found = foreseeing.expected(project_named(slug), asked["kind"], asked["settings"], render, asked["frames"])
    return Response(ExpectedSerializer(found).data)


class VerifyUpload(serializers.Serializer):
    """A finished file from anywhere, the recipe that it should be, and the render that it should be of, if any."""

    file = serializers.FileField()
    recipe = serializers.CharField(max_length=LONGEST_NAME, allow_blank=True, default="")
    render = serializers.IntegerField(allow_null=True, default=None)
    frames = serializers.CharField(max_length=200, allow_blank=True, default="")


class DoubtSerializer(serializers.Serializer):
    """See Doubt."""

    code = serializers.CharField()
    sentence = serializers.CharField()


class VerifiedSerializer(serializers.Serializer):
    name = serializers.CharField()
    facts = FactSerializer(many=True)
    doubts = DoubtSerializer(many=True)


@extend_schema(request={"multipart/form-data": VerifyUpload}, responses=VerifiedSerializer)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def verify_file(request: Request, slug: str) -> Response:
    """What a finished file says of itself, what its pixels say, and whether that fits together. Nothing is kept."""
    asked = parsed(request, VerifyUpload)
    render = None if asked["render"] is None else render_named(slug, asked["render"])
    found = recipes.verified(project_named(slug), asked["file"], asked["recipe"], render, asked["frames"])
    facts = verified_told(found.says, found.pixels)
    return Response(
        VerifiedSerializer(
            {
                "name": asked["file"].name,
                "facts": [{"name": name, "value": value} for name, value in facts.items()],
                "doubts": found.doubts,
            }
        ).data
    )
