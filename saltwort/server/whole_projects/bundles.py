"""Make a project of a bundle, and another of a project."""

from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict
from datetime import datetime
from math import isfinite
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO

from django.db import transaction
from django.db.models import Model
from django.utils import timezone

from saltwort.core.bundle import (
    Bundle,
    BundledConfig,
    BundledImage,
    BundledProof,
    BundledRevision,
    BundledWatch,
    BundledWatchedFrame,
    Manifest,
    facts_of,
)
from saltwort.core.configs.untried import try_config
from saltwort.core.deliverables import upgraded
from saltwort.core.engine import ConfigArchive
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.findings import codes
from saltwort.core.images.intake import PREVIEW_SUFFIX
from saltwort.core.project import read_setup
from saltwort.core.stations.chain import check_arrows
from saltwort.core.stations.handshake.answer import VERDICTS
from saltwort.core.stations.kinds import BY_KEY
from saltwort.core.stations.sheet import LEVELS
from saltwort.core.stations.station import READS_RENDERS, READS_TEXTURES
from saltwort.core.stations.station import Station as CoreStation
from saltwort.core.threads import on_all_cores
from saltwort.server.compare.models import Comparison, KeptComparison
from saltwort.server.compare.views import ComparisonChange, KeptState
from saltwort.server.handoffs.models import HandOff, Proof, Station
from saltwort.server.handoffs.proving import SHOWN, WRITTEN
from saltwort.server.images.models import StoredImage, media_file
from saltwort.server.images.operations import store_file
from saltwort.server.outputs.models import Output
from saltwort.server.outputs.operations import check_output
from saltwort.server.projects.models import BaseConfig, Project, Revision
from saltwort.server.projects.operations import free_slug
from saltwort.server.projects.setups import UPLOADED, archive_of, base_archive, keep_lut
from saltwort.server.scene.models import IN, REFUSED, Frame, Render
from saltwort.server.scene.operations import measured_render
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import clean_path
from saltwort.server.watching.models import WatchedFolder, WatchedFrame
from saltwort.server.whole_projects.manifests import luts_of, manifest_of, numbered, numbered_state

MOST_OF_INTEGER, MOST_OF_BIG_INTEGER = 1 << 31, 1 << 63
"""Beyond what the database holds in a whole number, and in a big one."""
Say = Callable[[str], None]


def read_bundle(file: IO[bytes], name: str, say: Say = lambda doing: None) -> Project:
    """Make a project of a bundle: the same setup, textures, renders and comparisons, under a name that is free.

    All is checked, and every config tried, before anything is kept. Raises BadInput, and leaves nothing behind, for a
    bundle that is damaged, of a newer Saltwort, or made to harm.
    """
    bundle = Bundle(file, name)
    say("Checking the configs")
    _check_setups(bundle, name)
    say("Measuring the pictures")
    with _pictures_in(bundle, name) as images:
        renders = _renders(bundle.manifest, images)
        with transaction.atomic():
            return _project_made(bundle, images, renders)


def duplicate(project: Project, name: str) -> Project:
    """Make another project that has all of this one's, under another name. Its pictures are kept once."""
    manifest = manifest_of(project, with_images=False)
    images = StoredImage.objects.in_bulk([image.sha256 for image in manifest.images])
    renders = _renders(manifest, images)
    with transaction.atomic():
        return _created(manifest, images, renders, name)


def _check_setups(bundle: Bundle, name: str) -> None:
    manifest = bundle.manifest
    imported = {UPLOADED + config.sha256 for config in manifest.configs}
    archives = {}
    with_files: list[BundledConfig | BundledRevision] = [*manifest.configs, *manifest.revisions]
    for one in with_files:
        archive = ConfigArchive(one.text, {path: bundle.lut(digest) for path, digest in one.files.items()})
        if isinstance(one, BundledConfig) and archive.hash != one.sha256:
            raise BadInput(f"{name} is damaged. Export the bundle again, and copy it whole.")
        archives[archive.hash] = archive
    for revision in manifest.revisions:
        setup = read_setup(revision.setup)
        if setup.base not in imported:
            base_archive(setup.base)
    on_all_cores(lambda archive: try_config(archive, name), list(archives.values()))
    for texture in manifest.textures:
        if clean_path(texture.path) != texture.path:
            raise BadInput(f"{name} names a texture “{texture.path[:200]}”, which is no path inside a project.")
    for station in manifest.stations:
        if station.reads not in (READS_TEXTURES, READS_RENDERS):
            raise BadInput(f"{name} has an application of a kind that there is not. Export the bundle again.")
        CoreStation(station.name, station.reads).with_abilities(station.abilities)
    check_arrows(range(len(manifest.stations)), _arrows(manifest))
    _check_proofs(manifest, name)
    _check_watched(manifest, name)
    _check_looks(manifest, name)


