"""HTTP for outputs."""

from typing import Any

from django.http import FileResponse, Http404
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import LARGEST_EXPOSURE
from saltwort.server.http import BINARY, parsed
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.outputs import operations
from saltwort.server.outputs.models import HANDOFF, STILL, Output
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.setups import current_setup
from saltwort.server.projects.views import project_named
from saltwort.server.scene.render_views import render_named
from saltwort.server.textures.serializers import FactSerializer


class NewOutput(serializers.Serializer):
    """A still takes a view (the project's own where none is named), exposure and bits; a hand-off takes neither."""

    kind = serializers.ChoiceField(choices=[STILL, HANDOFF])
    render = serializers.IntegerField()
    view = ViewChoiceSerializer(required=False)
    exposure = serializers.FloatField(default=0.0, min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    bits = serializers.ChoiceField(choices=[8, 16], default=16)


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


@extend_schema(methods=["GET"], responses=OutputSerializer(many=True))
@extend_schema(methods=["POST"], request=NewOutput, responses={201: OutputSerializer})
@api_view(["GET", "POST"])
def outputs(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, NewOutput)
        render = render_named(slug, asked["render"])
        if asked["kind"] == HANDOFF:
            made = operations.make_handoff(render)
        else:
            choice = ViewChoice(**asked["view"]) if "view" in asked else current_setup(project).view
            made = operations.make_still(render, choice, asked["exposure"], asked["bits"])
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
    settings, facts = output.settings, output.facts
    if output.kind == HANDOFF:
        made = {"colour space": settings["space"], "view": "none", "samples": "half float"}
    else:
        view = settings["view"]
        made = {
            "view": f"{view['view']} on {view['display']}",
            "look": view["look"] or "the view's own",
            "exposure": f"{settings['exposure']:+.2f} stops",
            "samples": f"{settings['bits']}-bit",
        }
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
