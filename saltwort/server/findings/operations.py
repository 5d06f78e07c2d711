"""Run the checks on a project, and apply their fixes."""

from django.db import transaction

from saltwort.core.errors import BadInput
from saltwort.core.findings import CheckedRender, CheckedSwatch, CheckedTexture, Finding, Subjects, run_checks
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.operations import space_of
from saltwort.server.textures.operations import assigned_textures, pin_texture


def findings_of(project: Project) -> list[Finding]:
    """All findings of a project as it stands."""
    return run_checks(subjects_of(project))


def subjects_of(project: Project) -> Subjects:
    """A project's things in the form that checks take."""
    textures = assigned_textures(project)
    return Subjects(
        config=config_of(project.current),
        setup=current_setup(project),
        textures=[
            CheckedTexture(row.texture.path, row.kind, row.assignment, row.texture.image.measured()) for row in textures
        ],
        swatches=[CheckedSwatch(swatch.name, swatch.typed) for swatch in project.swatches.all()],
        renders=[
            CheckedRender(render.name, space_of(render).space, render.image.measured())
            for render in project.renders.select_related("image", "project__current")
        ],
        stations=[station.described() for station in project.stations.all()],
    )


@transaction.atomic
def apply_fix(project: Project, operation: str, arguments: dict[str, str]) -> None:
    """Do what a finding's fix names, if some finding still offers it. Raises BadInput when none does."""
    fixes = [finding.fix for finding in findings_of(project) if finding.fix]
    if not any((fix.operation, fix.arguments) == (operation, arguments) for fix in fixes):
        raise BadInput("No finding asks for this any more. Look at the findings as they stand now.")
    _FIXES[operation](project, arguments)


def _pin_texture(project: Project, arguments: dict[str, str]) -> None:
    texture = project.textures.get(path=arguments["path"])
    pin_texture(texture, texture.version, arguments["space"], "fix of a finding")


_FIXES = {"pin-texture": _pin_texture}
