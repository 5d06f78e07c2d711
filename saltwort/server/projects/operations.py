"""Everything that changes a project's setup. Each is one transaction and makes, or goes back to, one revision."""

import json
import re
from collections.abc import Callable, Sequence
from dataclasses import asdict
from itertools import count
from typing import Any, Literal

import PyOpenColorIO as ocio
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from django.utils.text import slugify

from saltwort.core.configs import Proof, prove_equal, read_archive
from saltwort.core.configs.additions import AddedLook
from saltwort.core.configs.untried import looks_of, try_config
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config, newest_cg_config
from saltwort.core.errors import BadInput
from saltwort.core.project import (
    Composed,
    Setup,
    carried,
    check_setup,
    compose_in_steps,
    first_setup,
    same_config,
    setup_fields,
    write_setup,
)
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.history import operations as history
from saltwort.server.history.models import Action
from saltwort.server.history.operations import recording
from saltwort.server.projects.models import BaseConfig, Project, Revision, project_made
from saltwort.server.projects.setups import (
    BUILTIN,
    UPLOADED,
    archive_of,
    base_archive,
    config_of,
    current_setup,
    keep_config,
    keep_lut,
    luts_of,
    store_files,
)
from saltwort.server.versions import Stale

FIRST_TRACER = ("8-bit", "47 106 104")


def project_named(slug: str) -> Project:
    """A project that is not deleted, with its current revision. Raises BadInput with the slugs there are."""
    found = Project.objects.select_related("current").filter(slug=slug, deleted=None).first()
    if found is None:
        known = (
            ", ".join(Project.objects.filter(deleted=None).order_by("slug").values_list("slug", flat=True))
            or "none yet"
        )
        raise BadInput(f"There is no project “{slug}”. Projects: {known}.")
    return found


def create_project(name: str, setup: Setup | None = None) -> Project:
    """A project that starts from a setup, else from the engine's newest ACES config with sensible rules; with two
    stations."""
    name = name.strip()
    slug, _ = free_slug(name)
    if setup is None:
        base = BUILTIN + newest_cg_config()
        setup = first_setup(base, load_config(base_archive(base)))
    unit, text = FIRST_TRACER
    project = Project(name=name, slug=slug, tracer_space=setup.default_space, tracer_unit=unit, tracer_text=text)
    revision, archive = draft_revision(project, setup, "Project made")
    with transaction.atomic():
        if Project.objects.filter(slug__in=(slug, slugify(name)[:70]), deleted=None).exists():
            raise BadInput(f"There is a project named like “{name}” already. Choose another name.")
        project.save()
        revision.project = project
        _save(revision, archive)
        project_made.send(Project, project=project)
    return project


def free_slug(name: str, wanted: str = "") -> tuple[str, str]:
    """A slug that no project has, the wanted one if it can be, and the name with the number that it then needs."""
    slug = slugify(wanted or name)[:70]
    if not slug:
        raise BadInput("A project needs a name with letters or digits.")
    taken = set(Project.objects.filter(slug__startswith=slug).values_list("slug", flat=True))
    if slug not in taken:
        return slug, name
    number = next(number for number in count(2) if f"{slug}-{number}" not in taken)
    return f"{slug}-{number}", f"{name[:70]} ({number})"


def change_setup(
    project: Project,
    based_on: int,
    message: str,
    change: Callable[[Setup], Setup],
    author: str = "",
    alongside: Callable[[], object] | None = None,
    watched: Sequence[QuerySet] = (),
) -> Project:
    """Make the next revision from the current setup. A change that changes nothing makes none. What goes `alongside`
    is done in the same transaction, to rows that are `watched`.

    All is computed, and the config loaded as it will be, before the database is locked. Raises Stale when the project
    was changed before or meanwhile.
    """
    project = _standing_at(project, based_on)
    setup = current_setup(project)
    changed = change(setup)
    draft = draft_revision(project, changed, message) if changed != setup else None
    if draft:
        keep_config(draft[1])
    with recording(project, message, author, _row_of(project), *watched):
        project = _standing_at(project, based_on)
        if draft:
            revision, archive = draft
            if project.revisions.filter(number=revision.number).exists():
                raise Stale(based_on)  # made meanwhile, and gone back from
            revision.project, revision.author = project, author[:80]
            _save(revision, archive)
        if alongside:
            alongside()
    return project