def _check_proofs(manifest: Manifest, name: str) -> None:
    """Hold what test cards told to what they can tell."""
    for proof in manifest.proofs:
        mistakes = [*proof.told.made, *(mistake for other in proof.told.others for mistake in other)]
        numbers = (proof.told.largest, proof.told.left, proof.told.step, *proof.depends.numbers)
        fits = (
            proof.told.verdict in VERDICTS
            and proof.came in (SHOWN, WRITTEN)
            and all(mistake.level in LEVELS for mistake in mistakes)
            and all(map(isfinite, numbers))
            and 0 <= proof.revision < MOST_OF_INTEGER
        )
        if not fits:
            raise BadInput(f"{name} has a test card with an impossible answer. Export the bundle again.")


def _check_watched(manifest: Manifest, name: str) -> None:
    """Hold watched folders to what can have been found in them."""
    known = {code.code for code in codes()}
    if len({watch.place for watch in manifest.watched}) < len(manifest.watched):
        raise BadInput(f"{name} has a watched folder twice. Export the bundle again.")
    for watch in manifest.watched:
        if len({frame.name for frame in watch.frames}) < len(watch.frames):
            raise BadInput(f"{name} has a watched frame twice. Export the bundle again.")
        if not all(_can_be(frame, known) for frame in watch.frames):
            raise BadInput(f"{name} has a watched frame with impossible values. Export the bundle again.")


def _can_be(frame: BundledWatchedFrame, known: Collection[str]) -> bool:
    figures = [each for each in (frame.peak, frame.mean, frame.high, frame.clipped) if each is not None]
    return (
        all(map(isfinite, figures))
        and all(code in known for code, _ in frame.notes)
        and all(0 <= whole < MOST_OF_INTEGER for whole in (frame.revision, frame.number or 0))
        and all(0 <= size < MOST_OF_BIG_INTEGER for size in (frame.size, frame.modified))
    )


def _arrows(manifest: Manifest) -> list[tuple[int, int]]:
    """Who hands on to whom, by their places; a bundle of an older Saltwort knows rows only."""
    last = len(manifest.stations) - 1
    return [
        (giver, taker)
        for giver, station in enumerate(manifest.stations)
        for taker in ((giver + 1,) * (giver < last) if station.hands_on_to is None else station.hands_on_to)
    ]


def _check_looks(manifest: Manifest, name: str) -> None:
    """Hold what panes show to what the screens could have saved."""
    checks = [KeptState(data=kept.state) for kept in manifest.kept]
    if manifest.comparison:
        shown = {**asdict(manifest.comparison), "based_on": 0}
        if not shown["grade"]:
            del shown["grade"]
        checks.append(ComparisonChange(data=shown))
    if not all(check.is_valid() for check in checks):
        raise BadInput(f"{name} holds a comparison that cannot be shown. Export the bundle again.")


