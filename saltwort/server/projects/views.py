"""HTTP for projects: list, setup, revisions, tracer, config and its export."""

from dataclasses import asdict, replace
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.errors import BadInput
from saltwort.core.project import Setup, write_setup
from saltwort.core.project.colour_path import Joint, trace
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.history.operations import last_done, last_undone
from saltwort.server.http import BasedOn, author_of, finite, parsed
from saltwort.server.projects import operations
from saltwort.server.projects.config_serializers import (
    BaseSerializer,
)
from saltwort.server.projects.models import Project
from saltwort.server.projects.serializers import (
    ActionSerializer,
    AddedLookSerializer,
    JointSerializer,
    ProjectSerializer,
    ReturnTo,
    RevisionSerializer,
    TracerChange,
)
from saltwort.server.projects.setups import (
    UPLOADED,
    config_of,
    current_setup,
)
from saltwort.server.uploads import PlainFile, read_upload


def project_named(slug: str) -> Project:
    """The project of a URL, with its current revision."""
    return get_object_or_404(Project.objects.select_related("current"), slug=slug, deleted=None)


@extend_schema(responses=ProjectSerializer)
@api_view(["GET"])
def project(request: Request, slug: str) -> Response:
    return Response(project_json(project_named(slug)))


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: AddedLookSerializer(many=True)})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def look_file(request: Request, slug: str) -> Response:
    """The looks of a file, to be named and added to the setup."""
    project_named(slug)
    upload = parsed(request, PlainFile)["file"]
    looks = operations.keep_looks(upload.name, read_upload(upload))
    return Response(AddedLookSerializer(looks, many=True).data, status=status.HTTP_201_CREATED)


@extend_schema(request=BasedOn, responses=ActionSerializer)
@api_view(["POST"])
def undo(request: Request, slug: str) -> Response:
    """Take back the last thing done, which `based_on` names by its id."""
    undone = operations.undo(project_named(slug), parsed(request, BasedOn)["based_on"], author_of(request))
    return Response(ActionSerializer(undone).data)


@extend_schema(request=BasedOn, responses=ActionSerializer)
@api_view(["POST"])
def redo(request: Request, slug: str) -> Response:
    """Do again what was undone last, which `based_on` names by its id."""
    done = operations.redo(project_named(slug), parsed(request, BasedOn)["based_on"], author_of(request))
    return Response(ActionSerializer(done).data)


@extend_schema(methods=["GET"], responses=RevisionSerializer(many=True))
@extend_schema(methods=["POST"], request=ReturnTo, responses=ProjectSerializer)
@api_view(["GET", "POST"])
def revisions(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, ReturnTo)
        return Response(
            project_json(operations.return_to(project, asked["based_on"], asked["number"], author_of(request)))
        )
    return Response(RevisionSerializer(project.revisions.defer("text"), many=True).data)


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: BaseSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def base(request: Request, slug: str) -> Response:
    """Import a config for the setup to start from. The setup itself is not changed yet."""
    project_named(slug)
    upload = parsed(request, PlainFile)["file"]
    kept = operations.bring_config(upload.name, read_upload(upload))
    found = {"base": UPLOADED + kept.sha256, "name": kept.name}
    return Response(BaseSerializer(found).data, status=status.HTTP_201_CREATED)


@extend_schema(request=TracerChange, responses=ProjectSerializer)
@api_view(["PUT"])
def tracer(request: Request, slug: str) -> Response:
    asked = parsed(request, TracerChange)
    typed = TypedColour(asked["space"], asked["unit"], asked["text"])
    return Response(
        project_json(operations.set_tracer(project_named(slug), asked["based_on"], typed, author_of(request)))
    )


@extend_schema(responses=JointSerializer(many=True))
@api_view(["GET"])
def path(request: Request, slug: str) -> Response:
    project = project_named(slug)
    config, typed = config_of(project.current), project.tracer
    if config.getColorSpace(typed.space) is None:  # the tracer outlives the config it was typed for
        typed = replace(typed, space=current_setup(project).default_space)
    return Response([_joint(joint) for joint in trace(config, typed, current_setup(project).view)])


def project_json(project: Project) -> dict[str, Any]:
    """All that the screen shows of a project and its current revision."""
    tracer = {**asdict(project.tracer), "version": project.version}
    spaces, problem = _spaces_or_problem(project)
    return ProjectSerializer(
        {
            "slug": project.slug,
            "name": project.name,
            "revision": project.current,
            "moved_by": project.moved_by,
            "problem": problem,
            "undo": last_done(project),
            "redo": last_undone(project),
            "setup": _setup(current_setup(project)),
            "strip": {
                "spaces": spaces,
                "textures": project.textures.count(),
                "stations": project.stations.count(),
                "outputs": project.outputs.exclude(facts=None).count(),
            },
            "tracer": tracer,
        }
    ).data


def _spaces_or_problem(project: Project) -> tuple[int, str]:
    """How many spaces the config offers; or none, with the reason why the config does not load any more."""
    try:
        return len(config_of(project.current).getColorSpaceNames()), ""
    except BadInput as error:
        return 0, str(error)


def _setup(setup: Setup) -> dict[str, Any]:
    return {
        **write_setup(setup),
        "roles": [{"role": role, "space": space} for role, space in setup.roles],
        "kind_words": [{"word": word, "kind": kind} for word, kind in setup.kind_words],
    }


def _joint(joint: Joint) -> dict[str, Any]:
    return JointSerializer({**asdict(joint), "values": finite(joint.values)}).data
