"""HTTP for the rig: how it is set up, pictures of it, and comparisons made with it."""

from dataclasses import asdict, replace
from hashlib import sha256
from typing import Any

import numpy as np
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs import screen_view
from saltwort.core.engine import apply, apply_to_colour, view_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE
from saltwort.core.errors import BadInput
from saltwort.core.images import encode_png
from saltwort.core.images.reading import Pixels
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.rig.mistakes import MISTAKES
from saltwort.core.scene.rig.mixing import TONE_MAPPINGS
from saltwort.core.scene.rig.stage import SLOTS
from saltwort.core.scene.sameness import same_colour
from saltwort.core.spaces.gamuts import solve
from saltwort.server.http import BINARY, author_of, finite, parsed, picture
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.projects.views import project_named
from saltwort.server.scene import operations, rig
from saltwort.server.scene.serializers import (
    AskedFields,
    RenderRequest,
    RigChange,
    RigSerializer,
    SamenessSerializer,
    SpectralSerializer,
)

LARGEST_DIFFERENCE = 5.0
"""ΔE 2000 that a map of differences shows as white."""


@extend_schema(methods=["GET"], responses=RigSerializer)
@extend_schema(methods=["PUT"], request=RigChange, responses=RigSerializer)
@api_view(["GET", "PUT"])
def rig_setup(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "PUT":
        asked = parsed(request, RigChange)
        inputs = [(given["slot"], given["path"]) for given in asked["inputs"] if given["path"]]
        project = operations.set_rig(project, asked["based_on"], asked["swatch"], inputs, author_of(request))
    return Response(_rig(project))


class RigPictureQuery(AskedFields):
    """`view` is another of the project's display; `space` another working space to look at; `difference` shows how far
    it is from the project's, `spectral` the picture made with spectra. `quick` leaves better pictures aside, so that
    two beside each other are alike."""

    view = serializers.CharField(max_length=200, required=False)
    space = serializers.CharField(max_length=200, required=False)
    exposure = serializers.FloatField(default=0.0)
    difference = serializers.BooleanField(default=False)
    spectral = serializers.BooleanField(default=False)
    quick = serializers.BooleanField(default=False)


@extend_schema(parameters=[RigPictureQuery], responses=BINARY)
@api_view(["GET"])
def rig_picture(request: Request, slug: str) -> HttpResponse:
    asked = parsed(request, RigPictureQuery, query=True)
    project = project_named(slug)
    if asked["difference"]:
        found = rig.difference_between(project, asked.get("space") or current_setup(project).working_space)
        shown = np.clip(found.map / LARGEST_DIFFERENCE, 0, 1).astype(np.float32)
        return picture(encode_png(np.repeat(shown[:, :, None], 3, axis=2)))
    if asked["spectral"]:
        return picture(encode_png(_spectral(project, asked["exposure"])))
    if asked.get("space"):
        project = rig.in_working_space(project, asked["space"])
    how = _asked(asked)
    made = rig.asked_rig(rig.prepared(project), how)
    light = rig.quick_look(made) if asked["quick"] else rig.layers_of(made)[0]
    pixels, is_shown = rig.picture_of(made, light, how)
    if not is_shown:
        choice = screen_view(made.config, current_setup(project).view)
        if asked.get("view"):
            choice = replace(current_setup(project).view, view=asked["view"], look="")
        pixels = apply(view_processor(made.config, made.space, choice, asked["exposure"]), pixels)
    return picture(encode_png(pixels))


@extend_schema(request=RenderRequest, responses={201: JobSerializer})
@api_view(["POST"])
def render_rig(request: Request, slug: str) -> Response:
    asked = parsed(request, RenderRequest)
    size = (asked["width"], asked["height"], asked["samples"])
    job = rig.start_render(project_named(slug), size, _asked(asked))
    return Response(JobSerializer(job).data, status=status.HTTP_201_CREATED)


@extend_schema(responses=SamenessSerializer)
@api_view(["GET"])
def sameness(request: Request, slug: str) -> Response:
    """The swatch ball beside the texture ball."""
    project = project_named(slug)
    made = rig.prepared(project)
    light, _ = rig.layers_of(made)
    found = same_colour(made.config, made.rig.swatch, made.rig.inputs["ball"], light.albedo, light.bodies)
    choice = screen_view(made.config, current_setup(project).view)
    show = view_processor(made.config, made.space, choice)
    samples = [
        {**vars(sample), "light": finite(sample.light), "shown": finite(apply_to_colour(show, sample.rendered))}
        for sample in found.samples
    ]
    return Response(SamenessSerializer({**vars(found), "samples": samples}).data)


@extend_schema(methods=["GET"], responses=SpectralSerializer)
@extend_schema(methods=["POST"], request=None, responses={201: JobSerializer})
@api_view(["GET", "POST"])
def spectral(request: Request, slug: str) -> Response:
    """Working spaces beside spectra. POST renders them, as a job."""
    project = project_named(slug)
    if request.method == "POST":
        return Response(JobSerializer(rig.start_spectral(project)).data, status=status.HTTP_201_CREATED)
    return Response(SpectralSerializer(rig.spectral_of(project) or {"spaces": []}).data)


def _asked(asked: dict[str, Any]) -> rig.Asked:
    return rig.Asked(
        mistake=asked["mistake"],
        mapping=asked["mapping"],
        white=asked["white"],
        stops=parse_stops(asked["stops"]),
        solo=asked["solo"],
        muted=[name for name in asked["muted"].split(",") if name],
    )


def parse_stops(text: str) -> dict[str, float]:
    """`key:1.5,flame:-2` as stops by light. Raises BadInput for anything else."""
    found = {}
    for part in filter(None, text.split(",")):
        name, _, stops = part.partition(":")
        try:
            found[name.strip()] = float(stops)
        except ValueError:
            raise BadInput(f"“{part}” is no light with its stops; write it as key:1.5.") from None
    return found


def _rig(project: Project) -> dict[str, Any]:
    made, scene = rig.prepared(project), ScenePart.of(current_setup(project))
    chosen = {slot: path for slot, path in scene.inputs if slot in made.rig.inputs or slot in scene.slot_swatches}
    slots = [
        {
            "name": slot.name,
            "label": slot.label,
            "group": slot.group,
            "takes_swatch": slot.without != "",
            "path": chosen.get(slot.name, ""),
            "space": given.space if (given := made.rig.inputs.get(slot.name)) else "",
        }
        for slot in SLOTS.values()
    ]
    width, height, samples = rig.best_size(made)
    return RigSerializer(
        {
            "swatch": scene.swatch_on_rig,
            "slots": slots,
            "mistakes": list(MISTAKES.values()),
            "mappings": list(TONE_MAPPINGS.values()),
            "version": _version(project, made, (width, height, samples)),
            "width": width,
            "height": height,
            "samples": samples,
        }
    ).data


def _version(project: Project, made: rig.Prepared, size: tuple[int, int, int]) -> str:
    """Stands for all that a picture of the rig depends on, so that a browser may keep it."""
    lights = [asdict(light) for light in made.rig.lights]
    said = f"{rig.key_of(made)} {lights} {size} {project.current.config_hash} {current_setup(project).view}"
    return sha256(said.encode()).hexdigest()[:16]


def _spectral(project: Project, exposure: float) -> Pixels:
    config = config_of(project.current)
    xyz = rig.spectral_picture(project)
    ap0 = np.ascontiguousarray(xyz @ solve(AP0_TO_XYZ_D65, np.eye(3)).T, np.float32)
    choice = screen_view(config, current_setup(project).view)
    return apply(view_processor(config, SCENE_INTERCHANGE, choice, exposure), ap0)
