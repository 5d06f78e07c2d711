"""HTTP for the page that asks whether a screen is fit to judge pictures on."""

from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.views.screen_check import (
    EXPONENTS,
    UNKNOWN,
    Seen,
    half_tone_code,
    pq_png,
    screen_verdict,
    tagged_png,
)
from saltwort.server.http import BINARY, parsed, picture


class ScreenSeen(serializers.Serializer):
    """What was seen on a screen, and measured in the browser."""

    exponent = serializers.ChoiceField(choices=[*EXPONENTS, UNKNOWN], default=UNKNOWN)
    darkest = serializers.IntegerField(min_value=0, max_value=255, required=False, allow_null=True, default=None)
    brightest = serializers.IntegerField(min_value=0, max_value=255, required=False, allow_null=True, default=None)
    sees_p3 = serializers.BooleanField(required=False, allow_null=True, default=None)
    is_hdr = serializers.BooleanField(default=False)
    is_managed = serializers.BooleanField(required=False, allow_null=True, default=None)
    surround = serializers.ChoiceField(choices=("dark", "dim", "bright", "unknown"), default="unknown")


class ScreenVerdictSerializer(serializers.Serializer):
    """What that says of the screen."""

    sentence = serializers.CharField()
    short = serializers.CharField()
    is_fit = serializers.BooleanField(allow_null=True)
    advice = serializers.ListField(child=serializers.CharField())


class HalfToneSerializer(serializers.Serializer):
    """A curve that a screen may have, and the code of 8 bits that then has half the light of white."""

    exponent = serializers.CharField()
    code = serializers.IntegerField()


@extend_schema(responses=HalfToneSerializer(many=True))
@api_view(["GET"])
def half_tones(request: Request) -> Response:
    """The patches that are compared with a half-tone."""
    listed = [{"exponent": each, "code": half_tone_code(each)} for each in EXPONENTS]
    return Response(HalfToneSerializer(listed, many=True).data)


@extend_schema(request=ScreenSeen, responses=ScreenVerdictSerializer)
@api_view(["POST"])
def verdict(request: Request) -> Response:
    """What was seen, in words."""
    return Response(ScreenVerdictSerializer(screen_verdict(Seen(**parsed(request, ScreenSeen)))).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def tagged_picture(request: Request) -> HttpResponse:
    """One colour in Display P3: read back from a canvas, its numbers tell whether the browser manages colours."""
    return picture(tagged_png())


@extend_schema(responses=BINARY)
@api_view(["GET"])
def pq_picture(request: Request) -> HttpResponse:
    """Patches of light in Rec.2100 PQ, from 10 to 10,000 cd/m²: how many look different says how bright a screen is."""
    return picture(pq_png())
