"""HTTP for scenes from before their colour setup."""

from pathlib import Path
from typing import Any

from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import JSONParser, MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.errors import BadInput
from saltwort.core.migration.plan import plan_of, steps
from saltwort.server.http import BINARY, as_zip, author_of, download, parsed
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.migrating import importing, operations
from saltwort.server.migrating.models import OldScene
from saltwort.server.migrating.pages import page_of_scene
from saltwort.server.projects.views import project_named

MOST_ROWS = 500
"""Changes and inputs that are shown; the report has all."""


class StepSettingSerializer(serializers.Serializer):
    """A setting of a step, with what it is unless said otherwise, and what may be chosen; empty for free text."""

    name = serializers.CharField()
    value = serializers.JSONField(allow_null=True)
    choices = serializers.ListField(child=serializers.CharField())


class MigrationStepSerializer(serializers.Serializer):
    """A step of plans."""

    key = serializers.CharField()
    label = serializers.CharField()
    does = serializers.CharField()
    settings = StepSettingSerializer(many=True)


class HabitSightSerializer(serializers.Serializer):
    document = serializers.CharField()
    of = serializers.CharField()
    says = serializers.CharField()


class HabitSerializer(serializers.Serializer):
    """A habit of a scene with what shows it; `step` mends it."""

    code = serializers.CharField()
    title = serializers.CharField()
    why = serializers.CharField()
    seen = HabitSightSerializer(many=True)
    step = serializers.CharField(allow_blank=True)
    is_hint = serializers.BooleanField()


class SceneDocumentSerializer(serializers.Serializer):
    path = serializers.CharField()
    format = serializers.CharField()
    space = serializers.CharField(allow_blank=True)


class SceneLightSerializer(serializers.Serializer):
    name = serializers.CharField()
    document = serializers.CharField()
    intensity = serializers.FloatField()
    exposure = serializers.FloatField()
    temperature = serializers.FloatField(allow_null=True)


class NotReadSerializer(serializers.Serializer):
    document = serializers.CharField()
    file = serializers.CharField()
    why = serializers.CharField()


class FoundSerializer(serializers.Serializer):
    """What is found in a scene."""

    folder = serializers.CharField()
    documents = SceneDocumentSerializer(many=True)
    pictures = serializers.IntegerField()
    colours = serializers.IntegerField()
    lights = SceneLightSerializer(many=True)
    working_space = serializers.CharField(allow_blank=True)
    refused = NotReadSerializer(many=True)
    habits = HabitSerializer(many=True)


class SceneChangeSerializer(serializers.Serializer):
    step = serializers.CharField()
    document = serializers.CharField()
    of = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()
    why = serializers.CharField()
    lost = serializers.CharField(allow_blank=True)


class LeftSerializer(serializers.Serializer):
    step = serializers.CharField()
    document = serializers.CharField()
    of = serializers.CharField()
    why = serializers.CharField()


class SceneDiffSerializer(serializers.Serializer):
    document = serializers.CharField()
    diff = serializers.CharField()
    problems = serializers.ListField(child=serializers.CharField())


class ProvedInputSerializer(serializers.Serializer):
    """An input before and after: means of XYZ, or of plain numbers."""

    document = serializers.CharField()
    of = serializers.CharField()
    kind = serializers.CharField()
    same = serializers.BooleanField()
    before = serializers.ListField(child=serializers.FloatField())
    after = serializers.ListField(child=serializers.FloatField())
    largest = serializers.FloatField()
    why = serializers.CharField(allow_blank=True)


class BallsSerializer(serializers.Serializer):
    """The materials on balls: names in order, and ΔE 2000 before and after."""

    names = serializers.ListField(child=serializers.CharField())
    mean = serializers.FloatField()
    worst = serializers.FloatField()


class RescuedFrameSerializer(serializers.Serializer):
    """The first rescued frame, and ΔE 2000 of its light through the view once more."""

    name = serializers.CharField()
    mean = serializers.FloatField()
    worst = serializers.FloatField()