def _save(revision: Revision, archive: ConfigArchive) -> None:
    revision.files = store_files(archive)
    revision.save()
    _stand_at(revision.project, revision)


def undo(project: Project, based_on: int, author: str = "") -> Action:
    """Take back the last thing done in the project, whatever it was, which must be the action `based_on`."""
    return _moved(history.undo, history.last_done, project, based_on, author)


def redo(project: Project, based_on: int, author: str = "") -> Action:
    """Do again what was undone last, which must be the action `based_on`."""
    return _moved(history.redo, history.last_undone, project, based_on, author)


def _moved(
    move: Callable[[Project, int], Action],
    next_of: Callable[[Project], Action | None],
    project: Project,
    based_on: int,
    author: str,
) -> Action:
    _load_before(project, next_of(project))
    with transaction.atomic():
        action = move(project, based_on)
        current = Project.objects.get(pk=project.pk).current_id
        if current != project.current_id:
            config_of(Revision.objects.get(pk=current))  # one that does not load is no place to stand
            Project.objects.filter(pk=project.pk).update(moved_by=author[:80])
    return action


def _load_before(project: Project, action: Action | None) -> None:
    """Load the configs of revisions that an action moves between, so that the database is not locked meanwhile."""
    moves = action.changed.filter(model=Project._meta.label) if action else ()
    revisions = {
        state["current_id"]
        for part in moves
        for _, *states in part.rows
        for state in states
        if state and "current_id" in state
    }
    for revision in project.revisions.filter(pk__in=revisions - {project.current_id}):
        config_of(revision)


def return_to(project: Project, based_on: int, number: int, author: str = "") -> Project:
    """Stand at any revision of the project. Later ones stay and can be returned to."""
    revision = _standing_at(project, based_on).revisions.get(number=number)
    config_of(revision)  # one that does not load is no place to stand
    with recording(project, f"Revision {number} made current", author, _row_of(project)):
        return _stand_at(_standing_at(project, based_on), revision, author[:80])


def _row_of(project: Project) -> QuerySet[Project]:
    return Project.objects.filter(pk=project.pk)


def bring_config(name: str, content: bytes) -> BaseConfig:
    """Keep a config that the user brings, its text or a zip with its LUTs, for setups to start from.

    Raises BadInput, and keeps nothing, when it does not load.
    """
    archive = read_archive(content, name)
    try_config(archive, name)
    with transaction.atomic():
        kept, _ = BaseConfig.objects.update_or_create(
            sha256=archive.hash,
            defaults={"brought": timezone.now()},
            create_defaults={"name": name[:200], "text": archive.text, "files": store_files(archive)},
        )
    return kept


def start_from(project: Project, setup: Setup, base: str) -> Setup:
    """The setup on another base config, carried over by what spaces mean; the config's own rules are imported when the
    project starts from it for the first time. Raises BadInput when there is no such config."""
    config = load_config(base_archive(base), to_mend=True)
    pins = project.textures.exclude(pin_space="").values_list("pin_space", flat=True)
    read = project.renders.exclude(space="").values_list("space", flat=True)
    return carried(
        setup,
        config_of(project.current),
        config,
        first_setup(base, config),
        named_elsewhere={*pins, *ScenePart.of(setup).spaces, *read, project.tracer_space},
        imports=_imports(project, base),
    )


def _imports(project: Project, base: str) -> Literal["", "first", "last"]:
    """How the rules of a config come into a project: not when it started from it before, nor from the engine's own,
    whose rules are made for everybody."""
    if not base.startswith(UPLOADED) or any(revision.setup["base"] == base for revision in project.revisions.all()):
        return ""
    return "last" if project.textures.exists() else "first"


def keep_looks(name: str, content: bytes) -> tuple[AddedLook, ...]:
    """The looks of a file, to be added to a setup; a LUT's content is kept. Raises BadInput for what is no look."""
    looks = looks_of(name, content)
    for look in looks:
        if look.lut:
            keep_lut(content)
    return looks


