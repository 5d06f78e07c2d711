"""Foresee conversions of many textures, and make them as a job."""

import posixpath
import shutil
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass, replace
from math import inf
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio
from django.conf import settings
from django.db import transaction
from django.db.models import Count, F, FloatField, IntegerField, Max, Q, Sum
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.files import allowed_path
from saltwort.core.images.layer_kinds import ByHand, layer_names
from saltwort.core.textures.conversion_plans import (
    DEFAULT_PATTERN,
    SourcePart,
    check_convertible,
    converted_name,
    is_plain,
    part_of,
    read_parts,
)
from saltwort.core.textures.converted_pixels import INVERT, flip_of
from saltwort.core.textures.converting import convert
from saltwort.core.textures.foreseeing import Foreseen, foresee
from saltwort.core.textures.gloss import check_invertible, renamed, sort_of
from saltwort.server.conversions.models import CONVERTED, REFUSED, Conversion, ConvertedFile
from saltwort.server.history.operations import remove
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import preview_of
from saltwort.server.jobs.models import WAITING, Job
from saltwort.server.jobs.operations import Cancelled, Report, cancel, start, work
from saltwort.server.jobs.spread import Outcome, file_task, work_through
from saltwort.server.projects.config_files import config_at, config_file
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.textures.operations import AssignedTexture, assigned_textures


@dataclass(frozen=True)
class Order:
    """What is to be converted, and how. No textures named are all; `place` is a folder of the machine, empty for the
    media folder. `data_layers` and `colour_layers` are names with commas, set manually. With `flip_green`, normal
    maps whose green points down come out with their green pointing up; with `roughness_as`, one of `gloss.SORTS`, maps
    of the other sort come out inverted, under a name that says so."""

    space: str
    format: str
    textures: Collection[int] = ()
    pattern: str = DEFAULT_PATTERN
    place: str = ""
    data_layers: str = ""
    colour_layers: str = ""
    flip_green: bool = False
    roughness_as: str = ""

    @property
    def by_hand(self) -> ByHand:
        """Raises BadInput for a layer that is said to be both."""
        return ByHand.read(self.data_layers, self.colour_layers)


@dataclass(frozen=True)
class PlannedFile:
    """A file of an order before it is made: `refused` says why it cannot be, else `foreseen` what it would do."""

    row: AssignedTexture
    space: str
    target: str
    foreseen: Foreseen | None
    refused: str = ""
    inverts: bool = False


def plan(project: Project, order: Order) -> list[PlannedFile]:
    """Every file of an order, those that lose most first, with what converting it would do. Raises BadInput for a
    space, format, pattern or place that cannot be."""
    config, place, by_hand = config_of(project.current), _place(order.place), order.by_hand
    space = known_space(config, order.space)
    wanted = set(order.textures)
    rows = [row for row in assigned_textures(project) if not wanted or row.texture.pk in wanted]
    if not rows:
        raise BadInput("There is no file to convert. Select some, or add textures first.")
    planned = [_planned(config, row, space, order, by_hand) for row in rows]
    named = Counter(file.target.lower() for file in planned)
    placed = [_placed(file, place, named[file.target.lower()] > 1, order) for file in planned]
    return sorted(_apart(placed), key=_doubt, reverse=True)


def _apart(files: Iterable[PlannedFile]) -> Iterator[PlannedFile]:
    """The files, of which any but the first is refused where several would still have one name."""
    taken: set[str] = set()
    for file in files:
        called = file.target.lower()
        if called in taken and not file.refused:
            file = replace(file, refused=f"Another file is converted into {file.target}. Convert them one by one.")
        taken.add(called)
        yield file


def _doubt(file: PlannedFile) -> float:
    """How much there is to say of what a conversion would do to a file."""
    foreseen = file.foreseen
    if file.refused or not foreseen:
        return inf
    seen = (foreseen.hidden > 0, foreseen.not_finite > 0)
    return foreseen.clipped + foreseen.negative + len(foreseen.notes) + sum(seen)


