"""HTTP for pictures that came back, and what was done to them."""

from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.explain.drawn import STATES
from saltwort.core.explain.explained import VERDICTS
from saltwort.core.explain.places import LOOKS
from saltwort.core.stations.sheet import LEVELS
from saltwort.server.handoffs.explanations import explain_upload, explanations_of, lut_of, picture_of, rescued_of
from saltwort.server.handoffs.models import Explanation, Station
from saltwort.server.handoffs.rescuing import rescue_folder
from saltwort.server.http import BINARY, author_of, download, parsed, picture
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.projects.views import project_named
from saltwort.server.scene.render_views import render_named


class RepairedSetting(serializers.Serializer):
    """A setting of an application's sheet that does what was found."""

    station = serializers.CharField()
    code = serializers.CharField()
    setting = serializers.CharField()
    level = serializers.ChoiceField(choices=LEVELS)
    label = serializers.CharField()


class ResidualSerializer(serializers.Serializer):
    """ΔE that is left, of the mean and the 99th percentile, by `metric`: ΔE 2000, and ΔE ITP on HDR displays."""

    metric = serializers.SerializerMethodField()
    de_mean = serializers.FloatField()
    de_p99 = serializers.FloatField()

    def get_metric(self, residual: dict[str, Any]) -> str:
        return str(residual.get("metric", "ΔE 2000"))  # explanations of before the metric was kept


class RescueSerializer(serializers.Serializer):
    possible = serializers.BooleanField()
    lost = serializers.ListField(child=serializers.CharField())


class ChainPartSerializer(serializers.Serializer):
    """A part of the way from light to the file, as it is beside what was agreed."""

    label = serializers.CharField()
    state = serializers.ChoiceField(choices=STATES)


class WorstSpotSerializer(serializers.Serializer):
    """A place as parts of width and height, and the ΔE 2000 that is left there."""

    x = serializers.FloatField()
    y = serializers.FloatField()
    de = serializers.FloatField()


class NearestSerializer(serializers.Serializer):
    """The matrix, and curves of red, green and blue evenly over 0–1, that come nearest to what is not known, and what
    they leave, root mean square of 0–1."""

    matrix = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    curves = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()))
    off = serializers.FloatField()


class RolloffSerializer(serializers.Serializer):
    """How highlights were compressed: scene-linear values, what became of each, and from where on they change."""

    knee = serializers.FloatField()
    values = serializers.ListField(child=serializers.FloatField())
    became = serializers.ListField(child=serializers.FloatField())


class BoxInPictureSerializer(serializers.Serializer):
    """A box in a picture, as parts of its width and height from the upper left."""

    left = serializers.FloatField()
    top = serializers.FloatField()
    width = serializers.FloatField()
    height = serializers.FloatField()


class OtherPlacesSerializer(serializers.Serializer):
    """Where a picture is not what the deviations make of it: its share, 0–1, boxes around the largest of it, and what
    that looks like, with its numbers by name."""

    share = serializers.FloatField()
    looks = serializers.ChoiceField(choices=tuple(LOOKS))
    numbers = serializers.DictField(child=serializers.FloatField())
    boxes = BoxInPictureSerializer(many=True)