@contextmanager
def _pictures_in(bundle: Bundle, name: str) -> Iterator[dict[str, StoredImage]]:
    """The pictures of a bundle as they are kept here; those that were new go again where it fails."""
    wanted = bundle.manifest.images
    known = StoredImage.objects.in_bulk([image.sha256 for image in wanted])
    images = {digest: image for digest, image in known.items() if _is_at_hand(image)}
    fresh = [image for image in wanted if image.sha256 not in images]
    try:
        with TemporaryDirectory() as folder:
            for number, image in enumerate(fresh):
                images[image.sha256] = _kept(bundle, image, Path(folder) / f"{number}{image.suffix}", name)
        yield images
    except BaseException:
        new = {image.sha256 for image in fresh} - known.keys()
        StoredImage.objects.filter(
            pk__in=new, texture=None, render=None, frame=None, proof=None, explanation=None
        ).delete()
        taken_up = set(StoredImage.objects.filter(pk__in=new).values_list("pk", flat=True))
        for image in fresh:
            if image.sha256 in new - taken_up:  # somebody may have added the same picture meanwhile
                media_file(image.sha256, image.suffix).unlink(missing_ok=True)
                media_file(image.sha256, PREVIEW_SUFFIX).unlink(missing_ok=True)
        raise


def _is_at_hand(image: StoredImage) -> bool:
    try:
        return image.file.exists()
    except BadInput:
        return False


def _kept(bundle: Bundle, image: BundledImage, target: Path, name: str) -> StoredImage:
    if image.has_file:
        bundle.unpack_image(image, target)
        return store_file(target, f"A picture of {name}")
    if preview := bundle.preview(image.sha256):
        with replacing(media_file(image.sha256, PREVIEW_SUFFIX)) as temporary:
            temporary.write_bytes(preview)
    fields = {"suffix": image.suffix, "size": image.size, "facts": asdict(facts_of(image))}
    return StoredImage.objects.get_or_create(sha256=image.sha256, defaults=fields)[0]


Images = dict[str, StoredImage]
Renders = dict[int, Render]


def _renders(manifest: Manifest, images: Images) -> Renders:
    """The renders by their number, measured, and not saved yet."""
    made = {}
    for one in manifest.renders:
        made[one.number] = measured_render(one.name, images[one.image], one.rig, one.layer)
        made[one.number].space, made[one.number].frame = one.space, one.frame
    return made


def _frames(manifest: Manifest, renders: Renders, images: Images) -> list[Frame]:
    """The frames of renders that are saved. They are kept here, wherever they were read."""
    return [
        Frame(
            render=renders[one.number],
            number=frame.number,
            name=frame.name,
            reason=frame.reason,
            image=images[frame.image] if frame.image else None,
            state=IN if frame.image else REFUSED,
            size=images[frame.image].size if frame.image else 0,
        )
        for one in manifest.renders
        for frame in one.frames
    ]


def _project_made(bundle: Bundle, images: Images, renders: Renders) -> Project:
    manifest = bundle.manifest
    for digest in sorted(luts_of(manifest)):
        keep_lut(bundle.lut(digest))
    for config in manifest.configs:
        BaseConfig.objects.update_or_create(
            sha256=config.sha256,
            defaults={"brought": timezone.now()},
            create_defaults={"name": config.name[:200], "text": config.text, "files": config.files},
        )
    return _created(manifest, images, renders, manifest.name)


def _created(manifest: Manifest, images: Images, renders: Renders, name: str) -> Project:
    slug, name = free_slug(name, manifest.slug if name == manifest.name else "")
    tracer = {"tracer_space": manifest.tracer_space, "tracer_unit": manifest.tracer_unit}
    project = Project(slug=slug, name=name, tracer_text=manifest.tracer_text, **tracer)
    _save(project)
    revisions = _revisions(project, manifest.revisions)
    project.current = revisions[manifest.current]
    project.save(update_fields=["current"])
    textures = [
        Texture(
            project=project,
            path=one.path,
            image=images[one.image],
            pin_space=one.pin_space,
            pin_note=one.pin_note,
            pin_author=one.pin_author,
            kind_by_hand=one.kind_by_hand,
            converted_from=one.converted_from,
        )
        for one in manifest.textures
    ]
    for texture in textures:
        _check_lengths(texture)
    Texture.objects.bulk_create(textures, batch_size=500)
    for _, render in sorted(renders.items()):
        render.project = project
        _save(render)
    frames = _frames(manifest, renders, images)
    for frame in frames:
        _check_lengths(frame)
    Frame.objects.bulk_create(frames, batch_size=500)
    _comparisons(project, manifest, renders, revisions)
    stations = []
    for position, station in enumerate(manifest.stations):
        stations.append(
            Station(
                project=project,
                position=position,
                name=station.name,
                kind=station.kind if station.kind in BY_KEY else "",
                reads=station.reads,
                abilities=station.abilities,
            )
        )
        _save(stations[-1])
    for giver, taker in dict.fromkeys(_arrows(manifest)):
        _save(HandOff(project=project, giver=stations[giver], taker=stations[taker]))
    for one in manifest.outputs:
        kind, settings = upgraded(one.kind, one.settings)
        output = Output(
            project=project,
            kind=kind,
            name=one.name,
            render=renders.get(one.render or 0),
            revision=revisions[one.revision],
            settings=settings,
        )
        check_output(output)
        _save(output)
    for proof in manifest.proofs:
        _save_proof(proof, stations[proof.station], images[proof.image])
    for watch in manifest.watched:
        _save_watch(project, watch, stations, renders)
    return project


