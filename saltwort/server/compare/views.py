"""HTTP for the Compare step: panes, probes, and comparisons that are kept."""

from dataclasses import asdict
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine.processors import LARGEST_EXPOSURE
from saltwort.core.images import read_box
from saltwort.core.scene.renders import follow, mean_of
from saltwort.core.views.grade import NO_GRADE
from saltwort.server.compare import operations
from saltwort.server.compare.grades import GradeSerializer
from saltwort.server.compare.models import Comparison, KeptComparison
from saltwort.server.compare.panes import PaneSerializer, ShownPaneSerializer, filled, pane_from_json, pane_to_json
from saltwort.server.http import BasedOn, author_of, finite, parsed
from saltwort.server.projects.asked import ConfigQuery, choice_asked, config_asked
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.views import project_named
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import facts_of, space_of
from saltwort.server.scene.render_views import render_named
from saltwort.server.scene.serializers import triple


def shares(count: int) -> serializers.ListField:
    """`count` numbers from 0 to 1: of a place, x and y as shares of a picture from its upper left."""
    return serializers.ListField(
        child=serializers.FloatField(min_value=0, max_value=1), min_length=count, max_length=count
    )


class ComparisonSerializer(serializers.Serializer):
    version = serializers.IntegerField()
    render = serializers.IntegerField(allow_null=True)
    exposure = serializers.FloatField()
    panes = ShownPaneSerializer(many=True)
    probes = serializers.ListField(child=shares(2))
    grade = GradeSerializer()


