"""Make outputs, as background jobs."""

from dataclasses import asdict

from django.db import transaction
from django.utils.text import slugify

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.outputs import Written, write_handoff, write_still
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Cancelled, Report, cancel, start, work
from saltwort.server.outputs.models import HANDOFF, STILL, Output
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of

REMOVED = "The output was removed while it was made; nothing was kept."
SAMPLE_TYPES = {8: "uint8", 16: "uint16"}


@transaction.atomic
def make_still(render: Render, choice: ViewChoice, exposure: float, bits: int) -> Output:
    """Queue a finished PNG with the view in it. Raises BadInput for a view that the config lacks."""
    check_view(config_of(render.project.current), choice)
    settings = {
        "view": asdict(choice),
        "exposure": exposure,
        "bits": bits,
        "source": space_of(render).space,
        "layer": render.layer,
    }
    name = f"{_stem(render)}_{slugify(choice.view)}_r{render.project.current.number}.png"
    return _queue(render, STILL, name, settings)


@transaction.atomic
def make_handoff(render: Render) -> Output:
    """Queue a scene-linear EXR in the working space, with no view."""
    working = current_setup(render.project).working_space
    settings = {"space": working, "source": space_of(render).space, "layer": render.layer}
    return _queue(render, HANDOFF, f"{_stem(render)}_linear_r{render.project.current.number}.exr", settings)


def remove_output(output: Output) -> None:
    """Take an output off the list, with its file; what is being made of it is cancelled."""
    file = output.file
    if output.job:
        cancel(output.job)
    output.delete()
    file.unlink(missing_ok=True)


def _queue(render: Render, kind: str, name: str, settings: dict[str, object]) -> Output:
    project = render.project
    output = Output.objects.create(
        project=project, kind=kind, name=name, render=render, revision=project.current, settings=settings
    )
    output.job = start(project, "make-output", f"Make {name}", {"output": output.pk})
    output.save(update_fields=["job"])
    return output


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
    layer = output.settings.get("layer", "")
    config, settings, source = config_of(output.revision), output.settings, output.render.image.file
    if output.kind == HANDOFF:
        return write_handoff(
            config, source, settings["source"], settings["space"], output.file, layer=layer, progress=report
        )
    return write_still(
        config,
        source,
        settings["source"],
        ViewChoice(**settings["view"]),
        output.file,
        exposure=settings["exposure"],
        sample_type=SAMPLE_TYPES[settings["bits"]],
        layer=layer,
        progress=report,
    )


def _stem(render: Render) -> str:
    return slugify(render.name.rpartition(".")[0] or render.name) or "picture"
