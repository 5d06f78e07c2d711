"""HTTP for projects: list, setup, revisions, tracer, config and its export."""

from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.colour_path import Joint, trace
from saltwort.core.configs import (
    VERSIONS,
    Comparison,
    Setup,
    Trim,
    builtin_configs,
    compare,
    describe,
    environment_lines,
    explain_space,
    follow,
    packed,
    read_archive,
)
from saltwort.core.configs.additions import CURVES, OWN_LOOKS, known_interop_ids
from saltwort.core.configs.archives import MAX_UNPACKED_BYTES
from saltwort.core.configs.edits import ENCODINGS
from saltwort.core.configs.explain import SpaceReport
from saltwort.core.configs.folders import read_config_at
from saltwort.core.configs.setup import with_space_edits
from saltwort.core.configs.trial import try_config
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.spaces.diagram import POINTER_GAMUT, SPECTRAL_LOCUS, xy_to_uv
from saltwort.core.spaces.gamuts import KNOWN_GAMUTS
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.kinds import MAP_KINDS
from saltwort.core.views import FAMILIES, AddedView, aces_renderings
from saltwort.server.http import BINARY, BasedOn, author_of, download, finite, parsed
from saltwort.server.projects import operations, previews, trimming
from saltwort.server.projects.models import BaseConfig, Project
from saltwort.server.projects.operations import revision_name
from saltwort.server.projects.serializers import (
    AddedLookSerializer,
    BaseSerializer,
    BuiltinSerializer,
    ChangePreviewSerializer,
    CompareRequest,
    ConfigComparisonSerializer,
    ConfigSerializer,
    DiagramSerializer,
    FamiliesSerializer,
    FollowedSerializer,
    FollowQuery,
    JointSerializer,
    PathRequest,
    ProjectNameSerializer,
    ProjectSerializer,
    ReturnTo,
    RevisionSerializer,
    SetupChange,
    SetupParts,
    SpaceQuery,
    SpaceReportSerializer,
    TargetVersionQuery,
    TracerChange,
    TrimChoicesSerializer,
    TrimPreviewSerializer,
    TrimSerializer,
)
from saltwort.server.projects.setups import (
    BUILTIN,
    UPLOADED,
    archive_of,
    config_of,
    current_setup,
    edit_from_json,
    look_from_json,
    named_archive,
    rule_from_json,
    space_from_json,
)
from saltwort.server.projects.trimming import used_by
from saltwort.server.uploads import PlainFile


def project_named(slug: str) -> Project:
    """The project of a URL, with its current revision."""
    return get_object_or_404(Project.objects.select_related("current"), slug=slug)


@extend_schema(methods=["GET"], responses=ProjectNameSerializer(many=True))
@extend_schema(methods=["POST"], request=ProjectNameSerializer, responses={201: ProjectSerializer})
@api_view(["GET", "POST"])
def projects(request: Request) -> Response:
    if request.method == "POST":
        project = operations.create_project(parsed(request, ProjectNameSerializer)["name"])
        return Response(_project(project), status=status.HTTP_201_CREATED)
    return Response(ProjectNameSerializer(Project.objects.order_by("name"), many=True).data)


@extend_schema(responses=ProjectSerializer)
@api_view(["GET"])
def project(request: Request, slug: str) -> Response:
    return Response(_project(project_named(slug)))


@extend_schema(request=SetupChange, responses=ProjectSerializer)
@api_view(["POST"])
def setup(request: Request, slug: str) -> Response:
    asked = parsed(request, SetupChange)
    return Response(
        _project(
            operations.change_setup(
                project_named(slug),
                asked["based_on"],
                asked["message"],
                lambda setup: _changed(setup, asked),
                author_of(request),
            )
        )
    )


@extend_schema(request=SetupParts, responses=ChangePreviewSerializer)
@api_view(["POST"])
def setup_preview(request: Request, slug: str) -> Response:
    """What a change would do. Nothing is saved."""
    asked = parsed(request, SetupParts)
    found = previews.preview_change(project_named(slug), lambda setup: _changed(setup, asked))
    return Response(ChangePreviewSerializer(found).data)


@extend_schema(parameters=[TargetVersionQuery], responses=ConfigComparisonSerializer)
@api_view(["GET"])
def target_differences(request: Request, slug: str) -> Response:
    """How far the colours of a config written for an OCIO version are from what they are now."""
    version = parsed(request, TargetVersionQuery, query=True)["version"]
    return Response(_comparison(previews.target_differences(project_named(slug), version)))


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: AddedLookSerializer(many=True)})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def look_file(request: Request, slug: str) -> Response:
    """The looks of a file, to be named and added to the setup."""
    project_named(slug)
    upload = parsed(request, PlainFile)["file"]
    looks = operations.keep_looks(upload.name, _read_config(upload))
    return Response(AddedLookSerializer(looks, many=True).data, status=status.HTTP_201_CREATED)


@extend_schema(request=BasedOn, responses=ProjectSerializer)
@api_view(["POST"])
def undo(request: Request, slug: str) -> Response:
    return Response(_project(operations.undo(project_named(slug), parsed(request, BasedOn)["based_on"])))


