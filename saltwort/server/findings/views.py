"""HTTP for findings, their fixes, and the page of codes."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.findings import LEVELS, codes
from saltwort.core.glossary import GLOSSARY
from saltwort.server.findings.operations import apply_fix, own_findings, page_of
from saltwort.server.http import BasedOn, PageQuery, author_of, parsed
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


class FindingsQuery(PageQuery):
    """Which findings are wanted; without any of these, all. A code may be given by its beginning."""

    level = serializers.ChoiceField(choices=list(LEVELS), default="")
    code = serializers.CharField(default="", max_length=60)
    subject = serializers.CharField(default="", max_length=1024)
    limit = serializers.IntegerField(default=50, min_value=1, max_value=200)


class CountsSerializer(serializers.Serializer):
    blocker = serializers.IntegerField()
    caution = serializers.IntegerField()
    note = serializers.IntegerField()


class FindingPageSerializer(serializers.Serializer):
    """Some of the findings asked for, worst first. `counts` are those of the whole project, `total` of what was asked
    for, `unchecked` the files that are still to be checked."""

    counts = CountsSerializer()
    total = serializers.IntegerField()
    unchecked = serializers.IntegerField()
    findings = FindingSerializer(many=True)


@extend_schema(parameters=[FindingsQuery], responses=FindingPageSerializer)
@api_view(["GET"])
def findings(request: Request, slug: str) -> Response:
    page = page_of(project_named(slug), **parsed(request, FindingsQuery, query=True))
    return Response(FindingPageSerializer(page).data)


@extend_schema(responses=FindingSerializer(many=True))
@api_view(["GET"])
def findings_of_no_texture(request: Request, slug: str) -> Response:
    return Response(FindingSerializer(own_findings(project_named(slug)), many=True).data)


@extend_schema(request=FixRequest, responses={204: None})
@api_view(["POST"])
def fix(request: Request, slug: str) -> Response:
    apply_fix(project_named(slug), **parsed(request, FixRequest), author=author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=CodeSerializer(many=True))
@api_view(["GET"])
def finding_codes(request: Request) -> Response:
    return Response(CodeSerializer(codes(), many=True).data)


class TermSerializer(serializers.Serializer):
    term = serializers.CharField()
    meaning = serializers.CharField()


@extend_schema(responses=TermSerializer(many=True))
@api_view(["GET"])
def glossary(request: Request) -> Response:
    """The words of the screen, and what they mean."""
    return Response(TermSerializer(GLOSSARY, many=True).data)
