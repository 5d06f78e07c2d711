"""HTTP for renders: the list, pictures of their layers, and what is marked in them."""

from collections import Counter
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import screen_view
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import encode_png
from saltwort.core.images.sequences import missing_in, runs_of, step_of
from saltwort.core.scene.overlays import MARKS, mark, marked_share, striped
from saltwort.core.textures.evidence import evidence_for, verdict_of
from saltwort.server.http import BINARY, author_of, parsed, picture
from saltwort.server.images.operations import store_upload
from saltwort.server.images.pictures import LARGEST_PICTURE, drawn, pixels_of, stored
from saltwort.server.jobs.models import WAITING
from saltwort.server.projects.asked import ConfigQuery, config_asked
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.projects.views import project_named
from saltwort.server.scene import operations
from saltwort.server.scene.models import IN, REFUSED, Render
from saltwort.server.scene.serializers import MarkedSerializer, RenderChange, RenderSerializer
from saltwort.server.uploads import RenderUpload


@extend_schema(methods=["GET"], responses=RenderSerializer(many=True))
@extend_schema(methods=["POST"], request={"multipart/form-data": RenderUpload}, responses={201: RenderSerializer})
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def renders(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        upload = parsed(request, RenderUpload)["file"]
        render = operations.add_render(project, upload.name, store_upload(upload), author=author_of(request))
        return Response(render_json(render), status=status.HTTP_201_CREATED)
    return Response([render_json(render) for render in project.renders.select_related("image", "project__current")])


@extend_schema(methods=["PUT"], request=RenderChange, responses=RenderSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["PUT", "DELETE"])
def render(request: Request, slug: str, pk: int) -> Response:
    found = render_named(slug, pk)
    if request.method == "DELETE":
        operations.remove_render(found, author_of(request))
        return Response(status=status.HTTP_204_NO_CONTENT)
    operations.change_render(found, **parsed(request, RenderChange), author=author_of(request))
    return Response(render_json(found))


class RenderPictureQuery(ViewChoiceSerializer, ConfigQuery):
    """The project's view where none is named. `mark` puts stripes where something is wrong; `layer` is another than
    that of the render, `frame` one of a sequence."""

    display = serializers.CharField(required=False)
    view = serializers.CharField(required=False)
    exposure = serializers.FloatField(default=0.0)
    size = serializers.IntegerField(min_value=16, max_value=LARGEST_PICTURE, default=96)
    mark = serializers.ChoiceField(choices=list(MARKS), required=False)
    layer = serializers.CharField(required=False, allow_blank=True, max_length=200)
    frame = serializers.IntegerField(required=False, min_value=0, default=None)


@extend_schema(parameters=[RenderPictureQuery], responses=BINARY)
@api_view(["GET"])
def render_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    found, asked = render_named(slug, pk), parsed(request, RenderPictureQuery, query=True)
    config, layer = config_asked(found.project, asked), asked.get("layer", found.layer)
    choice = screen_view(config, current_setup(found.project).view)
    if "view" in asked:
        choice = ViewChoice(asked.get("display", choice.display), asked["view"], asked["look"])
    space, image = operations.space_of(found).space, operations.image_of(found, asked["frame"])
    if "mark" not in asked:
        return picture(drawn(image, config, space, choice, asked["exposure"], asked["size"], layer))
    shown = apply(view_processor(config, space, choice, asked["exposure"]), stored(image, asked["size"], layer))
    return picture(encode_png(striped(shown, mark(asked["mark"], pixels_of(image, layer)))))


@extend_schema(responses=MarkedSerializer(many=True))
@api_view(["GET"])
def render_marks(request: Request, slug: str, pk: int) -> Response:
    """How much of a render is flat, negative or no number, for each channel."""
    found = render_named(slug, pk)
    pixels = pixels_of(found.image, found.layer)
    shares = [{"name": name, **vars(marked_share(mark(name, pixels), pixels))} for name in MARKS]
    return Response(MarkedSerializer(shares, many=True).data)


def render_named(slug: str, pk: int) -> Render:
    """The render of a URL."""
    return get_object_or_404(Render.objects.select_related("image", "project__current"), project__slug=slug, pk=pk)


def render_json(render: Render) -> dict[str, Any]:
    """A render as the API gives it."""
    facts, space = operations.facts_of(render), operations.space_of(render)
    header = facts.header
    evidence = evidence_for(config_of(render.project.current), render.name, None, facts)
    width, height = header.picture_size
    key = f"{render.image_id[:12]}-{render.layer}-{render.project.current.config_hash[:12]}-{space.space}"
    return RenderSerializer(
        {
            "id": render.pk,
            "name": render.name,
            "version": render.version,
            "space": space.space,
            "told_by": space.told_by,
            "layer": render.layer,
            "layers": operations.layers_of(render),
            "width": width,
            "height": height,
            "window": _window(header.frame, header.width, header.height),
            "bit_depth": header.bit_depth,
            "peak": max((value for value in facts.stats.max[:3] if value is not None), default=None),
            "above_one": facts.stats.above_one,
            "below_zero": facts.stats.below_zero,
            "non_finite": facts.stats.non_finite,
            "evidence": evidence,
            "verdict": verdict_of(evidence),
            "made_by": "the bench renderer" if render.rig else "",
            "thumbnail": f"/api/v1/projects/{render.project.slug}/renders/{render.pk}/picture?{urlencode({'v': key})}",
            "image": f"{render.image_id[:12]}-{render.layer}",
            "sequence": _sequence(render),
        }
    ).data


def _sequence(render: Render) -> dict[str, Any] | None:
    """What there is of a sequence, in a few numbers; None of a single picture."""
    if render.frame is None:
        return None
    states = dict(render.frames.values_list("number", "state"))
    counts = Counter(states.values())
    numbers = states or {render.frame: IN}
    missing = missing_in(numbers)
    return {
        "frame": render.frame,
        "first": min(numbers),
        "last": max(numbers),
        "step": step_of(numbers),
        "read": counts[IN],
        "waiting": counts[WAITING],
        "refused": counts[REFUSED],
        "missing": runs_of(missing) if missing else "",
        "in_place": bool(render.place),
    }


def _window(frame: tuple[int, int, int, int] | None, width: int, height: int) -> str:
    """Which pixels an EXR holds, where they are not those of the picture."""
    return f"{width} × {height} from {frame[0]}, {frame[1]}" if frame else ""