@extend_schema(request=BasedOn, responses=ProjectSerializer)
@api_view(["POST"])
def redo(request: Request, slug: str) -> Response:
    return Response(_project(operations.redo(project_named(slug), parsed(request, BasedOn)["based_on"])))


@extend_schema(methods=["GET"], responses=RevisionSerializer(many=True))
@extend_schema(methods=["POST"], request=ReturnTo, responses=ProjectSerializer)
@api_view(["GET", "POST"])
def revisions(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, ReturnTo)
        return Response(_project(operations.return_to(project, asked["based_on"], asked["number"])))
    return Response(RevisionSerializer(project.revisions.defer("text"), many=True).data)


@extend_schema(request={"multipart/form-data": PlainFile}, responses={201: BaseSerializer})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def base(request: Request, slug: str) -> Response:
    """Bring a config for the setup to start from. The setup itself is not changed yet."""
    project_named(slug)
    upload = parsed(request, PlainFile)["file"]
    kept = operations.bring_config(upload.name, _read_config(upload))
    found = {"base": UPLOADED + kept.sha256, "name": kept.name}
    return Response(BaseSerializer(found).data, status=status.HTTP_201_CREATED)


@extend_schema(responses=BuiltinSerializer(many=True))
@api_view(["GET"])
def builtins(request: Request) -> Response:
    return Response(BuiltinSerializer(builtin_configs(), many=True).data)


@extend_schema(responses=FamiliesSerializer)
@api_view(["GET"])
def view_families(request: Request) -> Response:
    renderings = [{"name": name, "description": text} for name, text in aces_renderings().items()]
    offered = {
        "families": FAMILIES.values(),
        "aces_renderings": renderings,
        "gamuts": KNOWN_GAMUTS,
        "looks": OWN_LOOKS,
        "curves": [{"key": key, "label": curve.label} for key, curve in CURVES.items()],
        "interop_ids": [{"key": key, "label": called} for key, called in known_interop_ids().items()],
        "encodings": ENCODINGS,
        "versions": VERSIONS,
    }
    return Response(FamiliesSerializer(offered).data)


@extend_schema(request=TracerChange, responses=ProjectSerializer)
@api_view(["PUT"])
def tracer(request: Request, slug: str) -> Response:
    asked = parsed(request, TracerChange)
    typed = TypedColour(asked["space"], asked["unit"], asked["text"])
    return Response(_project(operations.set_tracer(project_named(slug), asked["based_on"], typed)))


@extend_schema(responses=JointSerializer(many=True))
@api_view(["GET"])
def path(request: Request, slug: str) -> Response:
    project = project_named(slug)
    config, typed = config_of(project.current), project.tracer
    if config.getColorSpace(typed.space) is None:  # the tracer outlives the config it was typed for
        typed = replace(typed, space=current_setup(project).default_space)
    return Response([_joint(joint) for joint in trace(config, typed, current_setup(project).view)])


@extend_schema(responses=ConfigSerializer)
@api_view(["GET"])
def config(request: Request, slug: str) -> Response:
    project = project_named(slug)
    name = revision_name(project, project.current.number)
    described = {
        **asdict(describe(config_of(project.current))),
        "base": _base_name(current_setup(project).base),
        "used_spaces": used_by(project).spaces,
        "map_kinds": MAP_KINDS.values(),
        "export_name": name,
        "environment": environment_lines(f"/path/to/{name}.ocioz"),
    }
    return Response(ConfigSerializer(described).data)


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
    ground = {"locus": [_point(xy) for _, *xy in SPECTRAL_LOCUS], "pointer": [_point(xy) for xy in POINTER_GAMUT]}
    return Response(DiagramSerializer(ground).data)


@extend_schema(request=CompareRequest, responses=ConfigComparisonSerializer)
@api_view(["POST"])
def compare_configs(request: Request, slug: str) -> Response:
    """Any two configs that the project knows, compared by what they do."""
    project, asked = project_named(slug), parsed(request, CompareRequest)
    first, second = (named_archive(project, asked[side]) for side in ("first", "second"))
    return Response(_comparison(compare(first, second)))


@extend_schema(request={"multipart/form-data": PlainFile}, responses=ConfigComparisonSerializer)
@api_view(["POST"])
@parser_classes([MultiPartParser])
def compare_file(request: Request, slug: str) -> Response:
    """The project's config and the one that an application uses: is it the same?"""
    project, upload = project_named(slug), parsed(request, PlainFile)["file"]
    brought = read_archive(_read_config(upload), upload.name)
    try_config(brought, upload.name)
    return Response(_comparison(compare(archive_of(project.current), brought)))


@extend_schema(request=PathRequest, responses=ConfigComparisonSerializer)
@api_view(["POST"])
def compare_path(request: Request, slug: str) -> Response:
    """The project's config and the one at a path of this machine."""
    project, path = project_named(slug), parsed(request, PathRequest)["path"]
    brought = read_config_at(path, settings.READABLE_FOLDERS)
    try_config(brought, path)
    return Response(_comparison(compare(archive_of(project.current), brought)))


