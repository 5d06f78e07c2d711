"""HTTP for the config with what uses it, and for changes of the setup with what they would do."""

from dataclasses import asdict
from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import Trim, describe, environment_lines
from saltwort.core.configs.export import archive_suffix
from saltwort.core.project import Setup, read_field, setup_fields, value_parts, with_fields, with_space_edits
from saltwort.core.structured import structured
from saltwort.core.textures.kinds import MAP_KINDS
from saltwort.server.across import previews, trimming
from saltwort.server.across.working_space import working_space_change
from saltwort.server.handoffs.used import used_by
from saltwort.server.http import author_of, finite, parsed
from saltwort.server.projects import operations
from saltwort.server.projects.config_serializers import ConfigComparisonSerializer, ConfigSerializer
from saltwort.server.projects.config_views import comparison_json
from saltwort.server.projects.models import BaseConfig, Project
from saltwort.server.projects.operations import config_name
from saltwort.server.projects.serializers import (
    ChangePreviewSerializer,
    ProjectSerializer,
    SetupChange,
    SetupParts,
    TargetVersionQuery,
    TrimChoicesSerializer,
    TrimPreviewSerializer,
    TrimSerializer,
)
from saltwort.server.projects.setups import BUILTIN, UPLOADED, config_of, current_setup
from saltwort.server.projects.views import project_json, project_named
from saltwort.server.scene.serializers import SpaceQuery, WorkingSpaceChangeSerializer
from saltwort.server.scene.views import numbers
from saltwort.server.textures.serializers import ChosenTextures, RulesRunSerializer


@extend_schema(responses=ConfigSerializer)
@api_view(["GET"])
def config(request: Request, slug: str) -> Response:
    project = project_named(slug)
    name = config_name(project)
    facts = asdict(describe(config_of(project.current)))
    is_one_file = archive_suffix(facts["version"]) == ".ocioz"
    described = {
        **facts,
        "base": _base_name(current_setup(project).base),
        "used_spaces": used_by(project).spaces,
        "map_kinds": MAP_KINDS.values(),
        "export_name": name,
        "environment": environment_lines(f"/path/to/{name}.ocioz" if is_one_file else f"/path/to/{name}/config.ocio"),
    }
    return Response(ConfigSerializer(described).data)


@extend_schema(request=SetupChange, responses=ProjectSerializer)
@api_view(["POST"])
def setup(request: Request, slug: str) -> Response:
    asked, project = parsed(request, SetupChange), project_named(slug)
    changed = operations.change_setup(
        project,
        asked["based_on"],
        asked["message"],
        lambda setup: _changed(project, setup, asked),
        author_of(request),
    )
    return Response(project_json(changed))


@extend_schema(request=SetupParts, responses=ChangePreviewSerializer)
@api_view(["POST"])
def setup_preview(request: Request, slug: str) -> Response:
    """What a change would do. Nothing is saved."""
    asked = parsed(request, SetupParts)
    project = project_named(slug)
    found = previews.preview_change(project, lambda setup: _changed(project, setup, asked))
    return Response(ChangePreviewSerializer(found).data)


@extend_schema(parameters=[TargetVersionQuery], responses=ConfigComparisonSerializer)
@api_view(["GET"])
def target_differences(request: Request, slug: str) -> Response:
    """How far the colours of a config written for an OCIO version are from what they are now."""
    version = parsed(request, TargetVersionQuery, query=True)["version"]
    return Response(comparison_json(previews.target_differences(project_named(slug), version)))


@extend_schema(methods=["GET"], responses=TrimChoicesSerializer)
@extend_schema(methods=["POST"], request=TrimSerializer, responses=TrimPreviewSerializer)
@api_view(["GET", "POST"])
def trim(request: Request, slug: str) -> Response:
    """What there is to pick; and with a pick, what it would give. Nothing is saved."""
    project = project_named(slug)
    if request.method == "POST":
        picked = structured(Trim, parsed(request, TrimSerializer))
        found = asdict(trimming.preview(project, picked))
        (found["proof"]["largest"],) = finite([found["proof"]["largest"]])
        return Response(TrimPreviewSerializer(found).data)
    return Response(TrimChoicesSerializer(trimming.choices(project)).data)


@extend_schema(request=ChosenTextures, responses=RulesRunSerializer)
@api_view(["POST"])
def run_rules(request: Request, slug: str) -> Response:
    chosen = parsed(request, ChosenTextures)["textures"]
    return Response(RulesRunSerializer(previews.preview_rules(project_named(slug), chosen)).data)


@extend_schema(parameters=[SpaceQuery], responses=WorkingSpaceChangeSerializer)
@api_view(["GET"])
def working_space_changes(request: Request, slug: str) -> Response:
    """What a switch of the working space would change. Nothing is saved."""
    project = project_named(slug)
    space = parsed(request, SpaceQuery, query=True).get("space") or current_setup(project).working_space
    found = working_space_change(project, space)
    height, width = found.rig.map.shape
    colours = [
        {**vars(colour), "before": numbers(colour.before), "after": numbers(colour.after)} for colour in found.colours
    ]
    rig = {**vars(found.rig), "width": width, "height": height}
    return Response(WorkingSpaceChangeSerializer({**vars(found), "colours": colours, "rig": rig}).data)


def _changed(project: Project, setup: Setup, asked: dict[str, Any]) -> Setup:
    if "base" in asked and asked["base"] != setup.base:
        setup = operations.start_from(project, setup, asked["base"])
    own = value_parts()
    changes = {
        name: value if name in own else read_field(name, _as_stored(name, value))
        for name, value in asked.items()
        if name in setup_fields()
    }
    if "space_edits" in changes:
        setup = with_space_edits(setup, changes["space_edits"])
    if changes.get("trim"):
        changes["trim"] = trimming.with_what_files_need(project, changes["trim"])
    changes.pop("base", None)
    return with_fields(setup, changes)


_PAIRS = {"roles": ("role", "space"), "kind_words": ("word", "kind")}


def _as_stored(name: str, asked: Any) -> Any:
    """What a request says of a field in the form that a setup stores."""
    if name not in _PAIRS:
        return asked
    first, second = _PAIRS[name]
    return [(pair[first], pair[second]) for pair in asked]


def _base_name(base: str) -> str:
    if base.startswith(UPLOADED):
        return BaseConfig.objects.get(sha256=base.removeprefix(UPLOADED)).name
    return base.removeprefix(BUILTIN)