class ExplanationSerializer(serializers.Serializer):
    """A picture that came back: `deviations` have a code and its parameters, in the order in which they happened;
    `alternatives` fit as well."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    render = serializers.CharField(source="render.name")
    station = serializers.SerializerMethodField()
    frame = serializers.SerializerMethodField()
    expects_light = serializers.BooleanField()
    revision = serializers.IntegerField()
    verdict = serializers.ChoiceField(choices=VERDICTS, source="told.verdict")
    sentence = serializers.CharField(source="told.sentence")
    deviations = serializers.ListField(child=serializers.DictField(), source="told.deviations")
    alternatives = serializers.ListField(
        child=serializers.ListField(child=serializers.DictField()), source="told.alternatives"
    )
    residual = ResidualSerializer(source="told.residual")
    undo = RescueSerializer(source="told.undo")
    repair = serializers.SerializerMethodField()
    confidence = serializers.SerializerMethodField()
    chain = serializers.SerializerMethodField()
    worst = serializers.SerializerMethodField()
    nearest = serializers.SerializerMethodField()
    places = serializers.SerializerMethodField()
    rolloff = serializers.SerializerMethodField()
    author = serializers.CharField(allow_blank=True)
    created = serializers.DateTimeField()

    def get_frame(self, made: Explanation) -> int | None:
        return made.told.get("frame")

    def get_station(self, made: Explanation) -> str:
        return made.station.name if made.station else ""

    @extend_schema_field(RepairedSetting(many=True))
    def get_repair(self, made: Explanation) -> list[dict[str, Any]]:
        repair: list[dict[str, Any]] = made.told.get("repair", [])
        return repair

    def get_confidence(self, made: Explanation) -> float:
        return float(made.told.get("confidence", 0.0))

    @extend_schema_field(ChainPartSerializer(many=True))
    def get_chain(self, made: Explanation) -> list[dict[str, Any]]:
        chain: list[dict[str, Any]] = made.told.get("chain", [])
        return chain

    @extend_schema_field(WorstSpotSerializer(many=True))
    def get_worst(self, made: Explanation) -> list[dict[str, Any]]:
        worst: list[dict[str, Any]] = made.told.get("worst", [])
        return worst

    @extend_schema_field(OtherPlacesSerializer(allow_null=True))
    def get_places(self, made: Explanation) -> dict[str, Any] | None:
        return made.told.get("places")

    @extend_schema_field(RolloffSerializer(allow_null=True))
    def get_rolloff(self, made: Explanation) -> dict[str, Any] | None:
        return made.told.get("rolloff")

    @extend_schema_field(NearestSerializer(allow_null=True))
    def get_nearest(self, made: Explanation) -> dict[str, Any] | None:
        return made.told.get("nearest")


class CameBackSerializer(serializers.Serializer):
    """A picture, or a video with the number of a frame, from 1; the render that it should show, the application that it
    came from, if that is known, and whether light is expected instead of the project's view."""

    file = serializers.FileField()
    render = serializers.IntegerField()
    station = serializers.IntegerField(required=False, allow_null=True, default=None)
    expects_light = serializers.BooleanField(default=False)
    frame = serializers.IntegerField(min_value=1, max_value=10_000_000, default=1)


@extend_schema(methods=["GET"], responses=ExplanationSerializer(many=True))
@extend_schema(
    methods=["POST"], request={"multipart/form-data": CameBackSerializer}, responses={201: ExplanationSerializer}
)
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def explanations(request: Request, slug: str) -> Response:
    if request.method == "POST":
        asked = parsed(request, CameBackSerializer)
        station = asked["station"] and get_object_or_404(Station, project__slug=slug, pk=asked["station"])
        made = explain_upload(
            render_named(slug, asked["render"]),
            asked["file"],
            station or None,
            expects_light=asked["expects_light"],
            frame=asked["frame"],
            author=author_of(request),
        )
        return Response(ExplanationSerializer(made).data, status=status.HTTP_201_CREATED)
    return Response(ExplanationSerializer(explanations_of(project_named(slug)), many=True).data)


@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["DELETE"])
def explanation(request: Request, slug: str, pk: int) -> Response:
    """Forget an explanation."""
    _named(slug, pk).delete()
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def explanation_picture(request: Request, slug: str, pk: int, which: str) -> HttpResponse:
    """The picture as it came, as it should be, as it would be after the repair, or the difference that is left."""
    return picture(picture_of(_named(slug, pk), which))


class RescueFolderRequest(serializers.Serializer):
    """A folder of this machine in whose pictures the same is undone."""

    folder = serializers.CharField(max_length=4096)


@extend_schema(request=RescueFolderRequest, responses={201: JobSerializer})
@api_view(["POST"])
def explanation_rescue_folder(request: Request, slug: str, pk: int) -> Response:
    """Queue the undoing of what is said here in every picture of a folder, into a folder below it."""
    job = rescue_folder(_named(slug, pk), parsed(request, RescueFolderRequest)["folder"])
    return Response(JobSerializer(job).data, status=status.HTTP_201_CREATED)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def explanation_rescue(request: Request, slug: str, pk: int) -> HttpResponse:
    """What the picture was before, as scene-linear EXR, with a note in its header of what was undone."""
    name, content = rescued_of(_named(slug, pk))
    return download(content, name, "image/x-exr")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def explanation_lut(request: Request, slug: str, pk: int) -> HttpResponse:
    """The matrix and curves that come nearest to what is not known, as a Common LUT Format document."""
    name, content = lut_of(_named(slug, pk))
    return download(content, name, "application/xml")


def _named(slug: str, pk: int) -> Explanation:
    found = Explanation.objects.select_related("project__current", "render__image", "image")
    return get_object_or_404(found, project__slug=slug, pk=pk)
