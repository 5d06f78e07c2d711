"""HTTP for renders that are sequences."""

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.server.http import author_of, parsed
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.projects.views import project_named
from saltwort.server.scene import sequences
from saltwort.server.scene.render_views import render_json, render_named
from saltwort.server.scene.serializers import FrameSerializer, RenderSerializer, SequenceRequest
from saltwort.server.textures.models import Intake


@extend_schema(request=SequenceRequest, responses={201: RenderSerializer(many=True)})
@api_view(["POST"])
def import_sequences(request: Request, slug: str) -> Response:
    """Add what lies in a folder of this machine, or was sent, as sequences; a job reads the frames."""
    project, asked = project_named(slug), parsed(request, SequenceRequest)
    if "place" in asked:
        renders = sequences.add_folder(project, asked["place"], author_of(request))
    else:
        intake = get_object_or_404(Intake, project=project, pk=asked["intake"])
        renders = sequences.add_sent(project, intake, author_of(request))
    return Response([render_json(render) for render in renders], status=status.HTTP_201_CREATED)


@extend_schema(responses=FrameSerializer(many=True))
@api_view(["GET"])
def frames(request: Request, slug: str, pk: int) -> Response:
    return Response(FrameSerializer(sequences.frames_of(render_named(slug, pk)), many=True).data)


@extend_schema(request=None, responses=JobSerializer)
@api_view(["POST"])
def look_again(request: Request, slug: str, pk: int) -> Response:
    """Read what is new or changed in the folder of a sequence."""
    return Response(JobSerializer(sequences.look_again(render_named(slug, pk), author_of(request))).data)
