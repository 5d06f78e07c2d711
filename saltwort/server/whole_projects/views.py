"""HTTP for projects as a whole."""

from tempfile import TemporaryFile

from django.db.models import Max
from django.http import FileResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.server.http import BINARY, parsed
from saltwort.server.projects.models import BaseConfig, Project
from saltwort.server.projects.operations import create_project
from saltwort.server.projects.serializers import ProjectNameSerializer, ProjectSerializer
from saltwort.server.projects.setups import BUILTIN, UPLOADED
from saltwort.server.projects.views import project_json, project_named
from saltwort.server.uploads import PlainFile
from saltwort.server.whole_projects import bundles as files
from saltwort.server.whole_projects import operations
from saltwort.server.whole_projects.manifests import write_bundle


class ProjectCard(serializers.Serializer):
    """A project in the list of all. `render` is its newest, null where it has none; `deleted` when it was, null for one
    that is there."""

    slug = serializers.CharField()
    name = serializers.CharField()
    revision = serializers.IntegerField()
    base = serializers.CharField()
    working_space = serializers.CharField()
    display = serializers.CharField()
    view = serializers.CharField()
    render = serializers.IntegerField(allow_null=True)
    changed = serializers.DateTimeField()
    archived = serializers.BooleanField()
    deleted = serializers.DateTimeField(allow_null=True)


class Archived(serializers.Serializer):
    archived = serializers.BooleanField()


class BundleQuery(serializers.Serializer):
    """With `images`, the files of textures come too."""

    images = serializers.BooleanField(default=False)


@extend_schema(methods=["GET"], responses=ProjectCard(many=True))
@extend_schema(methods=["POST"], request=ProjectNameSerializer, responses={201: ProjectSerializer})
@api_view(["GET", "POST"])
def projects(request: Request) -> Response:
    if request.method == "POST":
        project = create_project(parsed(request, ProjectNameSerializer)["name"])
        return Response(project_json(project), status=status.HTTP_201_CREATED)
    names = dict(BaseConfig.objects.values_list("pk", "name"))
    listed = Project.objects.select_related("current").annotate(render=Max("renders__pk")).order_by("-current__created")
    return Response(ProjectCard([_card(project, names) for project in listed], many=True).data)


def _card(project: Project, names: dict[str, str]) -> dict[str, object]:
    setup = project.current.setup
    return {
        **{name: getattr(project, name) for name in ("slug", "name", "archived", "deleted", "render")},
        "revision": project.current.number,
        "base": names.get(setup["base"].removeprefix(UPLOADED), setup["base"].removeprefix(BUILTIN)),
        "working_space": setup["working_space"],
        "display": setup["view"]["display"],
        "view": setup["view"]["view"],
        "changed": project.current.created,
    }


@extend_schema(request=ProjectNameSerializer, responses={204: None})
@api_view(["PUT"])
def rename(request: Request, slug: str) -> Response:
    operations.rename_project(project_named(slug), parsed(request, ProjectNameSerializer)["name"])
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=Archived, responses={204: None})
@api_view(["PUT"])
def archive(request: Request, slug: str) -> Response:
    operations.archive_project(project_named(slug), parsed(request, Archived)["archived"])
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=ProjectNameSerializer, responses={201: ProjectSerializer})
@api_view(["POST"])
def duplicate(request: Request, slug: str) -> Response:
    made = files.duplicate(project_named(slug), parsed(request, ProjectNameSerializer)["name"].strip())
    return Response(project_json(made), status=status.HTTP_201_CREATED)


@extend_schema(request=ProjectNameSerializer, responses={204: None})
@api_view(["POST"])
def delete(request: Request, slug: str) -> Response:
    """Delete a project whose name is typed; for a day it can be restored."""
    operations.delete_project(project_named(slug), parsed(request, ProjectNameSerializer)["name"])
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses={204: None})
@api_view(["POST"])
def restore(request: Request, slug: str) -> Response:
    operations.restore_project(get_object_or_404(Project.objects.exclude(deleted=None), slug=slug))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(parameters=[BundleQuery], responses=BINARY)
@api_view(["GET"])
def bundle_file(request: Request, slug: str) -> FileResponse:
    """The project in one file."""
    project = project_named(slug)
    packed = TemporaryFile()  # noqa: SIM115, the response closes it
    write_bundle(project, packed, with_images=parsed(request, BundleQuery, query=True)["images"])
    packed.seek(0)
    name = f"{slug}-r{project.current.number}-bundle.zip"
    return FileResponse(packed, as_attachment=True, filename=name, content_type="application/zip")


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: ProjectSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def bundles(request: Request) -> Response:
    """Make a project of a bundle."""
    upload = parsed(request, PlainFile)["file"]
    made = files.read_bundle(upload, upload.name)
    return Response(project_json(made), status=status.HTTP_201_CREATED)
