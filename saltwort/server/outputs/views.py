"""HTTP for outputs."""

from collections.abc import Mapping
from typing import Any

from django.http import FileResponse, Http404
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.deliverables import deliverables
from saltwort.core.spaces.encodings import BY_INTEROP_ID, by_code_points
from saltwort.server.http import BINARY, author_of, parsed
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
    operations.remove_output(get_object_or_404(Output, project__slug=slug, pk=pk), author_of(request))
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
    return {
        **made,
        "size": f"{facts['width']} × {facts['height']}",
        **_tagged(facts["tags"]),
        "clipped on writing": f"{facts['clipped']:.2%} of samples" if facts["clipped"] else "none",
        **({"no numbers": f"{facts['not_finite']:,} samples"} if facts.get("not_finite") else {}),
        "largest rounding error": f"{facts['largest_error']:.2g}",
    }


def _tagged(tags: Mapping[str, Any]) -> dict[str, str]:
    """What the file says of its colour: a sentence, then the tags themselves."""
    says = _in_words(tags)
    shown = {_TAG_LABELS[name]: _tag(tags[name]) for name in _TAG_LABELS if name in tags}
    return {"colour": says, **shown}


def _in_words(tags: Mapping[str, Any]) -> str:
    if "CICP" in tags:
        primaries, transfer, *_ = (int(number) for number in tags["CICP"])
        for gamut, curve in by_code_points(primaries, transfer)[:1]:
            return f"tagged {_SHORT.get((primaries, transfer), f'{gamut.name}, {curve.label}')}"
    if "colorInteropID" in tags and (encoding := BY_INTEROP_ID.get(str(tags["colorInteropID"]))):
        curve = "linear" if encoding.curve.is_linear else encoding.curve.label
        return f"tagged {encoding.gamut.name}, {curve}"
    if "icc:description" in tags:
        return f"tagged with the profile {tags['icc:description']}"
    return "tagged with its primaries" if "chromaticities" in tags else "says nothing of its colour"


_SHORT = {
    (1, 13): "sRGB",
    (12, 13): "Display P3",
    (1, 1): "Rec.1886 (Rec.709)",
    (9, 16): "Rec.2100 PQ",
    (9, 18): "Rec.2100 HLG",
}
"""Code points of H.273 by what the trade calls them together."""

_TAG_LABELS = {
    "CICP": "cICP",
    "icc:description": "ICC profile",
    "colorInteropID": "colorInteropID",
    "chromaticities": "chromaticities",
}


def _tag(value: Any) -> str:
    return " ".join(f"{number:g}" for number in value) if isinstance(value, list) else str(value)
