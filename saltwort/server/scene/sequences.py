"""Renders that are sequences: frames of a folder that stay where they are, or that a browser has sent."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from math import isfinite
from pathlib import Path, PurePath
from typing import Any

from django.conf import settings
from django.db import transaction

from saltwort.core.errors import BadInput
from saltwort.core.files import allowed_path
from saltwort.core.images import Facts
from saltwort.core.images import sequences as core
from saltwort.core.textures.folders import allowed_folder
from saltwort.server.history.operations import recording
from saltwort.server.images.models import StoredImage
from saltwort.server.images.operations import stored_image, stored_images, take_in
from saltwort.server.jobs.models import WAITING, Job
from saltwort.server.jobs.operations import Cancelled, Report, start, work
from saltwort.server.jobs.spread import Outcome, file_task, work_through
from saltwort.server.projects.models import Project
from saltwort.server.scene.models import IN, REFUSED, Frame, Render
from saltwort.server.scene.operations import add_render, measured_render
from saltwort.server.textures.intake import close
from saltwort.server.textures.models import Intake, IntakeFile

TRIED_FIRST = 8
"""Frames that are tried for one to look at while the others are read."""


def add_folder(project: Project, typed: str, author: str = "") -> list[Render]:
    """The sequences of a folder of this machine, whose frames stay where they are, and a job that reads them. One that
    is in the project already is looked at again. Raises BadInput for a folder that is not there, not below the allowed
    folders, or without frames."""
    folder = allowed_folder(typed, settings.READABLE_FOLDERS)
    known = list(project.renders.filter(place=str(folder)))
    renders = []
    for pattern, frames in core.sequences_in(folder).items():
        waiting = _waiting(frames)
        if there := next((render for render in known if core.is_same_sequence(pattern, render.name)), None):
            _renew(there, waiting)
            renders.append(there)
        else:
            renders.append(_begun(project, pattern, waiting, author, str(folder)))
    _read_in_background(project, renders, author)
    return renders


def add_sent(project: Project, intake: Intake, author: str = "") -> list[Render]:
    """The sequences among the files that a browser has sent, read in a job, and renders of the others. Raises BadInput
    when they are read already, or one by itself cannot be."""
    if not Intake.objects.filter(pk=intake.pk, started=False).update(started=True):
        raise BadInput("These files are being read already.")
    sent = {PurePath(file.path).name: file for file in intake.files.all()}
    renders = []
    try:
        sequences = core.sequences_of(core.frames_of_names(Path(name) for name in sent))
        numbered = {one.file.name for frames in sequences.values() for one in frames}
        for name, file in sent.items():
            if name not in numbered:
                image = stored_image(take_in(Path(file.place), name, in_place=False))
                renders.append(add_render(project, name, image, author=author))
        made = [
            _begun(project, pattern, [_sent(one, sent[one.file.name]) for one in frames], author)
            for pattern, frames in sequences.items()
        ]
    except BadInput:
        close(intake)
        raise
    if made:
        _read_in_background(project, made, author, intake)
    else:
        close(intake)
    return [*renders, *made]


def look_again(render: Render, author: str = "") -> Job:
    """Queue the reading of what is new or changed in the folder of a sequence; of frames that are gone it is told.
    Raises BadInput for one that was sent."""
    if not render.place:
        raise BadInput(f"The frames of {render.name} were sent here. Import the new ones as another sequence.")
    folder = allowed_folder(render.place, settings.READABLE_FOLDERS)
    sequences = core.sequences_in(folder)
    frames = next((each for name, each in sequences.items() if core.is_same_sequence(name, render.name)), [])
    _renew(render, _waiting(frames))
    return _read_in_background(render.project, [render], author)


def _waiting(frames: Iterable[core.Frame]) -> list[Frame]:
    return [Frame(number=one.number, name=one.file.name, place=str(one.file)) for one in frames]


def _sent(frame: core.Frame, file: IntakeFile) -> Frame:
    return Frame(number=frame.number, name=frame.file.name, place=file.place, size=file.size)


def _begun(project: Project, pattern: str, frames: Sequence[Frame], author: str, place: str = "") -> Render:
    """A sequence with the first frame that can be read; the others wait. Raises BadInput when none can."""
    render, looked_at = _first_readable(pattern, frames, in_place=bool(place))
    render.project, render.place, render.frame = project, place, looked_at.number
    own = Frame.objects.filter(render__project=project, render__name=pattern)
    with recording(project, _said(pattern), author, project.renders.all(), own, key=_key(pattern)):
        render.save()
        for frame in frames:
            frame.render, frame.size = render, frame.size or _size(frame)
        Frame.objects.bulk_create(frames, batch_size=500)
    return render


def _said(pattern: str) -> str:
    return f"Sequence {pattern} imported"


def _key(pattern: str) -> str:
    return f"sequence {pattern}"[:100]


def _first_readable(pattern: str, frames: Sequence[Frame], *, in_place: bool) -> tuple[Render, Frame]:
    error: BadInput | None = None
    for frame in frames[:TRIED_FIRST]:
        try:
            image = stored_image(take_in(_place_of(frame, in_place), frame.name, in_place=in_place))
            render = measured_render(frame.name, image)
        except BadInput as refused:
            error = error or refused
            frame.state, frame.reason = REFUSED, str(refused)[:1000]
            continue
        render.name = pattern[:200]
        frame.state, frame.image = IN, image
        return render, frame
    raise BadInput(f"{pattern}: none of the first {min(len(frames), TRIED_FIRST)} frames can be read. {error}")


def _renew(render: Render, found: Sequence[Frame]) -> None:
    """Have frames wait that are new in the folder or changed, and tell of those that are gone."""
    known = {frame.number: frame for frame in render.frames.select_related("image")}
    fresh = []
    for frame in found:
        before = known.pop(frame.number, None)
        if before is not None and before.image is not None and _is_as_it_was(frame, before.image):
            continue
        frame.size = _size(frame)
        if before is None:
            frame.render = render
            fresh.append(frame)
        else:
            waits = {"state": WAITING, "tries": 0, "reason": "", "name": frame.name, "place": frame.place}
            Frame.objects.filter(pk=before.pk).update(size=frame.size, **waits)
    Frame.objects.bulk_create(fresh, batch_size=500)
    gone = [frame.pk for frame in known.values()]
    Frame.objects.filter(pk__in=gone).update(
        state=REFUSED, image=None, reason=f"The frame is no longer in {render.place}."[:1000]
    )


def _is_as_it_was(frame: Frame, image: StoredImage) -> bool:
    if not image.place:
        return True
    status = Path(frame.place).stat()
    return (status.st_mtime_ns, status.st_size) == (image.modified, image.size) or str(image.place) != frame.place


def _size(frame: Frame) -> int:
    try:
        return Path(frame.place).stat().st_size
    except OSError:
        return 0  # it is told when it is read


def _place_of(frame: Frame, in_place: bool) -> Path:
    """Where a frame is read. Raises BadInput for what leads out of the allowed folders, or is no file."""
    place = allowed_path(frame.place, settings.READABLE_FOLDERS) if in_place else Path(frame.place)
    if not place.is_file():
        raise BadInput(f"{frame.name} is no plain file.")
    return place


def _read_in_background(project: Project, renders: Iterable[Render], author: str, intake: Intake | None = None) -> Job:
    renders = list(renders)
    title = f"Read the frames of {renders[0].name}" if len(renders) == 1 else f"Read {len(renders)} sequences"
    arguments: dict[str, Any] = {"renders": [render.pk for render in renders], "author": author}
    return start(project, "read-frames", title, {**arguments, "intake": intake.pk} if intake else arguments)


@work("read-frames", resumable=True)
def _read(job: Job, report: Report) -> str:
    """Read the frames that wait. After a crash it goes on with those that are left."""
    frames = Frame.objects.filter(render__in=job.arguments["renders"])
    intake = Intake.objects.filter(pk=job.arguments.get("intake", 0)).first()
    in_place = "intake" not in job.arguments

    def arguments(frame: Frame) -> dict[str, Any]:
        return {"place": str(_place_of(frame, in_place)), "name": frame.name, "in_place": in_place}

    try:
        settle = partial(_settle, job.project, job.arguments.get("author", ""))
        work_through(read_frame, frames.select_related("render"), arguments, settle, report)
    except Cancelled:
        frames.filter(state=WAITING).delete()
        raise Cancelled(f"Cancelled. {_summary(frames)} The others were not read.") from None
    finally:
        if intake:
            close(intake)
    return _summary(frames)


@file_task
def read_frame(place: str, name: str, in_place: bool) -> dict[str, object]:
    """Measure a frame, and keep it."""
    return take_in(Path(place), name, in_place=in_place)


def _settle(project: Project, author: str, ended: Sequence[tuple[Frame, Outcome]]) -> None:
    taken = {str(frame.pk): outcome.result for frame, outcome in ended if not outcome.refused}
    keys = [frame.pk for frame, _ in ended]
    pattern = ended[0][0].render.name
    with recording(project, _said(pattern), author, Frame.objects.filter(pk__in=keys), key=_key(pattern)):
        images = stored_images(taken)
        for frame, outcome in ended:
            image = images.get(str(frame.pk))
            if not Frame.objects.filter(pk=frame.pk).update(
                state=REFUSED if outcome.refused else IN, image=image, reason=outcome.refused[:1000]
            ):
                raise Cancelled  # the render was removed meanwhile


def _summary(frames: Any) -> str:
    taken, refused = (frames.filter(state=state).count() for state in (IN, REFUSED))
    said = f"{taken:,} {'frame is' if taken == 1 else 'frames are'} in"
    return f"{said}, {refused:,} could not be read: the render says which." if refused else f"{said}."


@dataclass(frozen=True)
class FrameFacts:
    """A frame: `peak` is the largest of its colours, None while it is not read; `differs` tells how it is other than
    most, `reason` why it could not be read; `image` is the beginning of its content's hash."""

    image: str
    number: int
    name: str
    state: str
    reason: str
    peak: float | None
    non_finite: int
    differs: str


