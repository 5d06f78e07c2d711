"""HTTP for two panes beside each other: their difference, a match, and a grade that becomes a look."""

import base64
from dataclasses import replace
from typing import Any

import numpy as np
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs.additions import AddedLook
from saltwort.core.engine.processors import LARGEST_EXPOSURE, known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import encode_png
from saltwort.core.views.grade import AFTER, BEFORE, STRAIGHT, Grade, grade_as_clf
from saltwort.core.views.pairs import MATCHES, Shown, difference_between, match
from saltwort.server.compare.gpu_views import light_of
from saltwort.server.compare.grades import GradeSerializer, grade_from_json
from saltwort.server.compare.panes import PaneSerializer, filled
from saltwort.server.http import BasedOn, author_of, parsed
from saltwort.server.images.pictures import stored
from saltwort.server.projects.asked import choice_asked, config_asked
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.serializers import ProjectSerializer
from saltwort.server.projects.setups import config_of, keep_lut
from saltwort.server.projects.views import project_json, project_named
from saltwort.server.scene.render_views import render_named

SIDE = 480
"""Pixels on the longest side of pictures that are compared: some 100,000 differences, in a third of a second."""
SHOWN_AT = (1.0, 2.0, 5.0, 10.0, 20.0, 50.0)
"""ΔE that can be white on the map: the first that leaves little above it."""
ACESCCT = "ACEScct"


class PairAsked(serializers.Serializer):
    """Two panes, with the render and exposure of those that have none of their own."""

    panes = PaneSerializer(many=True, min_length=2, max_length=2)
    render = serializers.IntegerField()
    exposure = serializers.FloatField(min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE)
    revision = serializers.IntegerField(required=False)


class DifferenceAsked(PairAsked):
    grade = GradeSerializer()


class MatchAsked(PairAsked):
    kind = serializers.ChoiceField(choices=MATCHES)
    place = serializers.ChoiceField(choices=[BEFORE, AFTER])
    log = serializers.BooleanField()


class DifferenceFigures(serializers.Serializer):
    """See PictureDifference."""

    measure = serializers.CharField()
    mean = serializers.FloatField()
    most = serializers.FloatField()
    largest = serializers.FloatField()
    seen = serializers.FloatField()


class DifferenceMapSerializer(DifferenceFigures):
    """`picture` is the map as the URL of a PNG; what is white in it, is `shown_at` or more."""

    picture = serializers.CharField()
    shown_at = serializers.FloatField()


class MatchSerializer(serializers.Serializer):
    grade = GradeSerializer()
    before = DifferenceFigures()
    after = DifferenceFigures()


class GradeLook(BasedOn):
    name = serializers.CharField(max_length=100)
    grade = GradeSerializer()


@extend_schema(request=DifferenceAsked, responses=DifferenceMapSerializer)
@api_view(["POST"])
def pair_difference(request: Request, slug: str) -> Response:
    asked = parsed(request, DifferenceAsked)
    first, second = _pair(slug, asked)
    found = difference_between(first, second, grade_from_json(asked["grade"]))
    shown_at = next((white for white in SHOWN_AT if white >= found.most), SHOWN_AT[-1])
    shown = np.repeat(np.clip(found.picture / shown_at, 0, 1)[:, :, np.newaxis], 3, axis=2)
    png = base64.b64encode(encode_png(shown.astype(np.float32))).decode()
    answer = {**vars(found), "picture": f"data:image/png;base64,{png}", "shown_at": shown_at}
    return Response(DifferenceMapSerializer(answer).data)


@extend_schema(request=MatchAsked, responses=MatchSerializer)
@api_view(["POST"])
def pair_match(request: Request, slug: str) -> Response:
    """The grade that brings the first pane closest to the second."""
    asked = parsed(request, MatchAsked)
    ours, reference = _pair(slug, asked)
    return Response(MatchSerializer(match(asked["kind"], ours, reference, asked["place"], asked["log"])).data)


@extend_schema(request=GradeLook, responses=ProjectSerializer)
@api_view(["POST"])
def grade_look(request: Request, slug: str) -> Response:
    """Make a look of a grade that stands before the view: as a CDL, or where that cannot hold it, as a LUT file. It
    takes the place of a look of its name that the project has made."""
    project, asked = project_named(slug), parsed(request, GradeLook)
    grade = grade_from_json(asked["grade"])
    look = _look(project, asked["name"].strip(), grade)

    changed = change_setup(
        project,
        asked["based_on"],
        f"Look {look.name} from a grade",
        lambda setup: replace(
            setup, added_looks=(*(kept for kept in setup.added_looks if kept.name != look.name), look)
        ),
        author_of(request),
    )
    return Response(project_json(changed))


def _look(project: Project, name: str, grade: Grade) -> AddedLook:
    if grade.place != BEFORE:
        raise BadInput("A look acts on light. Put the grade before the view, or export it as a CDL.")
    config = config_of(project.current)
    space = known_space(config, ACESCCT if grade.log else "scene_linear")
    description = "From a grade before the view, in Compare"
    if not grade.exposure and (grade.curve == STRAIGHT or not grade.log):
        numbers = {name: getattr(grade, name) for name in ("slope", "offset", "power", "saturation")}
        return AddedLook(name, description=description, process_space=space, **numbers)
    content = grade_as_clf(grade)
    hashed = keep_lut(content)
    return AddedLook(name, description=description, process_space=space, lut=f"{name}.clf", lut_sha256=hashed)


def _pair(slug: str, asked: dict[str, Any]) -> list[Shown]:
    return [_shown(slug, filled(pane, asked)) for pane in asked["panes"]]


def _shown(slug: str, pane: dict[str, Any]) -> Shown:
    render = render_named(slug, pane["render"])
    config = config_asked(render.project, pane)
    pixels = stored(render.image, SIDE, render.layer if pane["layer"] is None else pane["layer"])
    light = light_of(config, render, pixels) * np.float32(2.0 ** pane["exposure"])
    return Shown(config, choice_asked(pane), light)
