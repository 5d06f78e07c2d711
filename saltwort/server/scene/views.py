"""HTTP for swatches, lights, references and the working space."""

from dataclasses import asdict, replace
from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import screen_view
from saltwort.core.engine import apply_to_colour, view_processor
from saltwort.core.engine.measured import SCENE_INTERCHANGE
from saltwort.core.errors import BadInput
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import appearing_in_srgb, on_screen, remedies, resolved, solved_swatch, why_not
from saltwort.core.scene.decisions import Appearance, Light, Scene, Swatch, check_scene
from saltwort.core.scene.picking import meanings
from saltwort.core.scene.reflectances import Reference, references
from saltwort.core.scene.rig.chart import patches
from saltwort.core.scene.swatch_files import chart_rows, read_swatches, swatch_rows
from saltwort.core.scene.swatches import ColourFacts, colour_facts, convert, seen_through
from saltwort.core.scene.working_space import describe_working_space
from saltwort.core.spaces.typed import Triple, TypedColour, parse_colour
from saltwort.core.structured import structured
from saltwort.server.http import BINARY, as_csv, as_json_file, author_of, finite, parsed
from saltwort.server.projects.config_serializers import primaries_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.projects.views import project_named
from saltwort.server.scene import operations
from saltwort.server.scene.operations import expectations
from saltwort.server.scene.serializers import (
    AppearanceQuery,
    LightsChange,
    LightSerializer,
    MeaningQuery,
    MeaningSerializer,
    ReferenceSerializer,
    SolvedSerializer,
    SpaceQuery,
    SwatchChange,
    SwatchNames,
    SwatchSerializer,
    WorkingSpaceSerializer,
)
from saltwort.server.uploads import SwatchUpload, read_upload


@extend_schema(methods=["GET"], responses=SwatchSerializer(many=True))
@extend_schema(methods=["PUT"], request=SwatchChange, responses=SwatchSerializer(many=True))
@api_view(["GET", "PUT"])
def swatches(request: Request, slug: str) -> Response:
    """The project's swatches. PUT adds one, or types one anew."""
    project = project_named(slug)
    if request.method == "PUT":
        asked = parsed(request, SwatchChange)
        appears = Appearance(**asked["appears"]) if asked["appears"] else None
        colour = replace(_typed(asked), space="") if appears else _typed(asked)
        swatch = Swatch(asked["name"].strip(), colour, asked["use"], appears)
        project = operations.save_swatch(project, asked["based_on"], asked["was"], swatch, author_of(request))
    return Response(_swatches(project))


@extend_schema(request=SwatchNames, responses=SwatchSerializer(many=True))
@api_view(["POST"])
def remove_swatches(request: Request, slug: str) -> Response:
    asked = parsed(request, SwatchNames)
    project = operations.remove_swatches(project_named(slug), asked["based_on"], asked["names"], author_of(request))
    return Response(_swatches(project))


@extend_schema(request={"multipart/form-data": SwatchUpload}, responses={201: SwatchSerializer(many=True)})
@api_view(["POST"])
@parser_classes([MultiPartParser])
def bring_swatches(request: Request, slug: str) -> Response:
    """Swatches of a file, or a chart's patches as swatches, added to the project."""
    asked, project = parsed(request, SwatchUpload), project_named(slug)
    config, view = config_of(project.current), current_setup(project).view
    found = read_swatches(
        asked["file"].name, read_upload(asked["file"]), lambda swatch: appearing_in_srgb(config, swatch, view)
    )
    project = operations.bring_swatches(project, asked["based_on"], found, author_of(request))
    return Response(_swatches(project), status=status.HTTP_201_CREATED)