def set_tracer(project: Project, based_on: int, tracer: TypedColour, author: str = "") -> Project:
    """Choose the colour that the path strip carries. Raises BadInput when it does not parse or has no such space."""
    _ = tracer.values
    if config_of(project.current).getColorSpace(tracer.space) is None:
        raise BadInput(f"The config has no colour space “{tracer.space}”. Choose one from its list.")
    fields = {"tracer_space": tracer.space, "tracer_unit": tracer.unit, "tracer_text": tracer.text.strip()}
    with recording(project, f"Test colour set to {tracer.text.strip()}", author, _row_of(project)):
        return project.change(based_on, **fields)


def _standing_at(project: Project, based_on: int) -> Project:
    """The project as it stands now, which must be at the revision that the write was made from."""
    fresh = Project.objects.select_related("current").get(pk=project.pk)
    if fresh.current.number != based_on:
        raise Stale(fresh.current.number)
    return fresh


def draft_revision(project: Project, setup: Setup, message: str = "") -> tuple[Revision, ConfigArchive]:
    """The revision that a setup would be, not saved, and its config. Raises BadInput when there can be none."""
    newest = project.revisions.first() if project.pk else None
    number = newest.number + 1 if newest else 1
    if project.current and same_config(current_setup(project), setup):
        return _with_the_same_config(project, number, setup, message)
    made = compose_in_steps(base_archive(setup.base), setup, revision_name(project, number), luts_of(setup))
    stored = write_setup(setup)
    before = project.current.setup if project.current else {}
    revision = Revision(
        project=project,
        number=number,
        parent=project.current,
        setup=stored,
        text=made.written.text,
        config_hash=made.written.hash,
        proof=asdict(proved(made)) if setup.trim else None,
        replacements=[asdict(replacement) for replacement in made.replacements],
        parts=_changed_parts(stored, before),
        message=message[:200],
    )
    return revision, made.written


def _with_the_same_config(project: Project, number: int, setup: Setup, message: str) -> tuple[Revision, ConfigArchive]:
    """The revision of a setup that differs by what stands in no config, such as its scene: the config stays."""
    check_setup(setup)
    current, stored = project.current, write_setup(setup)
    revision = Revision(
        project=project,
        number=number,
        parent=current,
        setup=stored,
        text=current.text,
        config_hash=current.config_hash,
        proof=current.proof,
        replacements=current.replacements,
        parts=_changed_parts(stored, current.setup),
        message=message[:200],
    )
    return revision, archive_of(current)


def _changed_parts(stored: dict[str, Any], before: dict[str, Any]) -> list[str]:
    return [name for name in stored if name in setup_fields() and _as_json(stored[name]) != _as_json(before.get(name))]


def revision_name(project: Project, number: int) -> str:
    """What the config of a revision is called, in applications and as a file."""
    return f"{project.slug}-r{number}"


def config_name(project: Project) -> str:
    """What the config of a project is called, which its file is named by: a revision that changed colours and lights
    alone keeps the config of the one before, with its name."""
    name: str = config_of(project.current).getName()
    is_ours = re.fullmatch(r"[a-z0-9_-]{1,90}", name)  # that of an imported bundle may be anything
    return name if is_ours else revision_name(project, project.current.number)


def _as_json(value: Any) -> str:
    """A value in a form that tells a tuple no different from the list that storing makes of it."""
    return json.dumps(value, sort_keys=True)


def proof_of(made: Composed) -> Proof:
    """How far every space and view of a trimmed config is from the colours of the whole one."""
    kept = load_config(made.part)
    spaces = kept.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
    views = [ViewChoice(display, view) for display in kept.getDisplays() for view in kept.getViews(display)]
    return prove_equal(load_config(made.whole), kept, spaces, views)


def proved(made: Composed) -> Proof:
    """The proof that a trimmed config gives the same colours. Raises BadInput, naming what does not, when it has none:
    a trim that changes a colour is never written."""
    proof = proof_of(made)
    if proof.largest != 0:
        raise BadInput(f"Without these, “{proof.where}” would give other colours, so nothing is written. Keep more.")
    return proof


def _stand_at(project: Project, revision: Revision, moved_by: str = "") -> Project:
    project.current, project.moved_by = revision, moved_by
    project.save(update_fields=["current", "moved_by"])
    return project
