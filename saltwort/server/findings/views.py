"""HTTP for findings, their fixes, and the page of codes."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.findings import codes
from saltwort.server.findings.operations import apply_fix, findings_of
from saltwort.server.http import BasedOn, author_of, parsed
from saltwort.server.projects.serializers import FindingSerializer
from saltwort.server.projects.views import project_named


class CodeSerializer(serializers.Serializer):
    code = serializers.CharField()
    level = serializers.CharField()
    meaning = serializers.CharField()


class FixRequest(BasedOn):
    """A fix, for the project as it stands at a revision."""

    operation = serializers.CharField()
    arguments = serializers.DictField(child=serializers.CharField(allow_blank=True))


@extend_schema(responses=FindingSerializer(many=True))
@api_view(["GET"])
def findings(request: Request, slug: str) -> Response:
    return Response(FindingSerializer(findings_of(project_named(slug)), many=True).data)


@extend_schema(request=FixRequest, responses={204: None})
@api_view(["POST"])
def fix(request: Request, slug: str) -> Response:
    apply_fix(project_named(slug), **parsed(request, FixRequest), author=author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=CodeSerializer(many=True))
@api_view(["GET"])
def finding_codes(request: Request) -> Response:
    return Response(CodeSerializer(codes(), many=True).data)
