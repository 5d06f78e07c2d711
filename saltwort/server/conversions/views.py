"""HTTP for conversions."""

import shutil
import zipfile
from tempfile import TemporaryFile
from typing import Any

from django.conf import settings
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.textures.converting import FORMATS
from saltwort.server.conversions import operations
from saltwort.server.conversions.models import CONVERTED, Conversion
from saltwort.server.conversions.operations import Order, PlannedFile
from saltwort.server.conversions.serializers import (
    ConversionSerializer,
    FormatSerializer,
    OrderSerializer,
    PlanSerializer,
)
from saltwort.server.http import BINARY, as_csv, as_json_file, finite, parsed
from saltwort.server.projects.views import project_named


@extend_schema(responses=FormatSerializer(many=True))
@api_view(["GET"])
def formats(request: Request) -> Response:
    listed = [{"key": key, "label": known.label} for key, known in FORMATS.items()]
    return Response(FormatSerializer(listed, many=True).data)


@extend_schema(request=OrderSerializer, responses=PlanSerializer)
@api_view(["POST"])
def preview(request: Request, slug: str) -> Response:
    files = operations.plan(project_named(slug), Order(**parsed(request, OrderSerializer)))
    shown = [_planned(file) for file in files]
    free = shutil.disk_usage(settings.MEDIA_ROOT).free
    every = sum(file["bytes"] for file in shown)
    return Response(PlanSerializer({"files": shown, "bytes": every, "bytes_free": free}).data)


@extend_schema(methods=["GET"], responses=ConversionSerializer(many=True))
@extend_schema(methods=["POST"], request=OrderSerializer, responses={201: ConversionSerializer})
@api_view(["GET", "POST"])
def conversions(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        made = operations.order_conversion(project, Order(**parsed(request, OrderSerializer)))
        return Response(_conversion(made), status=status.HTTP_201_CREATED)
    listed = project.conversions.select_related("job", "revision").prefetch_related("files")
    return Response([_conversion(found) for found in listed])


@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["DELETE"])
def conversion(request: Request, slug: str, pk: int) -> Response:
    operations.remove_conversion(_found(slug, pk))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def files(request: Request, slug: str, pk: int) -> FileResponse:
    """The converted files in a zip, stored as they are: pictures are packed already."""
    found = _found(slug, pk)
    packed = TemporaryFile()  # noqa: SIM115, the response closes it
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
        for file in found.files.filter(state=CONVERTED):
            path = found.folder / file.target
            if not path.exists():
                raise Http404
            archive.write(path, file.target)
    packed.seek(0)
    return FileResponse(packed, as_attachment=True, filename=f"{slug}-converted-{pk}.zip")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def report(request: Request, slug: str, pk: int, kind: str) -> HttpResponse:
    """What was made of which file, with the figures."""
    rows = [
        {**{name: value for name, value in file.items() if name != "figures"}, **(file["figures"] or {})}
        for file in _conversion(_found(slug, pk))["files"]
    ]
    return {"csv": as_csv, "json": as_json_file}[kind](rows, f"{slug}-converted-{pk}")


def _found(slug: str, pk: int) -> Conversion:
    return get_object_or_404(Conversion.objects.select_related("revision", "job"), project__slug=slug, pk=pk)


def _planned(file: PlannedFile) -> dict[str, Any]:
    foreseen, header = file.foreseen, file.row.texture.image.measured().header
    lost = foreseen.lost if foreseen else None
    bits = header.bit_depth.removesuffix("-bit")
    return {
        "path": file.row.texture.path,
        "target": file.target,
        "source_space": file.row.assignment.space,
        "space": file.space,
        "refused": file.refused,
        "clipped": foreseen.clipped if foreseen else None,
        "negative": foreseen.negative if foreseen else None,
        "not_finite": foreseen.not_finite if foreseen else None,
        "hidden": foreseen.hidden if foreseen else None,
        "notes": foreseen.notes if foreseen else (),
        "lost": finite([lost])[0] if lost is not None else None,
        "steps": lost * (2 ** int(bits) - 1) if lost is not None and bits.isdigit() else None,
        "bit_depth": header.bit_depth,
        "bytes": foreseen.bytes if foreseen and not file.refused else 0,
    }


def _conversion(found: Conversion) -> dict[str, Any]:
    return ConversionSerializer(
        {
            "id": found.pk,
            "space": found.space,
            "format": FORMATS[found.format].label,
            "place": found.place,
            "revision": found.revision.number,
            "created": found.created,
            "job": found.job,
            "files": found.files.all(),
        }
    ).data
