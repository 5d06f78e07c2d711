"""HTTP for outputs."""

from typing import Any

from django.http import FileResponse, Http404
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.deliverables import deliverables
from saltwort.server.http import BINARY, parsed
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.outputs import operations
from saltwort.server.outputs.models import Output
from saltwort.server.projects.views import project_named
from saltwort.server.scene.render_views import render_named
from saltwort.server.textures.serializers import FactSerializer


class DeliverableSerializer(serializers.Serializer):
    """A kind of thing that leaves the project, and what it is for."""

    kind = serializers.CharField()
    label = serializers.CharField()
    use = serializers.CharField()


class NewOutput(serializers.Serializer):
    """A deliverable of a render. Settings are those of the kind; what is left out is as the project has chosen."""

    kind = serializers.ChoiceField(choices=list(deliverables()))
    render = serializers.IntegerField()
    settings = serializers.DictField(default=dict)


class OutputSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    made_from = serializers.CharField()
    revision = serializers.IntegerField()
    created = serializers.DateTimeField()
    job = JobSerializer(allow_null=True)
    done = serializers.BooleanField()
    facts = FactSerializer(many=True)


@extend_schema(responses=DeliverableSerializer(many=True))
@api_view(["GET"])
def deliverable_kinds(request: Request) -> Response:
    return Response(DeliverableSerializer(deliverables().values(), many=True).data)


@extend_schema(methods=["GET"], responses=OutputSerializer(many=True))
@extend_schema(methods=["POST"], request=NewOutput, responses={201: OutputSerializer})
@api_view(["GET", "POST"])
def outputs(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, NewOutput)
        render = render_named(slug, asked["render"])
        made = operations.make_output(render, asked["kind"], asked["settings"])
        return Response(_output(made), status=status.HTTP_201_CREATED)
    return Response([_output(output) for output in project.outputs.select_related("render", "revision", "job")])


@extend_schema(responses={204: None})
@api_view(["DELETE"])
def output(request: Request, slug: str, pk: int) -> Response:
    operations.remove_output(get_object_or_404(Output, project__slug=slug, pk=pk))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def output_file(request: Request, slug: str, pk: int) -> FileResponse:
    found = get_object_or_404(Output, project__slug=slug, pk=pk)
    if found.facts is None or not found.file.exists():
        raise Http404
    return FileResponse(found.file.open("rb"), as_attachment=True, filename=found.name)


def _output(output: Output) -> dict[str, Any]:
    return OutputSerializer(
        {
            "id": output.pk,
            "kind": output.kind,
            "name": output.name,
            "made_from": output.render.name if output.render else "a render that was removed",
            "revision": output.revision.number,
            "created": output.created,
            "job": output.job,
            "done": output.facts is not None,
            "facts": [{"name": name, "value": value} for name, value in _facts(output).items()],
        }
    ).data


def _facts(output: Output) -> dict[str, str]:
    """How the file was made and, once it is, what was read back from it."""
    made, facts = operations.described(output), output.facts
    if facts is None:
        return made
    tags = facts["tags"]
    shown = [name for name in ("CICP", "icc:description", "colorInteropID", "chromaticities") if name in tags]
    return {
        **made,
        "size": f"{facts['width']} × {facts['height']}",
        **({_TAG_LABELS[name]: _tag(tags[name]) for name in shown} or {"colour tags": "none"}),
        "clipped on writing": f"{facts['clipped']:.2%} of samples" if facts["clipped"] else "none",
        **({"no numbers": f"{facts['not_finite']:,} samples"} if facts.get("not_finite") else {}),
        "largest rounding error": f"{facts['largest_error']:.2g}",
    }


_TAG_LABELS = {
    "CICP": "cICP",
    "icc:description": "ICC profile",
    "colorInteropID": "colorInteropID",
    "chromaticities": "chromaticities",
}


def _tag(value: Any) -> str:
    return " ".join(f"{number:g}" for number in value) if isinstance(value, list) else str(value)
