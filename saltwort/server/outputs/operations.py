"""Make outputs, as background jobs."""

from collections.abc import Mapping
from dataclasses import asdict
from pathlib import PurePath
from typing import Any

from django.db import transaction

from saltwort.core.deliverables import OF_PICTURES, Defaults, Deliverable, Facts, Source, deliverables
from saltwort.core.deliverables.recipe import Recipe, named_by
from saltwort.core.errors import BadInput
from saltwort.core.names import slug
from saltwort.core.structured import structured
from saltwort.server.compare.operations import project_grade
from saltwort.server.history.operations import remove
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Cancelled, Report, cancel, start, work
from saltwort.server.outputs.models import Output
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of

REMOVED = "The output was removed while it was made; nothing was kept."
OF_SOURCE = ("source_space", "source_layer")
"""What stands in stored settings of the render, beside those of the deliverable."""


def chosen_in(project: Project) -> Defaults:
    """What the project has chosen, which holds where settings say nothing else."""
    setup = current_setup(project)
    return Defaults(setup.view, setup.working_space, project_grade(project))


@transaction.atomic
def make_output(
    project: Project, kind: str, asked: Mapping[str, Any], render: Render | None = None, recipe: Recipe | None = None
) -> Output:
    """Queue a deliverable, of a render where its kind takes pictures; settings that are not `asked` for are as the
    project has chosen. Raises BadInput for a kind there is not, settings that cannot be, or a render that is missing.
    """
    made = deliverable_of(kind)
    if made.takes in OF_PICTURES and render is None:
        raise BadInput(f"{made.label} is made of a render. Choose one.", "render")
    settings = made.settings_from(asked, chosen_in(project))
    made.check(config_of(project.current), settings)
    of_source = {"source_space": space_of(render).space, "source_layer": render.layer} if render else {}
    stem = (slug(PurePath(render.name).stem) if render else "") or "picture"
    number = project.current.number
    name = made.named(stem, number, settings)
    output = Output.objects.create(
        project=project,
        kind=kind,
        name=named_by(recipe, name, stem, number, getattr(settings, "view", "")) if recipe else name,
        render=render,
        revision=project.current,
        settings={**asdict(settings), **of_source},
        recipe=recipe.name if recipe else "",
    )
    output.job = start(project, "make-output", f"Make {output.name}", {"output": output.pk})
    output.save(update_fields=["job"])
    return output


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
    stored = {name: value for name, value in output.settings.items() if name not in OF_SOURCE}
    return made, structured(made.settings, stored, "The settings of this output")


def deliverable_of(kind: str) -> Deliverable[Any]:
    """Raises BadInput for a kind there is not."""
    if kind not in deliverables():
        raise BadInput(f"Nothing of the kind “{kind}” can be made. Choose one of {', '.join(deliverables())}.")
    return deliverables()[kind]


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
    written = _write(output, report)
    if not Output.objects.filter(pk=output.pk).update(facts=asdict(written)):
        output.file.unlink(missing_ok=True)
        raise Cancelled(REMOVED)


def _write(output: Output, report: Report) -> Any:
    made, settings = _made(output)
    if output.render is None and made.takes in OF_PICTURES:
        raise BadInput("The render that this output is made of was removed. Make the output of another.")
    sources = [_source(output, output.render)] if output.render else []
    return made.write(config_of(output.revision), sources, settings, output.file, report)


def _source(output: Output, render: Render) -> Source:
    return Source(render.image.file, output.settings["source_space"], output.settings.get("source_layer", ""))


def told(output: Output) -> Facts:
    """How an output was made and, once it is, what was read back from it."""
    made = described(output)
    return made if output.facts is None else {**made, **deliverable_of(output.kind).told(output.facts)}