@extend_schema(parameters=[AppearanceQuery], responses=SolvedSerializer)
@api_view(["GET"])
def appearance(request: Request, slug: str) -> Response:
    """What must lie in the scene so that code values appear as given through a view, and how near it comes."""
    project = project_named(slug)
    asked = parsed(request, AppearanceQuery, query=True)
    appears = Appearance(asked["display"], asked["view"], asked["look"], asked["stops"])
    swatch = Swatch("This colour", TypedColour("", asked["unit"], asked["text"]), asked["use"], appears)
    check_scene(Scene(swatches=(swatch,)))
    config = config_of(project.current)
    solved = solved_swatch(config, swatch)
    on_srgb = on_screen(config, appears.choice, np.array([solved.wish, solved.shown]))
    made = {
        **asdict(solved),
        "working": solved.own,
        "on_screen": on_srgb.tolist(),
        "why": why_not(swatch, solved),
        "remedies": [] if solved.is_held else remedies(config, swatch, solved),
    }
    return Response(SolvedSerializer(made).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def swatch_file(request: Request, slug: str, kind: str) -> HttpResponse:
    project = project_named(slug)
    rows = swatch_rows(ScenePart.of(current_setup(project)).swatches)
    write = as_csv if kind == "csv" else as_json_file
    return write(rows, f"{project.slug}-swatches")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def chart_file(request: Request) -> HttpResponse:
    """Reference values of the rig's chart."""
    return as_csv(chart_rows(patches()), "rig-chart")


@extend_schema(methods=["GET"], responses=LightSerializer(many=True))
@extend_schema(methods=["PUT"], request=LightsChange, responses=LightSerializer(many=True))
@api_view(["GET", "PUT"])
def lights(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "PUT":
        asked = parsed(request, LightsChange)
        chosen = structured(tuple[Light, ...], asked["lights"])
        project = operations.set_lights(project, asked["based_on"], chosen, author_of(request))
    scene = ScenePart.of(current_setup(project))
    return Response([_light(project, scene, light) for light in scene.lights])


@extend_schema(responses=ReferenceSerializer(many=True))
@api_view(["GET"])
def reflectances(request: Request, slug: str) -> Response:
    """Measured reflectances in the project's working space. Empty when its config does not tell what numbers mean."""
    project = project_named(slug)
    config = config_of(project.current)
    if not config.hasRole(SCENE_INTERCHANGE):
        return Response([])
    return Response([_reference(project, reference) for reference in references()])


@extend_schema(parameters=[MeaningQuery], responses=MeaningSerializer(many=True))
@api_view(["GET"])
def meaning(request: Request, slug: str) -> Response:
    """What numbers picked from a screen mean, read in each way."""
    asked, project = parsed(request, MeaningQuery, query=True), project_named(slug)
    config, setup = config_of(project.current), current_setup(project)
    picked = parse_colour(asked["text"], asked["unit"])
    found = meanings(config, picked, setup.default_space, setup.view)
    return Response([{**asdict(way), "light": finite(way.light) if way.light else [None] * 3} for way in found])


@extend_schema(parameters=[SpaceQuery], responses=WorkingSpaceSerializer)
@api_view(["GET"])
def working_space(request: Request, slug: str) -> Response:
    """A scene-linear space as a working space; the project's where none is named."""
    project = project_named(slug)
    name = parsed(request, SpaceQuery, query=True).get("space") or current_setup(project).working_space
    found = describe_working_space(config_of(project.current), name)
    return Response(
        WorkingSpaceSerializer(
            {
                **asdict(found),
                "primaries": primaries_json(found.primaries),
                "displays": [
                    {**vars(display), "primaries": primaries_json(display.primaries)} for display in found.displays
                ],
                "matrices": [
                    {"space": other, "to": to.tolist(), "back": back.tolist()} for other, to, back in found.matrices
                ],
                "stations": expectations(project, name),
            }
        ).data
    )


def numbers(values: Triple | None) -> list[float | None]:
    return finite(values) if values else [None] * 3


def _typed(asked: dict[str, Any]) -> TypedColour:
    return TypedColour(asked["space"], asked["unit"], asked["text"].strip())


def _swatches(project: Project) -> list[dict[str, Any]]:
    return [_swatch(project, swatch) for swatch in ScenePart.of(current_setup(project)).swatches]


def _swatch(project: Project, swatch: Swatch) -> dict[str, Any]:
    config, view = config_of(project.current), current_setup(project).view
    appears = asdict(swatch.appears) if swatch.appears else None
    typed = {"name": swatch.name, "use": swatch.use, "appears": appears, **vars(swatch.colour)}
    try:
        own = resolved(config, Scene(swatches=(swatch,))).swatches[0].colour
        converted = convert(config, own, screen_view(config, view))
    except BadInput:  # the findings swatch.unknown-space and swatch.unknown-view say what to do
        nothing = {"working": [None] * 3, "shown": [None] * 3, "facts": None}
        return SwatchSerializer({**typed, **nothing}).data
    seen = seen_through(config, converted.working, view)
    return SwatchSerializer(
        {
            **typed,
            "working": finite(converted.working),
            "shown": finite(converted.shown),
            "facts": _facts(colour_facts(config, converted.working, seen)),
        }
    ).data


def _facts(facts: ColourFacts | None) -> dict[str, Any] | None:
    if facts is None:
        return None
    displays = [{**vars(display), "holds": display.holds} for display in facts.displays]
    return {**vars(facts), "xy": facts.xy or (0.0, 0.0), "uv": facts.uv or (0.0, 0.0), "displays": displays}


def _light(project: Project, scene: Scene, light: Light) -> dict[str, Any]:
    config = config_of(project.current)
    own = asdict(light)
    try:
        working = convert(config, resolved(config, scene).colour_of(light), current_setup(project).view).working
    except BadInput:  # the finding light.unknown-space says what to do
        return LightSerializer({**own, "working": [None] * 3, "shown": [None] * 3, "facts": None}).data
    # A light is no surface: its disc shows the hue, as bright as a display can.
    brightest = max(*working, 1e-6)
    red, green, blue = (value / brightest * 0.8 for value in working)
    return LightSerializer(
        {
            **own,
            "working": finite(working),
            "shown": finite(_shown(project, (red, green, blue))),
            "facts": _facts(colour_facts(config, working)),
        }
    ).data


def _shown(project: Project, light: Triple) -> Triple:
    config, setup = config_of(project.current), current_setup(project)
    choice = screen_view(config, setup.view)
    return apply_to_colour(view_processor(config, setup.working_space, choice), light)


def _reference(project: Project, reference: Reference) -> dict[str, Any]:
    config = config_of(project.current)
    x, y, z = reference.xyz
    total = x + y + z
    text = f"{x / total:.4f} {y / total:.4f} {y:.4f}"
    working = convert(config, TypedColour("", "xyY", text), current_setup(project).view).working
    return ReferenceSerializer(
        {
            **vars(reference),
            "working": finite(working),
            "shown": finite(_shown(project, working)),
            "luminance": y,
            "text": text,
        }
    ).data