@transaction.atomic
def frames_of(render: Render) -> list[FrameFacts]:
    """The frames of a sequence by number."""
    frames = list(render.frames.select_related("image"))
    measured = {frame.number: frame.image.measured() for frame in frames if frame.image}
    forms = {number: _form(facts) for number, facts in measured.items()}
    usual = Counter(forms.values()).most_common(1)
    told = []
    for frame in frames:
        facts = measured.get(frame.number)
        differs = _told(forms[frame.number], usual[0][0]) if facts else ""
        peaks = [value for value in facts.stats.max[:3] if value is not None and isfinite(value)] if facts else []
        told.append(
            FrameFacts(
                (frame.image_id or "")[:12],
                frame.number,
                frame.name,
                frame.state,
                frame.reason,
                max(peaks, default=None),
                facts.stats.non_finite if facts else 0,
                differs,
            )
        )
    return told


Form = tuple[tuple[str, str], ...]
OF_COLOUR = ("chromaticities", "colorInteropID", "CICP", "oiio:Gamma")


def _form(facts: Facts) -> Form:
    """What all frames of a sequence have in common."""
    header = facts.header
    width, height = header.picture_size
    return (
        ("size", f"{width} × {height}"),
        ("samples", header.bit_depth),
        ("channels", " ".join(header.channel_names)),
        ("colour", ", ".join(f"{name} {header.tags[name]}" for name in OF_COLOUR if name in header.tags)),
    )


def _told(form: Form, usual: Form) -> str:
    return "; ".join(
        f"{name} {value or 'not said'}, others {other or 'not said'}"
        for (name, value), (_, other) in zip(form, usual, strict=True)
        if value != other
    )
