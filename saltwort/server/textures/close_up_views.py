"""HTTP for looking closely at one texture."""

from dataclasses import asdict
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import screen_view
from saltwort.core.configs.explain import explain_space
from saltwort.core.engine import ViewChoice, apply_to_colour, space_processor, view_processor
from saltwort.core.engine.processors import known_space
from saltwort.core.images import read_box
from saltwort.core.images.channels import colour_channels
from saltwort.core.images.reading import Pixels
from saltwort.core.textures.close_up import (
    chromaticities_of,
    histogram_of,
    read_as,
    read_through_inverse,
    reading_of,
)
from saltwort.core.textures.declared import FLOATS
from saltwort.core.textures.kinds import LIGHT
from saltwort.server.http import BINARY, author_of, finite, parsed, picture
from saltwort.server.images.operations import preview_of
from saltwort.server.images.pictures import drawn, drawn_through_inverse
from saltwort.server.projects.config_serializers import point_json, primaries_json
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import assigned
from saltwort.server.textures.serializers import (
    PictureQuery,
    PixelQuery,
    PixelSerializer,
    ReadThroughView,
    SpaceQuery,
    StudySerializer,
    TextureDetailSerializer,
    UndoneSerializer,
    ViewQuery,
)
from saltwort.server.textures.undoing import read_through_view
from saltwort.server.textures.views import texture_detail, texture_named


@extend_schema(parameters=[PictureQuery], responses=BINARY)
@api_view(["GET"])
def texture_picture(request: Request, slug: str, pk: int) -> HttpResponse:
    found, asked = texture_named(slug, pk), parsed(request, PictureQuery, query=True)
    project = found.project
    config = config_of(project.current)
    choice = screen_view(config, current_setup(project).view)
    if "view" in asked:
        undone = ViewChoice(asked.get("display", ""), asked["view"])
        return picture(drawn_through_inverse(found.image, config, undone, choice, asked["size"]))
    space = asked.get("space") or assigned(project, [found])[0].assignment.space
    return picture(drawn(found.image, config, space, choice, 0.0, asked["size"]))


@extend_schema(parameters=[SpaceQuery], responses=StudySerializer)
@api_view(["GET"])
def study(request: Request, slug: str, pk: int) -> Response:
    found, asked = texture_named(slug, pk), parsed(request, SpaceQuery, query=True)
    config = config_of(found.project.current)
    space = known_space(config, asked["space"])
    light = read_as(config, _rgb_sample(found), space)
    working = known_space(config, ocio.ROLE_SCENE_LINEAR)
    is_data = config.getColorSpace(space).isData()
    shown = {
        "space": space,
        "reading": asdict(reading_of(light)),
        "histogram": asdict(histogram_of(preview_of(found.image).sample, in_stops=_holds_light(found))),
        "colours": [] if is_data else [point_json(xy) for xy in chromaticities_of(config, light).tolist()],
        "gamuts": _gamuts(config, dict.fromkeys((space, working))),
    }
    return Response(StudySerializer(shown).data)


@extend_schema(parameters=[PixelQuery], responses=PixelSerializer)
@api_view(["GET"])
def pixel(request: Request, slug: str, pk: int) -> Response:
    found, asked = texture_named(slug, pk), parsed(request, PixelQuery, query=True)
    config, choice = config_of(found.project.current), current_setup(found.project).view
    window = read_box(found.image.file, asked["x"], asked["y"], asked["sample"], asked["sample"])
    red, green, blue = window.reshape(-1, 3).mean(axis=0).tolist()
    shown = {
        "stored": finite((red, green, blue)),
        "readings": [_pixel_as(config, (red, green, blue), space, choice) for space in asked["space"]],
    }
    return Response(PixelSerializer(shown).data)


@extend_schema(parameters=[ViewQuery], responses=UndoneSerializer)
@api_view(["GET"])
def undone(request: Request, slug: str, pk: int) -> Response:
    """What comes of a file through the inverse of a view, and whether that is right for it."""
    found, asked = texture_named(slug, pk), parsed(request, ViewQuery, query=True)
    kind = assigned(found.project, [found])[0].kind
    reading = reading_of(
        read_through_inverse(config_of(found.project.current), _rgb_sample(found), ViewChoice(**asked))
    )
    is_light = kind is not None and kind.kind.group == LIGHT
    above = f"{reading.above_one:.1%} of it comes out above 1, up to {max(reading.peak):.3g}."
    says = (
        f"{above} Seen through the same view again, it looks as it did: right for a plate behind the scene."
        if is_light
        else f"{above} No surface reflects more than all light, so this is wrong for a material. It is for plates, "
        "which are to look as they did."
    )
    return Response(UndoneSerializer({"reading": asdict(reading), "right": is_light, "says": says}).data)


@extend_schema(request=ReadThroughView, responses=TextureDetailSerializer)
@api_view(["POST"])
def read_undone(request: Request, slug: str, pk: int) -> Response:
    asked = parsed(request, ReadThroughView)
    choice = ViewChoice(asked["display"], asked["view"])
    pinned = read_through_view(texture_named(slug, pk), asked["based_on"], choice, author_of(request))
    return Response(texture_detail(pinned))


def _rgb_sample(texture: Texture) -> Pixels:
    """The kept sample as RGB, a grey three times."""
    names = texture.image.measured().header.channel_names
    return preview_of(texture.image).sample[:, colour_channels(names)]


def _holds_light(texture: Texture) -> bool:
    header = texture.image.measured().header
    return header.bit_depth in FLOATS or header.format == "HDR"


def _gamuts(config: ocio.Config, spaces: Any) -> list[dict[str, Any]]:
    found = []
    for space in spaces:
        primaries = None if config.getColorSpace(space).isData() else explain_space(config, space).primaries
        if primaries:
            found.append({"name": space, "primaries": primaries_json(primaries)})
    return found


def _pixel_as(
    config: ocio.Config, stored: tuple[float, float, float], space: str, choice: ViewChoice
) -> dict[str, Any]:
    space = known_space(config, space)
    light = stored
    if not config.getColorSpace(space).isData():
        light = apply_to_colour(space_processor(config, space, ocio.ROLE_SCENE_LINEAR), stored)
    shown = apply_to_colour(view_processor(config, space, choice), stored)
    return {"space": space, "light": finite(light), "shown": finite(np.clip(shown, 0, 1).tolist())}
