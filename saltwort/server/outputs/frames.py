"""Outputs that are sequences: a file for each frame, made over all cores or machines."""

import shutil
import time
from collections.abc import Sequence
from dataclasses import asdict
from hashlib import file_digest
from pathlib import Path
from typing import Any

from django.db import transaction

from saltwort.core.deliverables import Facts, Source, deliverable_of
from saltwort.core.deliverables.frames import worst_of
from saltwort.core.deliverables.recipe import numbered
from saltwort.core.errors import BadInput
from saltwort.core.images.sequences import padding_of, runs_of
from saltwort.server.jobs.models import QUEUED, RUNNING, WAITING, Job
from saltwort.server.jobs.operations import Cancelled, Report, start, work
from saltwort.server.jobs.spread import Outcome, file_task, go_on, work_through
from saltwort.server.outputs.models import MADE, REFUSED, Output, OutputFrame
from saltwort.server.outputs.sources import RENDER_REMOVED, frames_beside, settings_kept
from saltwort.server.projects.config_files import config_at, config_file
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import facts_of, image_of

REMOVED = "The output was removed while it was made; nothing was kept."


def begin_frames(output: Output, numbers: Sequence[int], name: str, render: Render) -> None:
    """Queue the making of the files of a sequence, whose names are `name` with the digits of each."""
    sizes = dict(render.frames.values_list("number", "image__size"))
    frames = [
        OutputFrame(
            output=output,
            number=number,
            name=numbered(name, f"{number:0{padding_of(render.name)}d}"),
            size=sizes.get(number) or 0,
        )
        for number in numbers
    ]
    OutputFrame.objects.bulk_create(frames, batch_size=500)
    _start_frames(output)


def _start_frames(output: Output) -> None:
    waiting = output.frames.filter(state=WAITING).count()
    title = f"Make {output.name}, {waiting:,} {'frame' if waiting == 1 else 'frames'}"
    output.job = start(output.project, "make-frames", title, {"output": output.pk})
    output.save(update_fields=["job"])


@transaction.atomic
def make_the_rest(output: Output) -> Output:
    """Queue the frames of a sequence that were not made: that failed, or that were left when it was cancelled. Raises
    BadInput where there are none, or while it is made."""
    if output.job and output.job.state in (QUEUED, RUNNING):
        raise BadInput(f"{output.name} is being made. Wait, or cancel it.")
    if not output.frames.exclude(state=MADE).update(state=WAITING, tries=0, reason=""):
        raise BadInput(f"All of {output.name} is made.")
    _start_frames(output)
    return output


@work("make-frames", resumable=True)
def _make_frames(job: Job, report: Report) -> str:
    """Make the files of a sequence that wait, over all cores or machines. After a crash it goes on with the rest."""
    output = Output.objects.select_related("render", "revision", "project").filter(pk=job.arguments["output"]).first()
    if output is None:
        raise Cancelled(REMOVED)
    config = config_file(output.revision)
    beside = list(map(str, frames_beside(output.render))) if output.render else []

    def arguments(frame: OutputFrame) -> dict[str, Any]:
        if output.render is None:
            raise BadInput(RENDER_REMOVED)
        return {
            "config": str(config),
            "kind": output.kind,
            "settings": output.settings,
            "source": str(image_of(output.render, frame.number).file),
            "number": frame.number,
            "target": str(output.folder / frame.name),
            "beside": beside,
        }

    begun = time.monotonic()
    try:
        work_through(make_frame, output.frames.all(), arguments, _settle, report)
    except Cancelled:
        if not Output.objects.filter(pk=output.pk).exists():
            shutil.rmtree(output.folder, ignore_errors=True)  # a file that was in hand came after
            raise Cancelled(REMOVED) from None
        raise Cancelled(f"Cancelled. {_summed_up(output)} The others can be made later.") from None
    summary = _summed_up(output)
    _keep_time(output, time.monotonic() - begun)
    if not output.frames.filter(state=MADE).exists():
        raise BadInput(f"No frame could be made. {output.frames.first().reason}")
    return summary


def _keep_time(output: Output, seconds: float) -> None:
    if output.render:
        width, height = facts_of(output.render).header.picture_size
        made = output.frames.filter(state=MADE).count()
        Output.objects.filter(pk=output.pk).update(seconds=seconds, pixels=width * height * made)


@file_task
def make_frame(
    config: str, kind: str, settings: dict[str, Any], source: str, number: int, target: str, beside: list[str]
) -> dict[str, Any]:
    """Make one file of a sequence, by the config that stands at a path."""
    made = deliverable_of(kind)
    own = settings_kept(made, settings)
    of_frame = Source(
        Path(source),
        settings["source_space"],
        settings.get("source_layer", ""),
        number,
        beside=tuple(map(Path, beside)),
    )
    facts = asdict(made.write(config_at(config), [of_frame], own, Path(target), go_on))
    with Path(target).open("rb") as file:
        return {"facts": facts, "sha256": file_digest(file, "sha256").hexdigest()}


@transaction.atomic
def _settle(ended: Sequence[tuple[OutputFrame, Outcome]]) -> None:
    for frame, outcome in ended:
        if not OutputFrame.objects.filter(pk=frame.pk).update(
            state=REFUSED if outcome.refused else MADE,
            reason=outcome.refused[:1000],
            facts=outcome.result.get("facts"),
            sha256=outcome.result.get("sha256", ""),
        ):
            raise Cancelled


def hashes_of(output: Output) -> str:
    """The hashes of the files of a sequence, a line each, as `sha256sum` writes and checks them."""
    made = output.frames.filter(state=MADE).values_list("sha256", "name")
    return "".join(f"{digest}  {name}\n" for digest, name in made)


def _summed_up(output: Output) -> str:
    """Keep what was found in the files that are made, all together, and say how many there are."""
    found = list(output.frames.filter(state=MADE).values_list("facts", flat=True))
    Output.objects.filter(pk=output.pk).update(facts=worst_of(found) if found else None)
    said = f"{len(found):,} {'frame is' if len(found) == 1 else 'frames are'} made and read back."
    refused = output.frames.filter(state=REFUSED).count()
    return f"{said} {refused:,} could not be: the output says which." if refused else said


def frames_told(output: Output) -> Facts:
    """Which frames of a sequence are made; the figures are then those of the worst."""
    states = dict(output.frames.values_list("number", "state"))
    if not states:
        return {}
    made, refused = ([number for number in states if states[number] == state] for state in (MADE, REFUSED))
    return {
        "frames": f"{runs_of(made)} ({len(made):,} of {len(states):,})",
        **({"could not be made": runs_of(refused)} if refused else {}),
        **({"figures": "the worst of all frames"} if made else {}),
    }