@extend_schema(methods=["GET"], responses=TrimChoicesSerializer)
@extend_schema(methods=["POST"], request=TrimSerializer, responses=TrimPreviewSerializer)
@api_view(["GET", "POST"])
def trim(request: Request, slug: str) -> Response:
    """What there is to pick; and with a pick, what it would give. Nothing is saved."""
    project = project_named(slug)
    if request.method == "POST":
        found = asdict(trimming.preview(project, _trim(parsed(request, TrimSerializer))))
        (found["proof"]["largest"],) = finite([found["proof"]["largest"]])
        return Response(TrimPreviewSerializer(found).data)
    return Response(TrimChoicesSerializer(trimming.choices(project)).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def export(request: Request, slug: str, kind: str) -> HttpResponse:
    project = project_named(slug)
    return download(
        packed(archive_of(project.current)),
        f"{revision_name(project, project.current.number)}.{kind}",
        "application/zip",
    )


def _changed(setup: Setup, asked: dict[str, Any]) -> Setup:
    if "base" in asked and asked["base"] != setup.base:
        setup = operations.start_from(setup, asked["base"])
    changes: dict[str, Any] = {name: asked[name] for name in ("working_space", "default_space") if name in asked}
    if "view" in asked:
        changes["view"] = ViewChoice(**asked["view"])
    if "rules" in asked:
        changes["rules"] = tuple(rule_from_json(rule) for rule in asked["rules"])
    if "added_views" in asked:
        changes["added_views"] = tuple(AddedView(**view) for view in asked["added_views"])
    if "added_spaces" in asked:
        changes["added_spaces"] = tuple(map(space_from_json, asked["added_spaces"]))
    if "added_looks" in asked:
        changes["added_looks"] = tuple(map(look_from_json, asked["added_looks"]))
    if "roles" in asked:
        changes["roles"] = tuple((choice["role"], choice["space"]) for choice in asked["roles"])
    if "displays" in asked:
        changes["displays"] = tuple(asked["displays"])
    if "views" in asked:
        changes["views"] = tuple(asked["views"])
    if "target_version" in asked:
        changes["target_version"] = asked["target_version"]
    if "kind_words" in asked:
        changes["kind_words"] = tuple((said["word"], said["kind"]) for said in asked["kind_words"])
    if "space_edits" in asked:
        setup = with_space_edits(setup, tuple(map(edit_from_json, asked["space_edits"])))
    if "trim" in asked:
        changes["trim"] = asked["trim"] and _trim(asked["trim"])
    return replace(setup, **changes)


def _trim(asked: dict[str, Any]) -> Trim:
    views = tuple(ViewChoice(**view) for view in asked["views"])
    return Trim(tuple(asked["spaces"]), views, tuple(asked["looks"]))


def _project(project: Project) -> dict[str, Any]:
    tracer = {**asdict(project.tracer), "version": project.version}
    return ProjectSerializer(
        {
            "slug": project.slug,
            "name": project.name,
            "revision": project.current,
            "can_undo": project.current.parent_id is not None,
            "can_redo": project.current.children.exists(),
            "setup": _setup(current_setup(project)),
            "strip": {
                "spaces": len(config_of(project.current).getColorSpaceNames()),
                "textures": project.textures.count(),
                "stations": project.stations.count(),
                "outputs": project.outputs.exclude(facts=None).count(),
            },
            "tracer": tracer,
        }
    ).data


def _read_config(upload: UploadedFile) -> bytes:
    if upload.size > MAX_UNPACKED_BYTES:
        raise BadInput(f"{upload.name} is larger than {MAX_UNPACKED_BYTES // 1_000_000} MB, too large for a config.")
    return upload.read()


def _comparison(comparison: Comparison) -> dict[str, Any]:
    rows = [
        {**asdict(row), **dict(zip(("largest", "mean"), finite((row.largest, row.mean)), strict=True))}
        for row in comparison.differences
    ]
    return ConfigComparisonSerializer({"verdict": comparison.verdict, "differences": rows}).data


def _setup(setup: Setup) -> dict[str, Any]:
    return {
        **asdict(setup),
        "roles": [{"role": role, "space": space} for role, space in setup.roles],
        "kind_words": [{"word": word, "kind": kind} for word, kind in setup.kind_words],
    }


def _joint(joint: Joint) -> dict[str, Any]:
    return JointSerializer({**asdict(joint), "values": finite(joint.values)}).data


def _report(report: SpaceReport) -> dict[str, Any]:
    primaries = report.primaries
    return {
        "steps": report.steps,
        "primaries": primaries
        and {
            "known": primaries.known,
            **{name: _point(getattr(primaries, name)) for name in ("red", "green", "blue", "white")},
        },
        "curve": [finite(pair) for pair in report.curve],
        "remark": report.remark,
    }


def _point(xy: Sequence[float]) -> dict[str, Any]:
    return {"xy": xy, "uv": xy_to_uv((xy[0], xy[1]))}


def _base_name(base: str) -> str:
    if base.startswith(UPLOADED):
        return BaseConfig.objects.get(sha256=base.removeprefix(UPLOADED)).name
    return base.removeprefix(BUILTIN)
