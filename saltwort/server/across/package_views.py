"""HTTP for what applications are given: the config as each loads it, and packages."""

import json
from pathlib import Path
from typing import Any
from urllib.parse import quote

from django.http import FileResponse, HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.configs.export import packed
from saltwort.server.across.exports import config_for
from saltwort.server.across.packages import chain_package, files_in, package
from saltwort.server.across.proofs import proof_in, proof_of_chain
from saltwort.server.handoffs.chain_views import station_named
from saltwort.server.handoffs.operations import versions_of
from saltwort.server.http import BINARY, download, sent_whole
from saltwort.server.projects.serializers import ReplacementSerializer
from saltwort.server.projects.views import project_named

PROOF_HEADER, MOST_TOLD = "X-Proof", 5


class StationConfigSerializer(serializers.Serializer):
    """The config that a station gets: its file, its OCIO version, whether it is written for this station alone, to what
    it is trimmed, and what that version cannot hold."""

    file = serializers.CharField()
    version = serializers.CharField()
    own = serializers.BooleanField()
    trimmed = serializers.CharField()
    replacements = ReplacementSerializer(many=True)


@extend_schema(responses=StationConfigSerializer)
@api_view(["GET"])
def station_config(request: Request, slug: str, pk: int) -> Response:
    found = station_named(slug, pk)
    version, own = versions_of(found)
    config = config_for(found)
    told = {
        "file": config.file,
        "version": version,
        "own": bool(own),
        "trimmed": config.trimmed,
        "replacements": config.composed.replacements,
    }
    return Response(StationConfigSerializer(told).data)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def station_config_file(request: Request, slug: str, pk: int) -> HttpResponse:
    config = config_for(station_named(slug, pk))
    return download(packed(config.composed.written), config.file, "application/zip")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def station_package(request: Request, slug: str, pk: int) -> FileResponse:
    """All that an application needs, in one zip. Takes some seconds."""
    station = station_named(slug, pk)
    with package(station) as folder:
        return _sent(folder, proof_in(folder))


@extend_schema(responses=BINARY)
@api_view(["GET"])
def project_package(request: Request, slug: str) -> FileResponse:
    """The packages of all applications, in one zip. Takes some seconds for each."""
    with chain_package(project_named(slug)) as folder:
        return _sent(folder, proof_of_chain(folder))


def _sent(folder: Path, proof: dict[str, Any]) -> FileResponse:
    """A package as a zip; PROOF_HEADER tells how it did when it was played, as JSON with percent encoding, MOST_TOLD of
    each sort of sentences."""
    response = sent_whole(files_in(folder), folder.name)
    told = {"ready": proof["ready"], "sentence": proof["sentence"], "trimmed": proof.get("trimmed", "")}
    told |= {name: proof[name][:MOST_TOLD] for name in ("failures", "cannot")}
    response[PROOF_HEADER] = quote(json.dumps(told))
    return response
