"""HTTP for what the config of a project holds, does and is exported as."""

from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import (
    VERSIONS,
    Comparison,
    builtin_configs,
    compare,
    explain_space,
    follow,
    packed,
    read_archive,
)
from saltwort.core.configs.additions import CURVES, OWN_LOOKS, known_interop_ids
from saltwort.core.configs.edits import ENCODINGS
from saltwort.core.configs.explain import SpaceReport
from saltwort.core.configs.export import check_suffix
from saltwort.core.configs.folders import read_config_at
from saltwort.core.configs.untried import compare_apart
from saltwort.core.engine import ViewChoice
from saltwort.core.spaces.diagram import POINTER_GAMUT
from saltwort.core.spaces.gamuts import KNOWN_GAMUTS
from saltwort.core.spaces.observer import spectral_locus
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.views import view_families
from saltwort.server.http import BINARY, download, finite, parsed
from saltwort.server.projects.config_serializers import (
    BuiltinSerializer,
    CompareRequest,
    ConfigComparisonSerializer,
    DiagramSerializer,
    FamiliesSerializer,
    FollowedSerializer,
    FollowQuery,
    PathRequest,
    SpaceQuery,
    SpaceReportSerializer,
    point_json,
    primaries_json,
)
from saltwort.server.projects.operations import config_name
from saltwort.server.projects.setups import (
    archive_of,
    config_of,
    named_archive,
)
from saltwort.server.projects.views import project_named
from saltwort.server.uploads import PlainFile, read_upload


@extend_schema(responses=BuiltinSerializer(many=True))
@api_view(["GET"])
def builtins(request: Request) -> Response:
    return Response(BuiltinSerializer(builtin_configs(), many=True).data)


@extend_schema(responses=FamiliesSerializer)
@api_view(["GET"])
def offered_families(request: Request) -> Response:
    offered = {
        "families": view_families().values(),
        "designed": [
            {
                "key": family.key,
                "label": family.label,
                "parameters": family.parameters,
                "design": family.own_design,
                "presets": family.presets,
            }
            for family in view_families().values()
            if family.own_design is not None
        ],
        "gamuts": KNOWN_GAMUTS,
        "looks": OWN_LOOKS,
        "curves": [{"key": key, "label": curve.label} for key, curve in CURVES.items()],
        "interop_ids": [{"key": key, "label": called} for key, called in known_interop_ids().items()],
        "encodings": ENCODINGS,
        "versions": VERSIONS,
    }
    return Response(FamiliesSerializer(offered).data)


@extend_schema(parameters=[SpaceQuery], responses=SpaceReportSerializer)
@api_view(["GET"])
def space(request: Request, slug: str) -> Response:
    config = config_of(project_named(slug).current)
    report = explain_space(config, parsed(request, SpaceQuery, query=True)["name"])
    return Response(SpaceReportSerializer(_report(report)).data)


@extend_schema(parameters=[FollowQuery], responses=FollowedSerializer(many=True))
@api_view(["GET"])
def followed(request: Request, slug: str) -> Response:
    asked = parsed(request, FollowQuery, query=True)
    typed = TypedColour(asked["space"], asked["unit"], asked["text"])
    if "to" in asked:
        target: str | ViewChoice = asked["to"]
    else:
        target = ViewChoice(asked.get("display", ""), asked.get("view", ""), asked["look"])
    rows = follow(config_of(project_named(slug).current), typed, target)
    return Response([{"text": row.text, "values": finite(row.values)} for row in rows])


@extend_schema(responses=DiagramSerializer)
@api_view(["GET"])
def diagram(request: Request) -> Response:
    ground = {
        "locus": [point_json(xy) for xy in spectral_locus().tolist()],
        "pointer": [point_json(xy) for xy in POINTER_GAMUT],
    }
    return Response(DiagramSerializer(ground).data)


@extend_schema(request=CompareRequest, responses=ConfigComparisonSerializer)
@api_view(["POST"])
def compare_configs(request: Request, slug: str) -> Response:
    """Any two configs that the project knows, compared by what they do."""
    project, asked = project_named(slug), parsed(request, CompareRequest)
    first, second = (named_archive(project, asked[side]) for side in ("first", "second"))
    return Response(comparison_json(compare(first, second)))


@extend_schema(request={"multipart/form-data": PlainFile}, responses=ConfigComparisonSerializer)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def compare_file(request: Request, slug: str) -> Response:
    """The project's config and the one that an application uses: is it the same?"""
    project, upload = project_named(slug), parsed(request, PlainFile)["file"]
    brought = read_archive(read_upload(upload), upload.name)
    return Response(comparison_json(compare_apart(archive_of(project.current), brought, upload.name)))


@extend_schema(request=PathRequest, responses=ConfigComparisonSerializer)
@api_view(["POST"])
def compare_path(request: Request, slug: str) -> Response:
    """The project's config and the one at a path of this machine."""
    project, path = project_named(slug), parsed(request, PathRequest)["path"]
    brought = read_config_at(path, settings.READABLE_FOLDERS)
    return Response(comparison_json(compare_apart(archive_of(project.current), brought, path)))


@extend_schema(responses=BINARY)
@api_view(["GET"])
def export(request: Request, slug: str, kind: str) -> HttpResponse:
    project = project_named(slug)
    archive = archive_of(project.current)
    check_suffix(archive, f".{kind}")
    return download(
        packed(archive),
        f"{config_name(project)}.{kind}",
        "application/zip",
    )


def comparison_json(comparison: Comparison) -> dict[str, Any]:
    rows = [
        {**asdict(row), **dict(zip(("largest", "mean"), finite((row.largest, row.mean)), strict=True))}
        for row in comparison.differences
    ]
    return ConfigComparisonSerializer({"verdict": comparison.verdict, "differences": rows}).data


def _report(report: SpaceReport) -> dict[str, Any]:
    return {
        "steps": report.steps,
        "primaries": report.primaries and primaries_json(report.primaries),
        "curve": [finite(pair) for pair in report.curve],
        "remark": report.remark,
    }