class ComparisonChange(BasedOn):
    render = serializers.IntegerField(allow_null=True)
    exposure = serializers.FloatField(min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    panes = PaneSerializer(many=True, min_length=1, max_length=operations.MOST_PANES)
    probes = serializers.ListField(child=shares(2), max_length=operations.MOST_PROBES, default=list)
    grade = GradeSerializer(required=False)


class ProbeQuery(ViewChoiceSerializer, ConfigQuery):
    """A point in pixels from the top left, the side of the square around it that is averaged, and the view that it is
    followed through. `layer` is another than that of the render."""

    x = serializers.IntegerField(min_value=0)
    y = serializers.IntegerField(min_value=0)
    sample = serializers.IntegerField(min_value=1, max_value=101, default=1)
    exposure = serializers.FloatField(default=0.0, min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    layer = serializers.CharField(required=False, allow_blank=True, max_length=200)


class ProbeSerializer(serializers.Serializer):
    """See Followed. `code_values` are those of 8, 10, 12 and 16 bits."""

    light = triple()
    stops = triple()
    looked = triple()
    values = triple()
    code_values = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    clipped = serializers.ListField(child=serializers.BooleanField())
    nits = serializers.FloatField(allow_null=True)
    xy = serializers.ListField(child=serializers.FloatField(), allow_null=True)
    in_gamut = serializers.BooleanField(allow_null=True)


class PlacesAsked(serializers.Serializer):
    """Places as shares of the picture, followed through panes. `render` and `exposure` are those of panes that have
    none of their own."""

    places = serializers.ListField(child=shares(2), max_length=operations.MOST_PROBES + 1)
    panes = PaneSerializer(many=True, max_length=operations.MOST_PANES)
    render = serializers.IntegerField()
    exposure = serializers.FloatField(min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    sample = serializers.IntegerField(min_value=1, max_value=101, default=1)
    revision = serializers.IntegerField(required=False)


class PlaceSerializer(serializers.Serializer):
    """A place, followed through each of the panes."""

    panes = ProbeSerializer(many=True)


@extend_schema(methods=["GET"], responses=ComparisonSerializer)
@extend_schema(methods=["PUT"], request=ComparisonChange, responses=ComparisonSerializer)
@api_view(["GET", "PUT"])
def comparison(request: Request, slug: str) -> Response:
    project = project_named(slug)
    found = operations.comparison_of(project)
    if request.method == "PUT":
        asked = parsed(request, ComparisonChange)
        panes = list(map(pane_from_json, asked["panes"]))
        render = get_object_or_404(project.renders, pk=asked["render"]) if asked["render"] else None
        operations.change_comparison(
            found, asked["based_on"], panes, asked["exposure"], render, asked["probes"], asked.get("grade")
        )
    return Response(_comparison(found))


@extend_schema(parameters=[ProbeQuery], responses=ProbeSerializer)
@api_view(["GET"])
def probe(request: Request, slug: str, pk: int) -> Response:
    asked = parsed(request, ProbeQuery, query=True)
    return Response(ProbeSerializer(_followed(render_named(slug, pk), asked)).data)


@extend_schema(request=PlacesAsked, responses=PlaceSerializer(many=True))
@api_view(["POST"])
def probes(request: Request, slug: str) -> Response:
    asked = parsed(request, PlacesAsked)
    panes = [filled(pane, asked) for pane in asked["panes"]]
    renders = {pk: render_named(slug, pk) for pk in {asked["render"], *(pane["render"] for pane in panes)}}
    found = [
        {"panes": [_followed_at(place, renders[pane["render"]], {**pane, "sample": asked["sample"]}) for pane in panes]}
        for place in asked["places"]
    ]
    return Response(PlaceSerializer(found, many=True).data)


def _followed_at(place: list[float], render: Render, pane: dict[str, Any]) -> dict[str, Any]:
    """A place, as shares of the picture, through a pane."""
    width, height = facts_of(render).header.picture_size
    x, y = min(width - 1, int(place[0] * width)), min(height - 1, int(place[1] * height))
    layer = render.layer if pane["layer"] is None else pane["layer"]
    return _followed(render, {**pane, "x": x, "y": y, "layer": layer})


def _followed(render: Render, asked: dict[str, Any]) -> dict[str, Any]:
    reach = asked["sample"] // 2
    left, top = max(0, asked["x"] - reach), max(0, asked["y"] - reach)
    size = (asked["x"] + reach + 1 - left, asked["y"] + reach + 1 - top)
    box = read_box(render.image.file, left, top, *size, asked.get("layer", render.layer))
    config = config_asked(render.project, asked)
    found = follow(config, mean_of(box), space_of(render).space, choice_asked(asked), asked["exposure"])
    lists = {name: finite(getattr(found, name)) for name in ("light", "looked", "values")}
    return {**asdict(found), **lists}


class KeptChange(serializers.Serializer):
    name = serializers.CharField(max_length=100)
    notes = serializers.CharField(max_length=10_000, allow_blank=True, default="")


class KeptState(serializers.Serializer):
    """What the screen needs to show a comparison again; `panes` hold what each pane showed, whether its own or that of
    all."""

    render = serializers.IntegerField()
    exposure = serializers.FloatField(min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    panes = PaneSerializer(many=True, min_length=1, max_length=operations.MOST_PANES)
    probes = serializers.ListField(child=shares(2), max_length=operations.MOST_PROBES)
    mode = serializers.CharField(max_length=20)
    surround = serializers.CharField(max_length=20)
    marks = serializers.CharField(max_length=20)
    window = shares(4)


class KeptRequest(KeptChange):
    state = KeptState()


class KeptSerializer(KeptChange):
    id = serializers.IntegerField()
    version = serializers.IntegerField()
    revision = serializers.IntegerField()
    made = serializers.DateTimeField()
    state = KeptState()


class KeptNotes(BasedOn, KeptChange):
    pass


@extend_schema(methods=["GET"], responses=KeptSerializer(many=True))
@extend_schema(methods=["POST"], request=KeptRequest, responses={201: KeptSerializer})
@api_view(["GET", "POST"])
def kept_comparisons(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, KeptRequest)
        state = {**asked["state"], "panes": [pane_to_json(pane_from_json(pane)) for pane in asked["state"]["panes"]]}
        kept = operations.keep_comparison(project, asked["name"], asked["notes"], state, author_of(request))
        return Response(_kept(kept), status=status.HTTP_201_CREATED)
    return Response([_kept(kept) for kept in project.kept_comparisons.select_related("revision")])


@extend_schema(methods=["PUT"], request=KeptNotes, responses=KeptSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["PUT", "DELETE"])
def kept_comparison(request: Request, slug: str, pk: int) -> Response:
    kept = get_object_or_404(project_named(slug).kept_comparisons, pk=pk)
    if request.method == "DELETE":
        operations.remove_kept(kept, author_of(request))
        return Response(status=status.HTTP_204_NO_CONTENT)
    asked = parsed(request, KeptNotes)
    return Response(_kept(operations.change_kept(kept, **asked, author=author_of(request))))


def _kept(kept: KeptComparison) -> dict[str, Any]:
    fields = {"id": kept.pk, "revision": kept.revision.number}
    return KeptSerializer({**vars(kept), **fields}).data


def _comparison(found: Comparison) -> dict[str, Any]:
    render = found.render or found.project.renders.first()
    return ComparisonSerializer(
        {
            "version": found.version,
            "render": render.pk if render else None,
            "exposure": found.exposure,
            "panes": [{**pane_to_json(pane), "gone": gone} for pane, gone in operations.panes_of(found)],
            "probes": found.probes,
            "grade": found.grade or asdict(NO_GRADE),
        }
    ).data