def _planned(config: ocio.Config, row: AssignedTexture, space: str, order: Order, by_hand: ByHand) -> PlannedFile:
    assigned = config.getColorSpace(row.assignment.space)
    if assigned is None:
        return PlannedFile(row, space, row.texture.path, None, f"The config has no space {row.assignment.space}.")
    # The numbers of data are no colour, in any space.
    into = assigned.getName() if assigned.isData() else space
    folder, name = posixpath.split(row.texture.path)
    inverts = _is_of_the_other_sort(row, order.roughness_as)
    called = renamed(name, row.kind.word, order.roughness_as) if inverts and row.kind else name
    target = posixpath.join(folder, converted_name(called, config, into, order.format, order.pattern))
    image = row.texture.image
    try:
        parts = _parts_of(image, by_hand)
        check_convertible(parts, name, order.format, is_data=assigned.isData())
        step = flip_of(image.measured().stats) if order.flip_green and row.green_points_down else ""
        if inverts:
            check_invertible(image.measured().stats)
            step = INVERT
        sample = preview_of(image).sample
        foreseen = foresee(config, parts, sample, assigned.getName(), into, order.format, step)
    except BadInput as error:
        return PlannedFile(row, into, target, None, str(error))
    return PlannedFile(row, into, target, foreseen, inverts=inverts)


def _is_of_the_other_sort(row: AssignedTexture, wanted: str) -> bool:
    """Whether a texture is gloss where roughness is wanted, or the other way, as the word in its name says."""
    sort = sort_of(row.kind.word) if row.kind else ""
    return bool(wanted and sort and sort != wanted)


def _parts_of(image: StoredImage, by_hand: ByHand) -> tuple[SourcePart, ...]:
    """The parts of a picture, without a look at the file where its header tells all."""
    header = image.measured().header
    return (part_of(header),) if is_plain(header) else read_parts(image.file, by_hand.among(layer_names(image.file)))


def _placed(file: PlannedFile, place: Path | None, is_doubled: bool, order: Order) -> PlannedFile:
    """The file with its own name where two would have the same, or refused where one is there already."""
    target = file.target
    if is_doubled:
        stem, suffix = posixpath.splitext(target)
        target = f"{stem}_{posixpath.splitext(file.row.texture.path)[1].removeprefix('.')}{suffix}"
    refused = file.refused
    if not refused and place and (place / target).exists():
        refused = f"{target} is there already, and nothing is overwritten."
    return replace(file, target=target, refused=refused)


def _place(typed: str) -> Path | None:
    return allowed_path(typed.strip(), settings.READABLE_FOLDERS) if typed.strip() else None


def order_conversion(project: Project, order: Order) -> Conversion:
    """Queue the conversion of all files of an order that can be made; the others are noted with their reason. Raises
    BadInput when none can. All is foreseen before the database is locked."""
    planned = plan(project, order)
    if all(file.refused for file in planned):
        raise BadInput(f"None of these files can be converted. {planned[0].refused}")
    place = _place(order.place)
    with transaction.atomic():
        there = set(project.textures.values_list("pk", flat=True))
        conversion = Conversion.objects.create(
            project=project,
            revision=project.current,
            space=known_space(config_of(project.current), order.space),
            format=order.format,
            pattern=order.pattern,
            place=str(place) if place else "",
            data_layers=order.data_layers,
            colour_layers=order.colour_layers,
        )
        ConvertedFile.objects.bulk_create(
            [
                ConvertedFile(
                    conversion=conversion,
                    texture_id=file.row.texture.pk if file.row.texture.pk in there else None,
                    path=file.row.texture.path,
                    size=file.row.texture.image.size,
                    source_space=file.row.assignment.space,
                    space=file.space,
                    target=file.target,
                    flips_green=order.flip_green and file.row.green_points_down,
                    inverts=file.inverts,
                    state=REFUSED if file.refused else WAITING,
                    reason=file.refused,
                )
                for file in planned
            ],
            batch_size=500,
        )
        title = f"Convert {len(planned):,} {'texture' if len(planned) == 1 else 'textures'} to {conversion.space}"
        conversion.job = start(project, "convert-textures", title, {"conversion": conversion.pk})
        conversion.save(update_fields=("job",))
        return conversion


