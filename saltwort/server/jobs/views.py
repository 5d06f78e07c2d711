"""HTTP for background work."""

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.errors import DiskFull
from saltwort.server.jobs.models import CANCELLED, DONE, FAILED, QUEUED, RUNNING, Job
from saltwort.server.jobs.operations import cancel, disk_is_full
from saltwort.server.projects.views import project_named

SHOWN = 20


class JobSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    title = serializers.CharField()
    state = serializers.ChoiceField(choices=[QUEUED, RUNNING, DONE, FAILED, CANCELLED])
    share = serializers.FloatField()
    message = serializers.CharField(allow_blank=True)
    created = serializers.DateTimeField()
    ended = serializers.DateTimeField(allow_null=True)


@extend_schema(responses=JobSerializer(many=True))
@api_view(["GET"])
def jobs(request: Request, slug: str) -> Response:
    listed = list(project_named(slug).jobs.all()[:SHOWN])
    if disk_is_full():
        for job in listed:
            job.message = job.message or (str(DiskFull()) if job.state in (QUEUED, RUNNING) else "")
    return Response(JobSerializer(listed, many=True).data)


@extend_schema(request=None, responses=JobSerializer)
@api_view(["POST"])
def cancel_job(request: Request, slug: str, pk: int) -> Response:
    return Response(JobSerializer(cancel(get_object_or_404(Job, project__slug=slug, pk=pk))).data)
