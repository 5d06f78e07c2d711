"""Everything that changes a project's setup. Each is one transaction and makes, or goes back to, one revision."""

from collections.abc import Callable
from dataclasses import asdict, replace
from math import isfinite
from typing import Any

import PyOpenColorIO as ocio
from django.db import transaction
from django.utils.text import slugify

from saltwort.core.configs import Proof, Setup, compose, first_setup, prove_equal, read_archive
from saltwort.core.configs.compose import trimmed
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config, newest_cg_config
from saltwort.core.errors import BadInput
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.handoffs.operations import add_first_stations
from saltwort.server.projects.models import BaseConfig, Project, Revision
from saltwort.server.projects.setups import (
    BUILTIN,
    UPLOADED,
    base_archive,
    config_of,
    current_setup,
    setup_to_json,
    store_files,
)
from saltwort.server.versions import Stale

FIRST_TRACER = ("8-bit", "47 106 104")


@transaction.atomic
def create_project(name: str) -> Project:
    """A project that starts from the engine's newest ACES config, with sensible rules and two stations."""
    name = name.strip()
    slug = slugify(name)[:80]
    if not slug:
        raise BadInput("A project needs a name with letters or digits.")
    if Project.objects.filter(slug=slug).exists():
        raise BadInput(f"There is a project named like “{name}” already. Choose another name.")
    base = BUILTIN + newest_cg_config()
    setup = first_setup(base, load_config(base_archive(base)))
    unit, text = FIRST_TRACER
    project = Project.objects.create(
        name=name, slug=slug, tracer_space=setup.default_space, tracer_unit=unit, tracer_text=text
    )
    _next_revision(project, setup, "Project made")
    add_first_stations(project)
    return project


@transaction.atomic
def change_setup(project: Project, based_on: int, message: str, change: Callable[[Setup], Setup]) -> Project:
    """Make the next revision from the current setup. A change that changes nothing makes none."""
    project = _standing_at(project, based_on)
    setup = current_setup(project)
    changed = change(setup)
    if changed != setup:
        _next_revision(project, changed, message)
    return project


@transaction.atomic
def undo(project: Project, based_on: int) -> Project:
    """Stand at the revision that the current one was made from."""
    project = _standing_at(project, based_on)
    if project.current.parent is None:
        raise BadInput("This is the first revision; there is nothing before it.")
    return _stand_at(project, project.current.parent)


@transaction.atomic
def redo(project: Project, based_on: int) -> Project:
    """Stand at the newest revision that was made from the current one."""
    project = _standing_at(project, based_on)
    child = project.current.children.first()
    if child is None:
        raise BadInput("Nothing was made from this revision yet.")
    return _stand_at(project, child)


@transaction.atomic
def return_to(project: Project, based_on: int, number: int) -> Project:
    """Stand at any revision of the project. Later ones stay and can be returned to."""
    project = _standing_at(project, based_on)
    return _stand_at(project, project.revisions.get(number=number))


@transaction.atomic
def bring_config(project: Project, based_on: int, name: str, content: bytes) -> Project:
    """Start from a config that the user brings: its text, or a zip with its LUTs.

    Raises BadInput, and keeps nothing, when it does not load or lacks a space that a rule names.
    """
    archive = read_archive(content, name)
    load_config(archive)
    BaseConfig.objects.get_or_create(
        sha256=archive.hash, defaults={"name": name[:200], "text": archive.text, "files": store_files(archive)}
    )
    return start_from(project, based_on, UPLOADED + archive.hash, name)


@transaction.atomic
def start_from(project: Project, based_on: int, base: str, name: str) -> Project:
    """Start from another config. Working space, view and default are kept where it has them, rules in any case.

    Raises BadInput when there is no such config, or it lacks a space that a rule names.
    """
    config = load_config(base_archive(base))
    fresh = first_setup(base, config)

    def changed(setup: Setup) -> Setup:
        views = config.getViews(setup.view.display) if setup.view.display in config.getDisplays() else ()
        added = tuple(view for view in setup.added_views if view.display in config.getDisplaysAll())
        kept_view = setup.view.view in views or any(
            (view.display, view.name) == (setup.view.display, setup.view.view) for view in added
        )
        return replace(
            setup,
            base=base,
            working_space=setup.working_space if config.getColorSpace(setup.working_space) else fresh.working_space,
            view=setup.view if kept_view else fresh.view,
            default_space=setup.default_space if config.getColorSpace(setup.default_space) else fresh.default_space,
            added_views=added,
            trim=None,
        )

    return change_setup(project, based_on, f"Start from {name}", changed)


def set_tracer(project: Project, based_on: int, tracer: TypedColour) -> Project:
    """Choose the colour that the path strip carries. Raises BadInput when it does not parse or has no such space."""
    _ = tracer.values
    if config_of(project.current).getColorSpace(tracer.space) is None:
        raise BadInput(f"The config has no colour space “{tracer.space}”. Choose one from its list.")
    return project.change(based_on, tracer_space=tracer.space, tracer_unit=tracer.unit, tracer_text=tracer.text.strip())


def _standing_at(project: Project, based_on: int) -> Project:
    """The project as it stands now, which must be at the revision that the write was made from."""
    fresh = Project.objects.select_related("current").get(pk=project.pk)
    if fresh.current.number != based_on:
        raise Stale(fresh.current.number)
    return fresh


def _next_revision(project: Project, setup: Setup, message: str) -> None:
    whole = compose(base_archive(setup.base), replace(setup, trim=None), project.slug)
    archive = trimmed(whole, setup) if setup.trim else whole
    newest = project.revisions.first()
    revision = Revision.objects.create(
        project=project,
        number=newest.number + 1 if newest else 1,
        parent=project.current,
        setup=setup_to_json(setup),
        text=archive.text,
        files=store_files(archive),
        config_hash=archive.hash,
        proof=_proof_json(proof_of(whole, archive)) if setup.trim else None,
        message=message[:200],
    )
    _stand_at(project, revision)


def _proof_json(proof: Proof) -> dict[str, Any]:
    """A proof as JSON holds it: an infinite difference as null."""
    return {**asdict(proof), "largest": proof.largest if isfinite(proof.largest) else None}


def proof_of(whole: ConfigArchive, part: ConfigArchive) -> Proof:
    """Proof that every space and view of a trimmed config gives the colours of the whole one."""
    kept = load_config(part)
    spaces = kept.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
    views = [ViewChoice(display, view) for display in kept.getDisplays() for view in kept.getViews(display)]
    return prove_equal(load_config(whole), kept, spaces, views)


def _stand_at(project: Project, revision: Revision) -> Project:
    project.current = revision
    project.save(update_fields=["current"])
    return project
