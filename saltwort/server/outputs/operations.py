"""Make outputs, as background jobs."""

import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import PurePath
from typing import Any

from django.db import transaction

from saltwort.core.deliverables import (
    OF_PICTURES,
    PICTURE,
    Deliverable,
    Facts,
    deliverable_of,
)
from saltwort.core.deliverables.recipe import Recipe, named_by, numbered
from saltwort.core.errors import BadInput
from saltwort.core.images.sequences import padding_of
from saltwort.core.names import slug
from saltwort.server.history.operations import remove
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Cancelled, Report, cancel, start, work
from saltwort.server.outputs.foreseeing import check_expected
from saltwort.server.outputs.frames import REMOVED, begin_frames, frames_told
from saltwort.server.outputs.models import Output
from saltwort.server.outputs.sources import (
    RENDER_REMOVED,
    chosen_in,
    frames_asked,
    of_source,
    settings_kept,
    sources_of,
)
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import facts_of


def make_output(
    project: Project,
    kind: str,
    asked: Mapping[str, Any],
    render: Render | None = None,
    recipe: Recipe | None = None,
    frames: str = "",
) -> Output:
    """Queue a deliverable, of a render where its kind takes pictures; settings that are not `asked` for are as the
    project has chosen. Of a sequence, `frames` are a range, or EVERY; without them it is made of the frame looked at,
    or where its kind takes frames, of all. Raises BadInput for a kind there is not, settings that cannot be, or a
    render or frames that are missing; DiskFull where there may be no room.
    """
    check_expected(project, kind, asked, render, frames)
    return queue_output(project, kind, asked, render, recipe, frames)


@transaction.atomic
def queue_output(
    project: Project, kind: str, asked: Mapping[str, Any], render: Render | None, recipe: Recipe | None, frames: str
) -> Output:
    """`make_output` without a look at what there is room for."""
    made = deliverable_of(kind)
    if made.takes in OF_PICTURES and render is None:
        raise BadInput(f"{made.label} is made of a render. Choose one.", "render")
    settings = made.settings_from(asked, chosen_in(project))
    made.check(config_of(project.current), settings)
    numbers = frames_asked(made, render, frames)
    stem = (slug(PurePath(render.name).stem) if render else "") or "picture"
    number = project.current.number
    name = made.named(stem, number, settings)
    if recipe:
        name = named_by(recipe, name, stem, number, getattr(settings, "view", ""))
    is_many = made.takes == PICTURE and len(numbers) > 1
    plain, name = name, _with_digits(name, render, numbers, is_many) if render and numbers else name
    output = Output.objects.create(
        project=project,
        kind=kind,
        name=name,
        render=render,
        revision=project.current,
        settings={**asdict(settings), **(of_source(made, render, frames) if render else {})},
        recipe=recipe.name if recipe else "",
    )
    if is_many and render:
        begin_frames(output, numbers, plain, render)
    else:
        output.job = start(project, "make-output", f"Make {output.name}", {"output": output.pk})
        output.save(update_fields=["job"])
    return output


def _with_digits(name: str, render: Render, numbers: Sequence[int], is_many: bool) -> str:
    """The name of an output of frames: with `#` where it is a file for each, with the number where it is of one."""
    padding = padding_of(render.name)
    if is_many:
        return numbered(name, "#" * padding)
    return numbered(name, f"{numbers[0]:0{padding}d}") if len(numbers) == 1 else name


def described(output: Output) -> dict[str, str]:
    """What an output is, or is to be, in words."""
    made, settings = _made(output)
    return made.facts(config_of(output.revision), settings)


def check_output(output: Output) -> None:
    """Raise BadInput for an output, not saved yet, that could not have been made here: of a kind there is not, with
    settings that cannot be, or a name that is none of a file."""
    made, settings = _made(output)
    made.check(config_of(output.revision), settings)
    if not output.name or PurePath(output.name.replace("\\", "/")).name != output.name:
        raise BadInput(f"“{output.name[:80]}” is no name of an output.")


def settings_of(output: Output) -> Any:
    """The settings by which an output was made. Raises BadInput where they are damaged."""
    return _made(output)[1]


def _made(output: Output) -> tuple[Deliverable[Any], Any]:
    made = deliverable_of(output.kind)
    return made, settings_kept(made, output.settings)


def remove_output(output: Output, author: str = "") -> None:
    """Take an output off the list; what is being made of it is cancelled. Its file goes once this can no longer be
    undone."""
    if output.job:
        cancel(output.job)
    remove(output.project, f"Output {output.name} removed", author, Output.objects.filter(pk=output.pk))


@work("make-output")
def _make(job: Job, report: Report) -> None:
    output = Output.objects.select_related("render__image", "revision").filter(pk=job.arguments["output"]).first()
    if output is None:
        raise Cancelled(REMOVED)
    begun = time.monotonic()
    written = asdict(_write(output, report))
    took = {"seconds": time.monotonic() - begun, "pixels": _pixels(output)}
    if not Output.objects.filter(pk=output.pk).update(facts=written, **took):
        output.file.unlink(missing_ok=True)
        raise Cancelled(REMOVED)


def _write(output: Output, report: Report) -> Any:
    made, settings = _made(output)
    if output.render is None and made.takes in OF_PICTURES:
        raise BadInput(RENDER_REMOVED)
    sources = sources_of(output, made, settings, output.render) if output.render else []
    return made.write(config_of(output.revision), sources, settings, output.file, report)


def _pixels(output: Output) -> int:
    """How many pixels an output was made of."""
    if output.render is None:
        return 0
    width, height = facts_of(output.render).header.picture_size
    numbers = frames_asked(deliverable_of(output.kind), output.render, output.settings.get("source_frames", ""))
    return width * height * max(1, len(numbers))


def told(output: Output) -> Facts:
    """How an output was made and, once it is, what was read back from it."""
    found = {} if output.facts is None else deliverable_of(output.kind).told(output.facts)
    return {**described(output), **frames_told(output), **found}