class MigrationReportSerializer(serializers.Serializer):
    """What a plan does, or did, to a scene; the first of changes and inputs."""

    same = serializers.IntegerField()
    inputs = serializers.IntegerField()
    count = serializers.SerializerMethodField()
    changes = serializers.SerializerMethodField()
    left = LeftSerializer(many=True)
    differences = SceneDiffSerializer(many=True)
    proof = serializers.SerializerMethodField()
    balls = BallsSerializer(allow_null=True)
    frame = RescuedFrameSerializer(allow_null=True, default=None)
    folder = serializers.SerializerMethodField()

    def get_count(self, report: dict[str, Any]) -> int:
        return len(report["changes"])

    def get_folder(self, report: dict[str, Any]) -> str:
        return report["written"]["folder"] if report["written"] else ""

    def get_changes(self, report: dict[str, Any]) -> SceneChangeSerializer(many=True):  # type: ignore[valid-type]
        return SceneChangeSerializer(report["changes"][:MOST_ROWS], many=True).data

    def get_proof(self, report: dict[str, Any]) -> ProvedInputSerializer(many=True):  # type: ignore[valid-type]
        return ProvedInputSerializer(report["proof"][:MOST_ROWS], many=True).data


class OldSceneSerializer(serializers.Serializer):
    """A scene that was read: what is found in it, the plan chosen last, what it would do, and what was done."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    created = serializers.DateTimeField()
    is_behind = serializers.SerializerMethodField()
    is_here = serializers.BooleanField()
    job = JobSerializer(allow_null=True)
    found = FoundSerializer(allow_null=True)
    plan = serializers.ListField(child=serializers.DictField())
    preview = MigrationReportSerializer(allow_null=True)
    report = MigrationReportSerializer(allow_null=True)
    undone = serializers.DateTimeField(allow_null=True)
    render = serializers.IntegerField(source="render_id", allow_null=True)

    def get_is_behind(self, scene: OldScene) -> bool:
        """Whether the project changed since it was looked at."""
        return scene.revision != scene.project.current.number


class ScenePlace(serializers.Serializer):
    """A scene of this machine, or a folder with scenes."""

    place = serializers.CharField(max_length=4096)


class SceneUpload(serializers.Serializer):
    """The files of a scene with their paths, its documents among them."""

    file = serializers.ListField(child=serializers.FileField(max_length=1024))
    path = serializers.ListField(child=serializers.CharField(max_length=1024))


class LightsRequest(serializers.Serializer):
    """The render that shows a scene as it was lit; null for none."""

    render = serializers.IntegerField(allow_null=True)


class PlanRequest(serializers.Serializer):
    """Steps with their settings, in order."""

    steps = serializers.ListField(child=serializers.DictField(), max_length=40)


class MigrateRequest(PlanRequest):
    """Where the outcome goes: a new folder of this machine, or here where none is named; or in place."""

    output = serializers.CharField(max_length=4096, allow_blank=True, default="")
    in_place = serializers.BooleanField(default=False)


class WentBackSerializer(serializers.Serializer):
    told = serializers.ListField(child=serializers.CharField())


class ReadIntoSerializer(serializers.Serializer):
    """How many textures and swatches came into the project, and how many lights of the rig are lit as in the scene."""

    textures = serializers.IntegerField()
    swatches = serializers.IntegerField()
    lights = serializers.IntegerField()


@extend_schema(responses=MigrationStepSerializer(many=True))
@api_view(["GET"])
def migration_steps(request: Request) -> Response:
    """The steps of plans."""
    listed = [
        {"key": each.key, "label": each.label, "does": each.does, "settings": each.described()} for each in steps()
    ]
    return Response(MigrationStepSerializer(listed, many=True).data)


@extend_schema(methods=["GET"], responses=OldSceneSerializer(many=True))
@extend_schema(methods=["POST"], request=ScenePlace, responses={201: OldSceneSerializer})
@api_view(["GET", "POST"])
@parser_classes([JSONParser])
def old_scenes(request: Request, slug: str) -> Response:
    """The scenes that a project has read, and one more of this machine."""
    project = project_named(slug)
    if request.method == "POST":
        made = operations.add_scene(project, parsed(request, ScenePlace)["place"])
        return Response(OldSceneSerializer(made).data, status=status.HTTP_201_CREATED)
    scenes = project.old_scenes.exclude(paths=[]).select_related("project__current", "job", "render")
    return Response(OldSceneSerializer(scenes, many=True).data)


@extend_schema(request=None, responses={201: OldSceneSerializer})
@api_view(["POST"])
def sent_scenes(request: Request, slug: str) -> Response:
    """Begin a scene whose files a browser sends."""
    made = operations.begin_sending(project_named(slug))
    return Response(OldSceneSerializer(made).data, status=status.HTTP_201_CREATED)


@extend_schema(request={"multipart/form-data": SceneUpload}, responses={204: None})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def sent_files(request: Request, slug: str, pk: int) -> Response:
    """Some of the files of a scene that is being sent."""
    asked = parsed(request, SceneUpload)
    if len(asked["path"]) != len(asked["file"]):
        raise BadInput("Each file needs its path.")
    operations.keep_sent(_named(slug, pk), dict(zip(asked["path"], asked["file"], strict=True)))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=OldSceneSerializer)
@api_view(["POST"])
def read_sent(request: Request, slug: str, pk: int) -> Response:
    """Read a scene all of whose files were sent."""
    return Response(OldSceneSerializer(operations.read_sent(_named(slug, pk))).data)


@extend_schema(methods=["GET"], responses=OldSceneSerializer)
@extend_schema(methods=["PATCH"], request=LightsRequest, responses=OldSceneSerializer)
@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["GET", "PATCH", "DELETE"])
def old_scene(request: Request, slug: str, pk: int) -> Response:
    """A scene; read again with a render that its lights are judged by; or forgotten: what was written to folders of the
    machine stays."""
    scene = _named(slug, pk)
    if request.method == "PATCH":
        wanted = parsed(request, LightsRequest)["render"]
        render = None if wanted is None else get_object_or_404(scene.project.renders, pk=wanted)
        operations.judge_lights_by(scene, render)
    if request.method == "DELETE":
        operations.remove_scene(scene)
        return Response(status=status.HTTP_204_NO_CONTENT)
    return Response(OldSceneSerializer(scene).data)


@extend_schema(request=PlanRequest, responses=OldSceneSerializer)
@api_view(["POST"])
def preview_migration(request: Request, slug: str, pk: int) -> Response:
    """Queue a dry run of a plan."""
    plan = plan_of(parsed(request, PlanRequest)["steps"])
    return Response(OldSceneSerializer(operations.preview(_named(slug, pk), plan)).data)


@extend_schema(request=MigrateRequest, responses=OldSceneSerializer)
@api_view(["POST"])
def migrate(request: Request, slug: str, pk: int) -> Response:
    """Queue a migration."""
    asked = parsed(request, MigrateRequest)
    plan = plan_of(asked["steps"])
    made = operations.migrate(_named(slug, pk), plan, asked["output"], in_place=asked["in_place"])
    return Response(OldSceneSerializer(made).data)


@extend_schema(request=None, responses=WentBackSerializer)
@api_view(["POST"])
def go_back(request: Request, slug: str, pk: int) -> Response:
    """Take a migration back."""
    return Response(WentBackSerializer({"told": operations.go_back(_named(slug, pk))}).data)


@extend_schema(request=None, responses=ReadIntoSerializer)
@api_view(["POST"])
def read_into(request: Request, slug: str, pk: int) -> Response:
    """Take a scene's textures and colours into the project."""
    return Response(ReadIntoSerializer(importing.read_into(_named(slug, pk), author_of(request))).data)


