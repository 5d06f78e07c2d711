"""What all views share: parsing a request, answering errors in words, and pictures."""

import csv
import json
import re
from collections.abc import Iterable, Iterator, Mapping
from io import RawIOBase, StringIO
from itertools import chain
from math import isfinite
from pathlib import Path
from tempfile import TemporaryFile
from typing import IO, Any
from urllib.parse import unquote
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile, ZipInfo

from django.core.exceptions import ObjectDoesNotExist, SuspiciousOperation
from django.db import OperationalError
from django.http import FileResponse, Http404, HttpResponse, StreamingHttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import exception_handler

from saltwort.core.errors import BadInput, DiskFull
from saltwort.core.files import is_disk_full
from saltwort.server.versions import Stale

TOO_DEEP = "This request is nested deeper than anything that Saltwort takes."
BINARY = OpenApiResponse(OpenApiTypes.BINARY)


class BasedOn(serializers.Serializer):
    """Every write says which version it was made from; a stale one is refused."""

    based_on = serializers.IntegerField(min_value=0)


MOST_ROWS = 10_000_000


class PageQuery(serializers.Serializer):
    """Which rows of a long list are wanted."""

    offset = serializers.IntegerField(default=0, min_value=0, max_value=MOST_ROWS)
    limit = serializers.IntegerField(default=100, min_value=1, max_value=500)


def parsed(request: Request, serializer: type[serializers.Serializer], *, query: bool = False) -> dict[str, Any]:
    """The request's body, or its query, checked against a serializer."""
    checked = serializer(data=request.query_params if query else request.data)
    checked.is_valid(raise_exception=True)
    return checked.validated_data


def author_of(request: Request) -> str:
    """Who the browser's user said they are, or nothing. It is taken on trust, and shown beside revisions."""
    return unquote(request.headers.get("X-Saltwort-Author", "")).strip()[:80]


def finite(values: Iterable[float]) -> list[float | None]:
    """Numbers as JSON holds them: None for one that is not finite."""
    return [value if isfinite(value) else None for value in values]


def picture(png: bytes) -> HttpResponse:
    """A PNG whose URL names all that it depends on, so that a browser may keep it."""
    response = HttpResponse(png, content_type="image/png")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def download(content: bytes | str, name: str, content_type: str) -> HttpResponse:
    """A file that the browser saves under `name`."""
    response = HttpResponse(content, content_type=content_type)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def as_zip(files: Mapping[str, Path], name: str, texts: Mapping[str, str] | None = None) -> StreamingHttpResponse:
    """Files under their names in a zip, and `texts` besides, sent as it comes and stored as they are: pictures are
    packed already. Raises Http404 when one of them is gone."""
    if not all(file.exists() for file in files.values()):
        raise Http404
    return _sent_as_it_comes(_zipped(files, texts or {}), f"{name}.zip", "application/zip")


def sent_whole(files: Mapping[str, Path], name: str) -> FileResponse:
    """Files under their names in a zip that is made at once, so that they may go afterwards."""
    return FileResponse(zipped(files), as_attachment=True, filename=f"{name}.zip", content_type="application/zip")


def zipped(files: Mapping[str, Path]) -> IO[bytes]:
    """Files under their names in a packed zip, as a file that goes once it is closed."""
    content = TemporaryFile()  # noqa: SIM115  # whoever sends it closes it
    with ZipFile(content, "w", ZIP_DEFLATED) as archive:
        for inner, path in files.items():
            archive.write(path, inner)
    content.seek(0)
    return content


def _zipped(files: Mapping[str, Path], texts: Mapping[str, str]) -> Iterator[bytes]:
    sent = _Pieces()
    with ZipFile(sent, "w", ZIP_STORED) as archive:
        for name, text in texts.items():
            archive.writestr(name, text)
        for name, path in files.items():
            with path.open("rb") as file, archive.open(ZipInfo.from_file(path, name), "w", force_zip64=True) as entry:
                while piece := file.read(1 << 20):
                    entry.write(piece)
                    yield sent.taken()
    yield sent.taken()


class _Pieces(RawIOBase):
    """What was written since it was taken last."""

    def __init__(self) -> None:
        self._waiting = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, piece: Any) -> int:
        self._waiting += piece
        return len(piece)

    def taken(self) -> bytes:
        waiting, self._waiting = bytes(self._waiting), bytearray()
        return waiting


def as_csv(rows: Iterable[Mapping[str, Any]], name: str) -> StreamingHttpResponse:
    """Rows as a CSV file (RFC 4180) with a line of names, sent as they come; lists are joined by semicolons. The names
    are those of all rows of a list, or else of the first row."""
    return _sent_as_it_comes(_csv_lines(rows), f"{name}.csv", "text/csv; charset=utf-8")