def _save_proof(one: BundledProof, station: Station, image: StoredImage) -> None:
    proof = Proof(
        station=station,
        image=image,
        name=one.name,
        revision=one.revision,
        came=one.came,
        verdict=one.told.verdict,
        told=asdict(one.told),
        depends=asdict(one.depends),
        author=one.author,
    )
    _save(proof)
    Proof.objects.filter(pk=proof.pk).update(created=_time(one.created))


def _save_watch(project: Project, one: BundledWatch, stations: Sequence[Station], renders: Renders) -> None:
    """A watched folder with what was found. It is not looked at until somebody says so: here it may be another
    folder."""
    folder = WatchedFolder(
        project=project,
        place=one.place,
        expects_light=one.expects_light,
        display=one.display,
        view=one.view,
        station=None if one.station is None else stations[one.station],
        render=renders.get(one.render or 0),
    )
    _save(folder)
    frames = [WatchedFrame(folder=folder, **vars(frame)) for frame in one.frames]
    for frame in frames:
        _check_lengths(frame)
    WatchedFrame.objects.bulk_create(frames, batch_size=500)


def _revisions(project: Project, bundled: Sequence[BundledRevision]) -> dict[int, Revision]:
    made: dict[int, Revision] = {}
    for one in sorted(bundled, key=lambda one: one.number):
        revision = Revision(
            project=project,
            number=one.number,
            parent=made[one.parent] if one.parent is not None else None,
            setup=one.setup,
            text=one.text,
            files=one.files,
            proof=one.proof,
            replacements=one.replacements,
            parts=one.parts,
            author=one.author,
            message=one.message,
        )
        revision.config_hash = archive_of(revision).hash
        _save(revision)
        Revision.objects.filter(pk=revision.pk).update(created=_time(one.created))
        made[one.number] = revision
    return made


def _time(text: str) -> datetime:
    try:
        found = datetime.fromisoformat(text)
    except ValueError as error:
        raise BadInput("The bundle is damaged: a revision has no date.") from error
    return found if found.tzinfo else found.replace(tzinfo=timezone.get_current_timezone())


def _comparisons(project: Project, manifest: Manifest, renders: Renders, revisions: dict[int, Revision]) -> None:
    ids = {number: render.pk for number, render in renders.items()}
    if manifest.comparison:
        one = manifest.comparison
        _save(
            Comparison(
                project=project,
                render=renders.get(one.render or 0),
                exposure=one.exposure,
                panes=[numbered(pane, ids.get) for pane in one.panes],
                probes=one.probes,
                grade=one.grade,
            )
        )
    for kept in manifest.kept:
        state = numbered_state(kept.state, ids.get)
        _save(
            KeptComparison(
                project=project, revision=revisions[kept.revision], name=kept.name, notes=kept.notes, state=state
            )
        )


def _save(row: Model) -> None:
    _check_lengths(row)
    row.save()


def _check_lengths(row: Model) -> None:
    """Raise BadInput for text that is longer than its field: SQLite takes any."""
    for field in row._meta.concrete_fields:
        value = getattr(row, field.attname)
        if isinstance(value, str) and field.max_length and len(value) > field.max_length:
            raise BadInput(f"The bundle is damaged: a {row._meta.verbose_name} has too long a {field.verbose_name}.")