@extend_schema(responses=OpenApiResponse(OpenApiTypes.STR, "A page"))
@api_view(["GET"])
def migration_page(request: Request, slug: str, pk: int) -> HttpResponse:
    """The report as a page, complete in itself."""
    response = HttpResponse(page_of_scene(_named(slug, pk)), content_type="text/html; charset=utf-8")
    response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; img-src data:"
    return response


@extend_schema(responses=BINARY)
@api_view(["GET"])
def migration_json(request: Request, slug: str, pk: int) -> HttpResponse:
    """The report as JSON, from which `undo_migration` goes back."""
    scene = _named(slug, pk)
    if not (scene.report or scene.preview):
        raise Http404
    return download(operations.report_text(scene), "migration.json", "application/json")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def migration_picture(request: Request, slug: str, pk: int, name: str) -> HttpResponse:
    """A picture of the materials: before, after, or the difference."""
    file = _named(slug, pk).folder / f"{name}.png"
    if name not in (*operations.BALLS, *operations.FRAME) or not file.is_file():
        raise Http404
    response = HttpResponse(file.read_bytes(), content_type="image/png")
    response["Cache-Control"] = "no-cache"
    return response


@extend_schema(responses=BINARY)
@api_view(["GET"])
def migrated_files(request: Request, slug: str, pk: int) -> StreamingHttpResponse:
    """The outcome of a migration as a zip, with its report."""
    scene = _named(slug, pk)
    if not scene.report or scene.undone:
        raise Http404
    folder = Path(scene.report["written"]["folder"])
    files = {file["path"]: folder / file["path"] for file in scene.report["written"]["files"]}
    return as_zip(files, "migrated-scene", {"migration.json": operations.report_text(scene)})


def _named(slug: str, pk: int) -> OldScene:
    found = OldScene.objects.select_related("project__current", "job", "render")
    return get_object_or_404(found, project__slug=slug, pk=pk)
