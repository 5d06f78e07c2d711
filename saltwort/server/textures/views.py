"""HTTP for textures."""

from typing import Any
from urllib.parse import urlencode

from django.http import FileResponse, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import status
from rest_framework.decorators import api_view, parser_classes
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.images import Facts
from saltwort.core.images.measuring import GREEN_TOLD
from saltwort.core.textures.evidence import evidence_for, verdict_of
from saltwort.core.textures.kinds import MAP_KINDS
from saltwort.core.textures.pixel_evidence import environment_stops
from saltwort.server.http import BINARY, as_csv, as_json_file, author_of, parsed
from saltwort.server.images.operations import store_upload
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, rule_book_of
from saltwort.server.projects.views import project_named
from saltwort.server.queries import among
from saltwort.server.textures import operations
from saltwort.server.textures.listing import Wanted, choices, narrowed, sets_among
from saltwort.server.textures.manifest import manifest_of
from saltwort.server.textures.materials import compare_document, packed_documents
from saltwort.server.textures.models import Reading, Texture
from saltwort.server.textures.operations import assigned
from saltwort.server.textures.readings import LEVEL_OF, bring_in_step, refresh
from saltwort.server.textures.serializers import (
    ChoicesSerializer,
    ChosenTextures,
    DisagreementSerializer,
    KindChange,
    PinChange,
    PinningsRequest,
    SummarySerializer,
    TextureDetailSerializer,
    TextureIdSerializer,
    TexturePageQuery,
    TexturePageSerializer,
    TexturesQuery,
)
from saltwort.server.uploads import PlainFile, TextureUpload, read_upload


