"""HTTP for conversions."""

import shutil
from typing import Any

from django.conf import settings
from django.db.models import Case, QuerySet, When
from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.textures.conversion_plans import FORMATS
from saltwort.server.conversions import operations
from saltwort.server.conversions.models import CONVERTED, REFUSED, Conversion
from saltwort.server.conversions.operations import Order, PlannedFile
from saltwort.server.conversions.serializers import (
    ConversionSerializer,
    ConvertedFileSerializer,
    ConvertedFilesSerializer,
    FiguresSerializer,
    FormatSerializer,
    OrderSerializer,
    PlanSerializer,
)
from saltwort.server.conversions.using import start_using
from saltwort.server.http import BINARY, PageQuery, as_csv, as_json_file, as_zip, author_of, finite, parsed
from saltwort.server.jobs.views import JobSerializer
from saltwort.server.projects.views import project_named

MOST_PLANNED = 200
"""Files that a plan lists."""


@extend_schema(responses=FormatSerializer(many=True))
@api_view(["GET"])
def formats(request: Request) -> Response:
    listed = [{"key": key, "label": known.label} for key, known in FORMATS.items()]
    return Response(FormatSerializer(listed, many=True).data)


@extend_schema(request=OrderSerializer, responses=PlanSerializer)
@api_view(["POST"])
def preview(request: Request, slug: str) -> Response:
    files = operations.plan(project_named(slug), Order(**parsed(request, OrderSerializer)))
    made = [file.foreseen for file in files if file.foreseen and not file.refused]
    plan = {
        "count": len(files),
        "refused": sum(bool(file.refused) for file in files),
        "clipped": sum(foreseen.clipped > 0 for foreseen in made),
        "outside": sum(foreseen.negative > 0 for foreseen in made),
        "files": [_planned(file) for file in files[:MOST_PLANNED]],
        "bytes": sum(foreseen.bytes for foreseen in made),
        "bytes_free": shutil.disk_usage(settings.MEDIA_ROOT).free,
    }
    return Response(PlanSerializer(plan).data)


@extend_schema(methods=["GET"], responses=ConversionSerializer(many=True))
@extend_schema(methods=["POST"], request=OrderSerializer, responses={201: ConversionSerializer})
@api_view(["GET", "POST"])
def conversions(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        made = operations.order_conversion(project, Order(**parsed(request, OrderSerializer)))
        return Response(_conversion(_found(slug, made.pk)), status=status.HTTP_201_CREATED)
    return Response([_conversion(found) for found in _conversions(slug)])


@extend_schema(methods=["DELETE"], responses={204: None})
@api_view(["DELETE"])
def conversion(request: Request, slug: str, pk: int) -> Response:
    operations.remove_conversion(_found(slug, pk), author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=None, responses={202: JobSerializer})
@api_view(["POST"])
def use(request: Request, slug: str, pk: int) -> Response:
    """Queue the replacement of the project's textures by the converted files, which one undo takes back."""
    job = start_using(_found(slug, pk), author_of(request))
    return Response(JobSerializer(job).data, status=status.HTTP_202_ACCEPTED)


@extend_schema(parameters=[PageQuery], responses=ConvertedFilesSerializer)
@api_view(["GET"])
def files(request: Request, slug: str, pk: int) -> Response:
    """The files of an order, those that could not be made first."""
    query = parsed(request, PageQuery, query=True)
    made = _found(slug, pk).files.order_by(Case(When(state=REFUSED, then=0), default=1), "pk")
    shown = made[query["offset"] : query["offset"] + query["limit"]]
    return Response(ConvertedFilesSerializer({"total": made.count(), "files": shown}).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def packed_files(request: Request, slug: str, pk: int) -> StreamingHttpResponse:
    """The converted files in a zip."""
    found = _found(slug, pk)
    files = {file.target: found.folder / file.target for file in found.files.filter(state=CONVERTED)}
    return as_zip(files, f"{slug}-converted-{pk}")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def report(request: Request, slug: str, pk: int, kind: str) -> HttpResponse:
    """What was made of which file, with the figures."""
    unknown = dict.fromkeys(FiguresSerializer().fields)
    rows = (
        {**file, **unknown, **(file.pop("figures") or {})}
        for file in (ConvertedFileSerializer(made).data for made in _found(slug, pk).files.iterator())
    )
    return {"csv": as_csv, "json": as_json_file}[kind](rows, f"{slug}-converted-{pk}")


def _conversions(slug: str) -> QuerySet[Conversion]:
    return Conversion.objects.filter(project__slug=slug).select_related("revision", "job").annotate(**operations.TOLD)


def _found(slug: str, pk: int) -> Conversion:
    return get_object_or_404(_conversions(slug), pk=pk)


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
            **{name: getattr(found, name) or 0 for name in operations.TOLD},
        }
    ).data