def _csv_lines(rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    known = rows if isinstance(rows, list) else []
    waiting = iter(rows)
    first = next(waiting, {})
    line = StringIO()
    writer = csv.DictWriter(line, list(dict.fromkeys(key for row in (known or [first]) for key in row)))
    writer.writeheader()
    for row in chain([first] if first else [], waiting):
        writer.writerow(
            {key: "; ".join(map(str, value)) if isinstance(value, list) else value for key, value in row.items()}
        )
        yield line.getvalue()
        line.seek(0)
        line.truncate()


def as_json_file(rows: Iterable[Mapping[str, Any]], name: str) -> StreamingHttpResponse:
    """The same rows as JSON."""
    return _sent_as_it_comes(_json_lines(rows), f"{name}.json", "application/json")


def _json_lines(rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    before = "[\n"
    for row in rows:
        yield f"{before}{json.dumps(row, ensure_ascii=False)}"
        before = ",\n"
    yield "[]" if before == "[\n" else "\n]\n"


def _sent_as_it_comes(lines: Iterable[str] | Iterable[bytes], name: str, content_type: str) -> StreamingHttpResponse:
    following = iter(lines)
    first = next(following, b"")  # what cannot be made at all is refused before anything is sent
    response = StreamingHttpResponse(chain([first], following), content_type=content_type)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def answer_errors(error: Exception, context: dict[str, Any]) -> Response | None:
    """Every refusal is `{"detail": one sentence}`, with the `field` that is wrong where that is known; a stale write
    also says which version stands now."""
    is_full = isinstance(error, OperationalError) and "disk is full" in str(error)
    if is_full or (isinstance(error, OSError) and is_disk_full(error)):
        error = DiskFull()
    if isinstance(error, DiskFull):
        return Response({"detail": str(error)}, status=status.HTTP_507_INSUFFICIENT_STORAGE)
    if isinstance(error, BadInput):
        return Response(_told(str(error), error.field), status=status.HTTP_400_BAD_REQUEST)
    if isinstance(error, Stale):
        return Response({"detail": str(error), "version": error.version}, status=status.HTTP_409_CONFLICT)
    if isinstance(error, Http404 | ObjectDoesNotExist):
        return Response({"detail": "This is gone, or never was. Reload the page."}, status=status.HTTP_404_NOT_FOUND)
    if isinstance(error, serializers.ValidationError):
        field = next(iter(error.detail)) if isinstance(error.detail, dict) else ""
        return Response(_told(_sentence(error.detail), field), status=status.HTTP_400_BAD_REQUEST)
    if isinstance(error, OperationalError) and "locked" in str(error):
        return Response(
            {"detail": "Saltwort is busy saving something else. Try again in a moment."},
            status=status.HTTP_503_SERVICE_UNAVAILABLE,
        )
    if isinstance(error, SuspiciousOperation):
        return Response({"detail": "This request is larger than anything that Saltwort takes."}, status=400)
    if isinstance(error, RecursionError):
        return Response({"detail": TOO_DEEP}, status=status.HTTP_400_BAD_REQUEST)
    return exception_handler(error, context)


def _told(sentence: str, field: str) -> dict[str, str]:
    return {"detail": sentence, **({"field": field} if field and field != "non_field_errors" else {})}


def _sentence(detail: Any, field: str = "") -> str:
    """The first of the framework's messages, with the field it is about."""
    if isinstance(detail, dict):
        name, inner = next(iter(detail.items()))
        is_named = isinstance(name, str) and name != "non_field_errors" and not name.isdigit()
        return _sentence(inner, name if is_named else field)  # one of a list is told by the list
    if isinstance(detail, list):
        return _sentence(detail[0], field)
    called = field.replace("_", " ").capitalize() or "This"
    numbers = re.findall(r"-?\d+(?:\.\d+)?", str(detail))
    words = _IN_OUR_WORDS.get(getattr(detail, "code", ""))
    if words:
        return words.format(field=called, number=numbers[-1].removesuffix(".0") if numbers else "")
    return f"{called}: {detail}" if field else str(detail)


_IN_OUR_WORDS = {
    "required": "{field} is missing. Fill it in.",
    "null": "{field} is empty. Fill it in.",
    "blank": "{field} is empty. Fill it in.",
    "empty": "{field} is empty. Choose another.",
    "no_name": "{field} has no name. Save it under one, and choose it again.",
    "max_length": "{field} is too long: {number} at most. Shorten it.",
    "min_length": "{field} is too short: {number} at least.",
    "max_value": "{field} is {number} at most. Lower it.",
    "min_value": "{field} is {number} at least. Raise it.",
    "max_string_length": "{field} is too long. Shorten it.",
}
"""For what the framework finds wrong with a field, by its code."""