def remove_conversion(conversion: Conversion, author: str = "") -> None:
    """Take a conversion off the list; what is being converted is cancelled. Files in the media folder go once this can
    no longer be undone, those in a folder of the machine stay."""
    if conversion.job:
        cancel(conversion.job)
    row = Conversion.objects.filter(pk=conversion.pk)
    remove(conversion.project, f"Conversion to {conversion.space} removed", author, row)


@work("convert-textures", resumable=True)
def _convert(job: Job, report: Report) -> str:
    conversion = Conversion.objects.select_related("revision").filter(pk=job.arguments["conversion"]).first()
    if conversion is None:
        raise Cancelled(REMOVED)
    config = config_file(conversion.revision)

    def arguments(file: ConvertedFile) -> dict[str, Any]:
        return {
            "config": str(config),
            "source": str(_source(file)),
            "name": posixpath.basename(file.path),
            "source_space": file.source_space,
            "space": file.space,
            "format": conversion.format,
            "target": str(conversion.folder / file.target),
            "data_layers": conversion.data_layers,
            "colour_layers": conversion.colour_layers,
            "flips_green": file.flips_green,
            "inverts": file.inverts,
        }

    try:
        work_through(convert_file, conversion.files.select_related("texture__image"), arguments, _settle, report)
    except Cancelled:
        if not Conversion.objects.filter(pk=conversion.pk).exists():
            if not conversion.place:
                shutil.rmtree(conversion.folder, ignore_errors=True)  # a file that was in hand came after
            raise Cancelled(REMOVED) from None
        raise Cancelled(f"Cancelled. {_summary(conversion)}") from None
    return _summary(conversion)


REMOVED = "The conversion was removed while it was made."


def _source(file: ConvertedFile) -> Path:
    if file.texture is None:
        raise BadInput(f"{posixpath.basename(file.path)} is no longer in the project.")
    return file.texture.image.file


@file_task
def convert_file(
    config: str,
    source: str,
    name: str,
    source_space: str,
    space: str,
    format: str,
    target: str,
    data_layers: str = "",
    colour_layers: str = "",
    flips_green: bool = False,
    inverts: bool = False,
) -> dict[str, Any]:
    """Convert one file by the config that stands at a path."""
    file, place = Path(source), Path(target)
    try:
        by_hand = ByHand.read(data_layers, colour_layers).among(layer_names(file))
        done = convert(
            config_at(config),
            file,
            source_space,
            space,
            format,
            place,
            by_hand=by_hand,
            flip_green=flips_green,
            invert=inverts,
            again=True,
        )
    except BadInput as error:
        raise BadInput(str(error).replace(Path(source).name, name)) from error
    return asdict(done)


@transaction.atomic
def _settle(ended: Sequence[tuple[ConvertedFile, Outcome]]) -> None:
    for file, outcome in ended:
        settled = ConvertedFile.objects.filter(pk=file.pk).update(
            state=REFUSED if outcome.refused else CONVERTED,
            reason=outcome.refused[:1000],
            figures=outcome.result or None,
        )
        if not settled:
            raise Cancelled


TOLD = {
    "count": Count("files"),
    "converted": Count("files", filter=Q(files__state=CONVERTED)),
    "refused": Count("files", filter=Q(files__state=REFUSED)),
    "usable": Count(
        "files",
        filter=Q(files__state=CONVERTED, files__texture__path=F("files__path"))
        & ~Q(files__target=F("files__path"), files__texture__converted_from=F("files__path")),
    ),
    "size": Sum(Cast(KeyTextTransform("size", "files__figures"), IntegerField())),
}
"""What is told of the files of a conversion all together."""


def _summary(conversion: Conversion) -> str:
    largest = Max(Cast(KeyTextTransform("largest_error", "files__figures"), FloatField()))
    told = Conversion.objects.annotate(**TOLD, largest=largest).values(*TOLD, "largest").get(pk=conversion.pk)
    done, refused = told["converted"], told["refused"]
    said = f"{done:,} {'file is' if done == 1 else 'files are'} converted"
    if done:
        said += f" and read back; the largest error is {told['largest'] or 0:.2g}"
    return f"{said}. {refused:,} could not be: the list says why." if refused else f"{said}."
