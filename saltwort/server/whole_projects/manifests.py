"""What stands in the bundle of a project, and its file."""

from collections.abc import Callable, Sequence
from contextlib import closing
from dataclasses import fields
from typing import IO, Any

from saltwort.core.bundle import (
    FORMAT,
    BundledAnswer,
    BundledComparison,
    BundledConfig,
    BundledDependence,
    BundledFrame,
    BundledImage,
    BundledKept,
    BundledOutput,
    BundledProof,
    BundledRender,
    BundledRevision,
    BundledStation,
    BundledTexture,
    BundledWatch,
    BundledWatchedFrame,
    BundleWriter,
    Manifest,
)
from saltwort.core.images.intake import PREVIEW_SUFFIX
from saltwort.core.structured import structured
from saltwort.server.compare.models import Comparison
from saltwort.server.handoffs.models import Proof, Station
from saltwort.server.images.models import StoredImage, media_file
from saltwort.server.jobs.models import WAITING
from saltwort.server.projects.models import BaseConfig, ConfigFile, Project, Revision
from saltwort.server.projects.setups import UPLOADED
from saltwort.server.scene.models import Frame
from saltwort.server.watching.models import WatchedFolder


def write_bundle(project: Project, file: IO[bytes], *, with_images: bool) -> None:
    """Write a project into a bundle. Pictures of renders are always in it, of sequences the frame looked at; the other
    frames and files of textures where they are asked for, read where they lie. Raises BadInput when one is gone."""
    manifest = manifest_of(project, with_images=with_images)
    with closing(BundleWriter(file, manifest)) as bundle:
        for lut in ConfigFile.objects.filter(pk__in=luts_of(manifest)).order_by("pk").iterator():
            bundle.add_lut(lut.sha256, bytes(lut.content))
        stored = StoredImage.objects.in_bulk([image.sha256 for image in manifest.images])
        for image in manifest.images:
            if image.has_file:
                bundle.add_image(image, stored[image.sha256].file)
            elif (preview := media_file(image.sha256, PREVIEW_SUFFIX)).exists():
                bundle.add_preview(image.sha256, preview.read_bytes())


def manifest_of(project: Project, *, with_images: bool) -> Manifest:
    """All of a project but its pictures and LUTs."""
    revisions = list(project.revisions.select_related("parent").order_by("number"))
    bases = {revision.setup["base"].removeprefix(UPLOADED) for revision in revisions}
    renders = list(project.renders.order_by("pk"))
    frames = list(Frame.objects.filter(render__in=renders).exclude(state=WAITING).order_by("render", "number"))
    textures = list(project.textures.order_by("path"))
    images = {one.image_id: with_images for one in (*textures, *frames) if one.image_id}
    images |= {render.image_id: True for render in renders}
    stations = list(project.stations.all())
    place_of = {station.pk: place for place, station in enumerate(stations)}
    proofs = list(Proof.objects.filter(station__in=stations).order_by("pk"))
    images |= {proof.image_id: True for proof in proofs}
    number_of = {render.pk: number for number, render in enumerate(renders, start=1)}
    comparison = Comparison.objects.filter(project=project).first()
    return Manifest(
        format=FORMAT,
        slug=project.slug,
        name=project.name,
        tracer_space=project.tracer_space,
        tracer_unit=project.tracer_unit,
        tracer_text=project.tracer_text,
        current=project.current.number,
        revisions=[_revision(revision) for revision in revisions],
        configs=[
            BundledConfig(config.sha256, config.name, config.text, config.files)
            for config in BaseConfig.objects.filter(pk__in=bases).order_by("pk")
        ],
        images=[
            BundledImage(image.sha256, image.suffix, image.size, image.facts, images[image.sha256])
            for image in StoredImage.objects.filter(pk__in=images).order_by("pk")
        ],
        textures=[
            BundledTexture(
                one.path,
                one.image_id,
                one.pin_space,
                one.pin_note,
                one.pin_author,
                one.kind_by_hand,
                one.converted_from,
            )
            for one in textures
        ],
        renders=[
            BundledRender(
                number_of[one.pk],
                one.name,
                one.image_id,
                one.layer,
                one.space,
                one.rig,
                one.frame,
                [BundledFrame(of.number, of.name, of.image_id, of.reason) for of in frames if of.render_id == one.pk],
            )
            for one in renders
        ],
        comparison=comparison
        and BundledComparison(
            number_of.get(comparison.render_id or 0),
            comparison.exposure,
            [numbered(pane, number_of.get) for pane in comparison.panes],
            comparison.probes,
            comparison.grade,
        ),
        kept=[
            BundledKept(one.revision.number, one.name, one.notes, numbered_state(one.state, number_of.get))
            for one in project.kept_comparisons.select_related("revision").order_by("pk")
        ],
        stations=_stations(stations, project),
        outputs=[
            BundledOutput(one.kind, one.name, number_of.get(one.render_id or 0), one.revision.number, one.settings)
            for one in project.outputs.select_related("revision").order_by("pk")
        ],
        proofs=[_proof(proof, place_of[proof.station_id]) for proof in proofs],
        watched=[
            _watch(folder, place_of.get(folder.station_id or 0), number_of.get(folder.render_id or 0))
            for folder in project.watched.order_by("place")
        ],
    )