@extend_schema(
    methods=["GET"],
    operation_id="projects_textures_page",
    parameters=[TexturePageQuery],
    responses=TexturePageSerializer,
)
@extend_schema(
    methods=["POST"], request={"multipart/form-data": TextureUpload}, responses={201: TextureDetailSerializer}
)
@api_view(["GET", "POST"])
@parser_classes([MultiPartParser])
def textures(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "POST":
        asked = parsed(request, TextureUpload)
        path = operations.clean_path(asked["path"])  # refused before the file is measured
        texture = operations.add_texture(project, path, store_upload(asked["file"]))
        return Response(texture_detail(texture), status=status.HTTP_201_CREATED)
    asked = parsed(request, TexturePageQuery, query=True)
    offset, limit = asked.pop("offset"), asked.pop("limit")
    unchecked = refresh(project)
    wanted = narrowed(project, Wanted(**asked))
    ids = list(wanted.values_list("pk", flat=True)[offset : offset + limit])  # from an index alone, however far down
    rows = Reading.objects.select_related("texture__image").prefetch_related("findings").in_bulk(ids)
    shown = [rows[pk] for pk in ids if pk in rows]
    page = {
        "total": wanted.count(),
        "every": project.textures.count(),
        "unchecked": unchecked,
        "offset": offset,
        "textures": [_listed(project, reading) for reading in shown],
        "sets": sets_among(project, {reading.set_key for reading in shown}).values(),
    }
    return Response(TexturePageSerializer(page).data)


@extend_schema(responses=ChoicesSerializer)
@api_view(["GET"])
def texture_choices(request: Request, slug: str) -> Response:
    """What the list of textures can be narrowed to."""
    project = project_named(slug)
    refresh(project)
    return Response(ChoicesSerializer(choices(narrowed(project, Wanted()))).data)


@extend_schema(parameters=[TexturesQuery], responses=TextureIdSerializer(many=True))
@api_view(["GET"])
def texture_ids(request: Request, slug: str) -> Response:
    """All files that a list is narrowed to, to be chosen, in its order."""
    project = project_named(slug)
    bring_in_step(project)
    wanted = narrowed(project, Wanted(**parsed(request, TexturesQuery, query=True)))
    return Response([{"id": pk, "version": version} for pk, version in wanted.values_list("pk", "texture__version")])


@extend_schema(request=ChosenTextures, responses=SummarySerializer)
@api_view(["POST"])
def summary(request: Request, slug: str) -> Response:
    """What chosen files are, all together."""
    project = project_named(slug)
    bring_in_step(project)
    chosen = narrowed(project, Wanted())
    if ids := parsed(request, ChosenTextures)["textures"]:
        chosen = chosen.filter(among("texture_id", ids))
    numbers = [{"id": pk, "version": version} for pk, version in chosen.values_list("pk", "texture__version")]
    pinned = set(chosen.filter(reason="pin").values_list("pk", flat=True))
    found = {
        **choices(chosen),
        "chosen": numbers,
        "files": len(numbers),
        "with_finding": chosen.filter(rank__gt=0).count(),
        "pinned": [number for number in numbers if number["id"] in pinned],
    }
    return Response(SummarySerializer(found).data)


@extend_schema(responses=TextureDetailSerializer)
@api_view(["GET"])
def texture(request: Request, slug: str, pk: int) -> Response:
    return Response(texture_detail(texture_named(slug, pk)))


@extend_schema(request=PinChange, responses=TextureDetailSerializer)
@api_view(["PUT"])
def pin(request: Request, slug: str, pk: int) -> Response:
    asked = parsed(request, PinChange)
    return Response(
        texture_detail(
            operations.pin_texture(
                texture_named(slug, pk), asked["based_on"], asked["space"], asked["note"], author_of(request)
            )
        )
    )


@extend_schema(request=KindChange, responses=TextureDetailSerializer)
@api_view(["PUT"])
def kind(request: Request, slug: str, pk: int) -> Response:
    """Say what a texture holds, where its name does not."""
    asked = parsed(request, KindChange)
    found = operations.set_kind(texture_named(slug, pk), asked["based_on"], asked["kind"], author_of(request))
    return Response(texture_detail(found))


@extend_schema(request=PinningsRequest, responses={204: None})
@api_view(["PUT"])
def pins(request: Request, slug: str) -> Response:
    """Set or take away many pins, all or none."""
    asked = parsed(request, PinningsRequest)
    pinnings = [operations.Pinning(**pinning) for pinning in asked["pins"]]
    operations.pin_textures(project_named(slug), pinnings, author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=ChosenTextures, responses={204: None})
@api_view(["POST"])
def remove(request: Request, slug: str) -> Response:
    operations.remove_textures(project_named(slug), parsed(request, ChosenTextures)["textures"], author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(responses=BINARY)
@api_view(["GET"])
def manifest(request: Request, slug: str, kind: str) -> HttpResponse:
    """Every texture with the space it is read in, why, and what the file itself says, for other programs to read."""
    rows = manifest_of(project_named(slug))
    return {"csv": as_csv, "json": as_json_file}[kind](rows, f"{slug}-textures")


@extend_schema(responses=BINARY)
@api_view(["GET"])
def material_zip(request: Request, slug: str) -> FileResponse:
    """A material document for every texture set."""
    content = packed_documents(project_named(slug))
    return FileResponse(content, as_attachment=True, filename=f"{slug}-materials.zip", content_type="application/zip")


@extend_schema(request={"multipart/form-data": PlainFile}, responses=DisagreementSerializer(many=True))
@api_view(["POST"])
@parser_classes([MultiPartParser])
def compare_material(request: Request, slug: str) -> Response:
    file = parsed(request, PlainFile)["file"]
    rows = compare_document(project_named(slug), read_upload(file), file.name)
    return Response(DisagreementSerializer(rows, many=True).data)


def texture_named(slug: str, pk: int) -> Texture:
    """The texture of a URL, with its project as it stands."""
    return get_object_or_404(Texture.objects.select_related("image", "project__current"), project__slug=slug, pk=pk)


def _listed(project: Project, reading: Reading) -> dict[str, Any]:
    """A texture in a list, from what is kept of it."""
    texture = reading.texture
    texture.project = project
    header = texture.image.facts["header"]
    kind = MAP_KINDS.get(reading.kind)
    return {
        "id": texture.pk,
        "path": reading.path,
        "version": texture.version,
        "kind": kind,
        "kind_word": reading.word,
        "member": {
            "key": reading.set_key,
            "name": reading.set_name,
            "tile": reading.tile,
            "resolution": reading.resolution,
            "frame": reading.frame,
        },
        "assignment": {
            "space": reading.space,
            "reason": {
                "kind": reading.reason,
                "index": _rule_index(project, reading),
                "name": reading.reason_name,
            },
        },
        "width": header["width"],
        "height": header["height"],
        "format": header["format"],
        "bit_depth": header["bit_depth"],
        "size": texture.image.size,
        "thumbnail": _thumbnail(texture, reading.space),
        "findings": _findings_of(reading),
    }


def _findings_of(reading: Reading) -> list[dict[str, str]]:
    return [
        {"code": found.code, "level": LEVEL_OF[found.rank], "title": found.title} for found in reading.findings.all()
    ]


def _rule_index(project: Project, reading: Reading) -> int | None:
    """The place of what decided among the rules, of which the default is the last; None for a pin."""
    names = [rule["name"] for rule in project.current.setup["rules"]]
    if reading.reason == "rule":
        return names.index(reading.reason_name) if reading.reason_name in names else None
    return len(names) if reading.reason == "default" else None


def _thumbnail(texture: Texture, space: str) -> str:
    # All that the picture depends on stands in its address: content, space, and the revision's view.
    depends = {"space": space, "v": f"{texture.image_id[:12]}-{texture.project.current.config_hash[:12]}"}
    return f"/api/v1/projects/{texture.project.slug}/textures/{texture.pk}/picture?{urlencode(depends)}"


def texture_detail(texture: Texture) -> dict[str, Any]:
    """Everything of one texture, as `TextureDetailSerializer` has it."""
    project = texture.project
    refresh(project)
    row = assigned(project, [texture])[0]
    facts = texture.image.measured()
    config = config_of(texture.project.current)
    evidence = evidence_for(config, texture.path, row.kind, facts)
    return TextureDetailSerializer(
        {
            **_listed(project, Reading.objects.get(texture=texture)),
            "evidence": evidence,
            "packed": row.kind.channels if row.kind else (),
            "verdict": verdict_of(evidence),
            "facts": [{"name": name, "value": value} for name, value in _facts(facts).items()],
            "header": [{"name": name, "value": _tag(tag)} for name, tag in sorted(facts.header.tags.items())],
            "why": rule_book_of(texture.project.current).explain(texture.path),
            "pin_note": texture.pin_note,
            "pin_author": texture.pin_author,
            "kind_by_hand": texture.kind_by_hand,
        }
    ).data


def _facts(facts: Facts) -> dict[str, str]:
    """What was measured, in the words and figures that the screen shows."""
    header, stats = facts.header, facts.stats
    tags = header.tags
    chromaticities = tags.get("chromaticities")
    found = {
        "samples": f"{header.bit_depth}, {header.channels} {'channel' if header.channels == 1 else 'channels'}",
        "size": f"{header.width} × {header.height}",
        "compression": header.compression,
        "lowest": _per_channel(stats.min),
        "1 % below": _per_channel(stats.low),
        "median": _per_channel(stats.median),
        "99 % below": _per_channel(stats.high),
        "highest": _per_channel(stats.max),
        "mean": _per_channel(stats.mean),
        "below 0": _share(stats.below_zero),
        "above 1": _share(stats.above_one),
        "not finite": str(stats.non_finite) if stats.non_finite else "none",
        "levels in a sample": f"{stats.levels:,}",
        "steps": _steps(facts),
        "interop ID": str(tags.get("colorInteropID", "not written")),
        "chromaticities": _per_channel(chromaticities) if isinstance(chromaticities, tuple) else "not written",
    }
    if header.layers:
        found["layers"] = ", ".join(header.layers)
    if header.parts > 1:
        found["parts"] = f"{header.parts}, of which the first is read"
    if stats.equal_channels:
        found["channels"] = "red, green and blue are the same"
    if stats.vector_length:
        found["vectors"] = f"mean length {stats.vector_length:.3f}, direction {_per_channel(stats.direction)}"
        found["green points"] = (
            "down" if stats.green > GREEN_TOLD else "up" if stats.green < -GREEN_TOLD else "either way"
        )
    if (stops := environment_stops(facts)) is not None:
        found["range"] = f"{stops:.1f} stops from median to peak"
    return found


def _steps(facts: Facts) -> str:
    stats = facts.stats
    if stats.linear_steps:
        return f"all of {stats.linear_steps} bits"
    return f"all of {stats.encoded_steps} bits, once encoded" if stats.encoded_steps else "none to be told"


def _tag(tag: str | float | tuple[float, ...]) -> str:
    if isinstance(tag, str):
        return tag
    return " ".join(f"{number:.6g}" for number in (tag if isinstance(tag, tuple) else (tag,)))


def _per_channel(values: tuple[float | None, ...]) -> str:
    return " ".join("–" if value is None else f"{value:.3g}" for value in values)


def _share(share: float) -> str:
    return f"{share:.2%}" if share else "none"
