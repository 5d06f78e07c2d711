"""Make outputs, as background jobs."""

from collections.abc import Mapping
from dataclasses import asdict
from pathlib import PurePath
from typing import Any

from django.db import transaction

from saltwort.core.deliverables import Defaults, Deliverable, Source, Written, deliverables
from saltwort.core.errors import BadInput
from saltwort.core.names import slug
from saltwort.core.structured import structured
from saltwort.server.history.operations import remove
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Cancelled, Report, cancel, start, work
from saltwort.server.outputs.models import Output
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of

REMOVED = "The output was removed while it was made; nothing was kept."
OF_SOURCE = ("source", "layer")
"""What stands in stored settings of the render, beside those of the deliverable."""


@transaction.atomic
def make_output(render: Render, kind: str, asked: Mapping[str, Any]) -> Output:
    """Queue a deliverable of a render; settings that are not `asked` for are as the project has chosen. Raises BadInput
    for a kind there is not, or settings that cannot be."""
    project = render.project
    made = _deliverable(kind)
    setup = current_setup(project)
    settings = made.settings_from(asked, Defaults(setup.view, setup.working_space))
    made.plan(config_of(project.current), settings)
    output = Output.objects.create(
        project=project,
        kind=kind,
        name=made.named(slug(PurePath(render.name).stem) or "picture", project.current.number, settings),
        render=render,
        revision=project.current,
        settings={**asdict(settings), "source": space_of(render).space, "layer": render.layer},
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
    made.plan(config_of(output.revision), settings)
    if not output.name or PurePath(output.name.replace("\\", "/")).name != output.name:
        raise BadInput(f"“{output.name[:80]}” is no name of an output.")


def _made(output: Output) -> tuple[Deliverable[Any], Any]:
    made = _deliverable(output.kind)
    stored = {name: value for name, value in output.settings.items() if name not in OF_SOURCE}
    return made, structured(made.settings, stored, "The settings of this output")


def _deliverable(kind: str) -> Deliverable[Any]:
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


def _write(output: Output, report: Report) -> Written:
    if output.render is None:
        raise BadInput("The render that this output is made of was removed. Make the output of another.")
    made, settings = _made(output)
    source = Source(output.render.image.file, output.settings["source"], output.settings.get("layer", ""))
    return made.write(config_of(output.revision), source, settings, output.file, report)
