"""HTTP for where views put light."""

from dataclasses import replace
from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.engine.processors import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.findings import Subjects, run_checks
from saltwort.core.images import encode_png
from saltwort.core.views.tone import SWEPT, sweep, tone_curve
from saltwort.server.http import BINARY, parsed, picture
from saltwort.server.projects.asked import ConfigQuery, choice_asked, config_asked, draft_from
from saltwort.server.projects.serializers import FindingSerializer, ViewChoiceSerializer
from saltwort.server.projects.setups import current_setup
from saltwort.server.projects.views import project_named


class HueTurnSerializer(serializers.Serializer):
    angle = serializers.FloatField()
    turn = serializers.FloatField()
    at = serializers.FloatField()
    white_from = serializers.FloatField(allow_null=True)


class NamedHueSerializer(HueTurnSerializer):
    name = serializers.CharField()


class ToneSerializer(serializers.Serializer):
    """A view's tone curve, and what it does to hues over the stops of `swept`; `refused` says why there is none, or is
    empty."""

    refused = serializers.CharField(allow_blank=True)
    stops = serializers.ListField(child=serializers.FloatField())
    light = serializers.ListField(child=serializers.FloatField())
    grey = serializers.FloatField(allow_null=True)
    slope = serializers.FloatField(allow_null=True)
    black_at = serializers.FloatField(allow_null=True)
    white_at = serializers.FloatField(allow_null=True)
    dynamic_range = serializers.FloatField(allow_null=True)
    largest_turn = HueTurnSerializer(allow_null=True)
    swept = serializers.ListField(child=serializers.FloatField())
    saturation = serializers.ListField(child=serializers.FloatField())
    hues = NamedHueSerializer(many=True)
    tint = serializers.FloatField(allow_null=True)
    falls_at = serializers.FloatField(allow_null=True)
    step_at = serializers.FloatField(allow_null=True)
    reversed_at = serializers.FloatField(allow_null=True)
    out_of_order = serializers.IntegerField(allow_null=True)


class ToneQuery(ViewChoiceSerializer, ConfigQuery):
    """A view, of the current config or another."""


@extend_schema(parameters=[ToneQuery], responses=ToneSerializer)
@api_view(["GET"])
def tone(request: Request, slug: str) -> Response:
    asked = parsed(request, ToneQuery, query=True)
    return Response(ToneSerializer(_tone(config_asked(project_named(slug), asked), choice_asked(asked))).data)


def _tone(config: Any, choice: ViewChoice) -> dict[str, Any]:
    try:
        curve, swept = tone_curve(config, choice), sweep(config, choice)
    except BadInput as error:
        lists: dict[str, list] = {name: [] for name in ("stops", "light", "swept", "saturation", "hues")}
        return {"refused": str(error), **dict.fromkeys(_FIGURES), **lists}
    return {
        "refused": "",
        **vars(curve),
        "dynamic_range": curve.dynamic_range,
        "largest_turn": swept.largest,
        "reversed_at": swept.reversed_at,
        "out_of_order": swept.out_of_order,
        "swept": SWEPT.tolist(),
        "saturation": swept.saturation,
        "hues": [{"name": name, **vars(hue)} for name, hue in swept.named],
    }


_FIGURES = (
    "grey",
    "slope",
    "black_at",
    "white_at",
    "dynamic_range",
    "largest_turn",
    "tint",
    "falls_at",
    "step_at",
    "reversed_at",
    "out_of_order",
)


@extend_schema(parameters=[ToneQuery], responses=BINARY)
@api_view(["GET"])
def sweep_picture(request: Request, slug: str) -> HttpResponse:
    """Saturated hues from left to right, exposure from the bottom up, through a view."""
    asked = parsed(request, ToneQuery, query=True)
    shown = sweep(config_asked(project_named(slug), asked), choice_asked(asked)).shown[::-1]
    return picture(encode_png(np.ascontiguousarray(shown.repeat(6, axis=0).repeat(12, axis=1))))


@extend_schema(parameters=[ToneQuery], responses=FindingSerializer(many=True))
@api_view(["GET"])
def design_findings(request: Request, slug: str) -> Response:
    """What the checks of views say of the view that is being designed."""
    project, asked = project_named(slug), parsed(request, ToneQuery, query=True)
    design = draft_from(asked["draft"])
    setup = replace(current_setup(project), view=choice_asked(asked), added_views=(design,))
    found = run_checks(Subjects(config_asked(project, asked), setup), "view.")
    return Response(FindingSerializer(found, many=True).data)
