"""HTTP for bringing textures in."""

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.server.http import author_of, parsed
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.projects.views import project_named
from saltwort.server.textures import intake
from saltwort.server.textures.models import Intake, TextureFolder
from saltwort.server.textures.serializers import (
    FolderRequest,
    FolderSerializer,
    IntakeSerializer,
    IntakeStart,
    IntakeUpload,
)


@extend_schema(request=None, responses={204: None})
@api_view(["POST"])
def samples(request: Request, slug: str) -> Response:
    """Add a small set of made-up textures, to try things on."""
    intake.add_samples(project_named(slug), author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses={201: IntakeSerializer})
@api_view(["POST"])
def intakes(request: Request, slug: str) -> Response:
    begun = intake.begin_upload(project_named(slug))
    return Response(IntakeSerializer(begun).data, status=status.HTTP_201_CREATED)


@extend_schema(request={"multipart/form-data": IntakeUpload}, responses={204: None})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def intake_files(request: Request, slug: str, pk: int) -> Response:
    asked = parsed(request, IntakeUpload)
    for path, file in zip(asked["path"], asked["file"], strict=True):
        intake.receive(_intake(slug, pk), path, file)
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=serializers.ListSerializer(child=serializers.CharField()))
@api_view(["GET"])
def intake_taken(request: Request, slug: str, pk: int) -> Response:
    """Which textures of the project the files that were sent would replace, by path, those in zips too."""
    return Response(sorted(intake.taken_in(_intake(slug, pk))))


@extend_schema(request=IntakeStart, responses=JobSerializer)
@api_view(["POST"])
def start(request: Request, slug: str, pk: int) -> Response:
    taken = parsed(request, IntakeStart)["taken"]
    return Response(JobSerializer(intake.start_intake(_intake(slug, pk), author_of(request), taken)).data)


@extend_schema(methods=["GET"], responses=FolderSerializer(many=True))
@extend_schema(methods=["POST"], request=FolderRequest, responses={201: JobSerializer})
@api_view(["GET", "POST"])
def folders(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        job = intake.add_folder(project, parsed(request, FolderRequest)["place"], author_of(request))
        return Response(JobSerializer(job).data, status=status.HTTP_201_CREATED)
    return Response(FolderSerializer(intake.folders_with_files(project), many=True).data)


@extend_schema(request=None, responses={204: None})
@api_view(["DELETE"])
def folder(request: Request, slug: str, pk: int) -> Response:
    intake.remove_folder(_folder(slug, pk), author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses=JobSerializer)
@api_view(["POST"])
def look_again(request: Request, slug: str, pk: int) -> Response:
    return Response(JobSerializer(intake.look_again(_folder(slug, pk), author_of(request))).data)


def _intake(slug: str, pk: int) -> Intake:
    return get_object_or_404(Intake.objects.select_related("project"), project__slug=slug, pk=pk)


def _folder(slug: str, pk: int) -> TextureFolder:
    return get_object_or_404(TextureFolder.objects.select_related("project"), project__slug=slug, pk=pk)
