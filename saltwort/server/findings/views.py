"""HTTP for findings, their fixes, and the page of codes."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.findings import LEVELS, codes
from saltwort.core.glossary import GLOSSARY
from saltwort.core.project import Dismissal
from saltwort.server.findings.fixes import apply_fix, dismiss, fix_all, fixes_together, restore
from saltwort.server.findings.operations import groups_of, own_findings, page_of
from saltwort.server.http import BasedOn, PageQuery, author_of, parsed
from saltwort.server.projects.serializers import ChangeSerializer, FindingSerializer
from saltwort.server.projects.views import project_named


class CodeSerializer(serializers.Serializer):
    code = serializers.CharField()
    level = serializers.CharField()
    meaning = serializers.CharField()
    guide = serializers.CharField()


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


class GroupSerializer(serializers.Serializer):
    """The findings of one cause."""

    code = serializers.CharField()
    level = serializers.CharField()
    count = serializers.IntegerField()
    title = serializers.CharField()


@extend_schema(responses=GroupSerializer(many=True))
@api_view(["GET"])
def finding_groups(request: Request, slug: str) -> Response:
    """The findings by their cause, worst first."""
    return Response(GroupSerializer(groups_of(project_named(slug)), many=True).data)


class CodeQuery(serializers.Serializer):
    code = serializers.CharField(max_length=60)


class TogetherSerializer(serializers.Serializer):
    """What fixing all findings of a code would do: by so many fixes, with the first changes. `left` findings stay."""

    fixes = serializers.IntegerField()
    changes = ChangeSerializer(many=True)
    others = serializers.IntegerField()
    left = serializers.IntegerField()


MOST_CHANGES = 200


@extend_schema(parameters=[CodeQuery], responses=TogetherSerializer)
@api_view(["GET"])
def fix_all_preview(request: Request, slug: str) -> Response:
    """What fixing all findings of a code would change. Nothing is saved."""
    together = fixes_together(project_named(slug), parsed(request, CodeQuery, query=True)["code"])
    told = {
        "fixes": len(together.fixes),
        "changes": together.changes[:MOST_CHANGES],
        "others": max(0, len(together.changes) - MOST_CHANGES) + sum(fix.others for fix in together.fixes),
        "left": together.left,
    }
    return Response(TogetherSerializer(told).data)


class FixAllRequest(CodeQuery, BasedOn):
    """All findings of a code, for the project as it stands at a revision."""


@extend_schema(request=FixAllRequest, responses={204: None})
@api_view(["POST"])
def fix_all_of_a_code(request: Request, slug: str) -> Response:
    fix_all(project_named(slug), **parsed(request, FixAllRequest), author=author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


class DismissRequest(BasedOn):
    """A finding, or without a subject all of its code, to be set aside for a reason."""

    code = serializers.CharField(max_length=60)
    subject = serializers.CharField(allow_blank=True, max_length=1024)
    title = serializers.CharField(max_length=200)
    reason = serializers.CharField(max_length=500)


class RestoreRequest(BasedOn):
    code = serializers.CharField(max_length=60)
    subject = serializers.CharField(allow_blank=True, max_length=1024)


@extend_schema(request=DismissRequest, responses={204: None})
@api_view(["POST"])
def dismiss_finding(request: Request, slug: str) -> Response:
    asked = parsed(request, DismissRequest)
    based_on = asked.pop("based_on")
    dismiss(project_named(slug), based_on, Dismissal(**asked, author=author_of(request)))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=RestoreRequest, responses={204: None})
@api_view(["POST"])
def restore_finding(request: Request, slug: str) -> Response:
    restore(project_named(slug), **parsed(request, RestoreRequest), author=author_of(request))
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