def _proof(proof: Proof, station: int) -> BundledProof:
    return BundledProof(
        station,
        proof.image_id,
        proof.name,
        proof.revision,
        proof.came,
        structured(BundledAnswer, proof.told, "A proof"),
        structured(BundledDependence, proof.depends, "A proof"),
        proof.author,
        proof.created.isoformat(),
    )


def _watch(folder: WatchedFolder, station: int | None, render: int | None) -> BundledWatch:
    names = [field.name for field in fields(BundledWatchedFrame)]
    frames = [
        structured(BundledWatchedFrame, frame, "A watched frame")
        for frame in folder.frames.order_by("stem", "number", "name").values(*names)
    ]
    return BundledWatch(folder.place, folder.expects_light, folder.display, folder.view, station, render, frames)


def _stations(stations: Sequence[Station], project: Project) -> list[BundledStation]:
    place = {one.pk: number for number, one in enumerate(stations)}
    takers = project.hand_offs.values_list("giver_id", "taker_id")
    return [
        BundledStation(
            one.name,
            one.reads,
            one.abilities,
            one.kind,
            [place[taker] for giver, taker in takers if giver == one.pk],
        )
        for one in stations
    ]


def _revision(revision: Revision) -> BundledRevision:
    return BundledRevision(
        number=revision.number,
        parent=revision.parent.number if revision.parent else None,
        setup=revision.setup,
        text=revision.text,
        files=revision.files,
        proof=revision.proof,
        replacements=revision.replacements,
        parts=revision.parts,
        author=revision.author,
        message=revision.message,
        created=revision.created.isoformat(),
    )


def luts_of(manifest: Manifest) -> set[str]:
    """The hashes of all LUTs that its configs and looks name."""
    files = {file for one in manifest.revisions for file in one.files.values()}
    files |= {file for one in manifest.configs for file in one.files.values()}
    looks = (look for revision in manifest.revisions for look in revision.setup.get("added_looks") or ())
    return files | {look["lut_sha256"] for look in looks if look.get("lut_sha256")}


Numbering = Callable[[int], int | None]


def numbered(pane: dict[str, Any], number: Numbering) -> dict[str, Any]:
    """A pane with its render called what `number` gives; none where it gives none."""
    return {**pane, "render": number(pane["render"]) if pane.get("render") else None}


def numbered_state(state: dict[str, Any], number: Numbering) -> dict[str, Any]:
    """The same for what a kept comparison shows."""
    panes = [numbered(pane, number) for pane in state.get("panes", [])]
    return {**state, "render": number(state.get("render") or 0) or 0, "panes": panes}
