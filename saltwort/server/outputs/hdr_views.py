"""HTTP for HDR that is judged on a screen that shows none."""

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import screen_view
from saltwort.core.deliverables import Source, deliverables
from saltwort.core.engine import apply, view_processor
from saltwort.core.engine.displays import HDR, display_kind
from saltwort.core.images import encode_png
from saltwort.core.images.reading import Pixels
from saltwort.core.views import hdr
from saltwort.server.http import BINARY, parsed, picture
from saltwort.server.images.pictures import LARGEST_PICTURE, drawn, pixels_of, stored
from saltwort.server.outputs.sources import chosen_in
from saltwort.server.projects.asked import choice_asked
from saltwort.server.projects.serializers import ViewChoiceSerializer
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import image_of, space_of
from saltwort.server.scene.render_views import render_named

FALSE, SCREEN, SDR = "false", "screen", "sdr"
PNG, AVIF = "png", "avif"


class HdrQuery(ViewChoiceSerializer):
    """A render through an HDR view; `frame` is one of a sequence."""

    exposure = serializers.FloatField(default=0.0)
    frame = serializers.IntegerField(required=False, min_value=0, default=None)


class HdrPictureQuery(HdrQuery):
    """As bands of brightness, as a screen with another peak shows it, or through an SDR view. On this screen white
    stands for `white` cd/m²."""

    kind = serializers.ChoiceField(choices=(FALSE, SCREEN, SDR))
    peak = serializers.FloatField(default=10_000.0, min_value=50, max_value=10_000)
    white = serializers.FloatField(default=203.0, min_value=10, max_value=10_000)
    size = serializers.IntegerField(min_value=16, max_value=LARGEST_PICTURE, default=640)


class HdrStillQuery(HdrQuery):
    kind = serializers.ChoiceField(choices=(PNG, AVIF), default=PNG)
    width = serializers.IntegerField(min_value=0, max_value=8192, default=0)


class AboveSerializer(serializers.Serializer):
    nits = serializers.FloatField()
    share = serializers.FloatField()


class BandSerializer(serializers.Serializer):
    above = serializers.FloatField()
    colour = serializers.CharField(allow_blank=True)
    label = serializers.CharField()


class HdrSerializer(serializers.Serializer):
    """How bright a picture is, in cd/m², where the view `is_hdr`; else nothing is measured. `made_on` is the brightest
    white of the view; `sdr` the view by which it is judged on a plain screen."""

    is_hdr = serializers.BooleanField()
    largest = serializers.FloatField()
    mean = serializers.FloatField()
    made_on = serializers.FloatField()
    above = AboveSerializer(many=True)
    bands = BandSerializer(many=True)
    sdr = ViewChoiceSerializer()


@extend_schema(parameters=[HdrQuery], responses=HdrSerializer)
@api_view(["GET"])
def hdr_levels(request: Request, slug: str, pk: int) -> Response:
    render, asked = render_named(slug, pk), parsed(request, HdrQuery, query=True)
    config, choice = config_of(render.project.current), choice_asked(asked)
    if display_kind(config, choice) != HDR:
        nothing = {"is_hdr": False, "largest": 0.0, "mean": 0.0, "made_on": 0.0, "above": [], "bands": []}
        return Response(HdrSerializer({**nothing, "sdr": vars(choice)}).data)
    pixels = pixels_of(image_of(render, asked["frame"]), render.layer)
    levels = hdr.levels_of(_light(render, asked, pixels.reshape(-1, 3)))
    found = {
        "is_hdr": True,
        "largest": levels.largest,
        "mean": levels.mean,
        "made_on": hdr.peak_of_view(config, choice),
        "above": [{"nits": nits, "share": share} for nits, share in levels.above],
        "bands": [vars(band) for band in hdr.BANDS],
        "sdr": vars(screen_view(config, choice)),
    }
    return Response(HdrSerializer(found).data)


@extend_schema(parameters=[HdrPictureQuery], responses=BINARY)
@api_view(["GET"])
def hdr_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    render, asked = render_named(slug, pk), parsed(request, HdrPictureQuery, query=True)
    config, choice, image = config_of(render.project.current), choice_asked(asked), image_of(render, asked["frame"])
    if asked["kind"] == SDR:
        view = screen_view(config, choice)
        return picture(
            drawn(image, config, space_of(render).space, view, asked["exposure"], asked["size"], render.layer)
        )
    pixels = stored(image, asked["size"], render.layer)
    light = _light(render, asked, pixels.reshape(-1, 3))
    if asked["kind"] == FALSE:
        shown = hdr.false_colours(light)
    else:
        there = hdr.on_screen_of(light, hdr.peak_of_view(config, choice), asked["peak"])
        shown = hdr.on_this_screen(there, hdr.own_primaries(config, choice), asked["white"])
    return picture(encode_png(shown.reshape(pixels.shape)))


@extend_schema(parameters=[HdrStillQuery], responses=BINARY)
@api_view(["GET"])
def hdr_still(request: Request, slug: str, pk: int) -> HttpResponse:
    """The picture as an HDR file that says so, for the page itself and for telephones."""
    render, asked = render_named(slug, pk), parsed(request, HdrStillQuery, query=True)
    config, still = config_of(render.project.current), deliverables()["still"]
    bits = "10" if asked["kind"] == AVIF else "16"
    wanted = {**vars(choice_asked(asked)), "exposure": asked["exposure"], "format": asked["kind"], "bits": bits}
    settings = still.settings_from({**wanted, "width": asked["width"]}, chosen_in(render.project))
    still.check(config, settings)
    source = Source(image_of(render, asked["frame"]).file, space_of(render).space, render.layer)
    with TemporaryDirectory() as folder:
        target = Path(folder) / f"still.{asked['kind']}"
        still.write(config, [source], settings, target, lambda share, doing: None)
        content = target.read_bytes()
    response = picture(content)
    response["Content-Type"] = f"image/{asked['kind']}"
    return response


def _light(render: Render, asked: dict[str, Any], pixels: Pixels) -> hdr.Array:
    """Light of the display, cd/m², of pixels as stored, (n, 3)."""
    config, choice = config_of(render.project.current), choice_asked(asked)
    processor = view_processor(config, space_of(render).space, choice, asked["exposure"])
    return hdr.display_light(config, choice, np.asarray(apply(processor, pixels[None])[0], np.float64))
