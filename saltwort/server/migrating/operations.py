"""Read scenes, preview and run plans for them, go back, and take scenes into the project."""

import json
import os
import shutil
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.utils import timezone

from saltwort.core.errors import BadInput
from saltwort.core.files import allowed_path
from saltwort.core.images import encode_png
from saltwort.core.migration.balls import balls_beside, differences_as_grey, pictures_of
from saltwort.core.migration.documents import rewriting
from saltwort.core.migration.formats.registry import is_document
from saltwort.core.migration.habits.registry import habits_of
from saltwort.core.migration.plan import Asked, Draft, Progress, plan_of, taken
from saltwort.core.migration.proof import proved
from saltwort.core.migration.rendered import frame_beside
from saltwort.core.migration.report import Report, report_of, written_of
from saltwort.core.migration.writing import gone_back, staged
from saltwort.server.images.operations import write_upload
from saltwort.server.jobs.models import QUEUED, RUNNING, Job
from saltwort.server.jobs.operations import Report as Reporting
from saltwort.server.jobs.operations import start, work
from saltwort.server.migrating.drafts import draft_of
from saltwort.server.migrating.models import OldScene
from saltwort.server.projects.models import Project
from saltwort.server.scene.models import Render
from saltwort.server.textures.operations import clean_path

SCAN, PREVIEW, MIGRATE = "scan-scene", "preview-migration", "migrate-scene"
MOST_SENT = 2_000
ABANDONED = timedelta(days=1)
BALLS, FRAME = ("before", "after", "difference"), ("frame-before", "frame-after", "frame-difference")


def add_scene(project: Project, typed: str) -> OldScene:
    """Read a scene of this machine, or all scenes of a folder, in a job. Raises BadInput for what is not there, not
    below the allowed folders, or no scene."""
    place = allowed_path(typed.strip().strip("\"'"), settings.READABLE_FOLDERS)
    if place.is_dir():
        paths = sorted(file for file in place.iterdir() if is_document(file.name) and not file.name.startswith("."))
        folder = place
    else:
        paths, folder = [place], place.parent
    if not paths or not all(path.is_file() for path in paths):
        raise BadInput(f"There is no scene at “{typed}”. Paste the path of a scene, or of a folder with scenes.")
    return read_here(project, place.name, paths, [folder])


def begin_sending(project: Project) -> OldScene:
    """A scene whose files a browser is going to send. Those that were begun long ago and never came are removed."""
    for left in project.old_scenes.filter(paths=[], created__lt=timezone.now() - ABANDONED):
        remove_scene(left)
    return OldScene.objects.create(project=project, revision=project.current.number, name="", paths=[], allowed=[])


def keep_sent(scene: OldScene, files: Mapping[str, UploadedFile]) -> None:
    """Keep some of the files of a scene that is being sent, by their paths. Raises BadInput for too many."""
    _check_sending(scene)
    folder = scene.folder / "sent"
    there = sum(len(names) for _, _, names in os.walk(folder))
    if there + len(files) > MOST_SENT:
        raise BadInput(f"Send up to {MOST_SENT:,} files, or paste the path of the folder.")
    for path, file in {clean_path(path): file for path, file in files.items()}.items():
        target = folder / path
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            write_upload(file, target)
        except (FileExistsError, NotADirectoryError, IsADirectoryError) as error:
            raise BadInput(f"{path} cannot be a file and a folder at once. Send the scene again.") from error


def read_sent(scene: OldScene) -> OldScene:
    """Read a scene all of whose files are there. Raises BadInput, and forgets them, where none is a document."""
    _check_sending(scene)
    folder = scene.folder / "sent"
    documents = sorted(path for path in folder.rglob("*") if path.is_file() and is_document(path.name))
    if not documents:
        remove_scene(scene)
        raise BadInput("None of these files is a scene. Add a .usda, .usdc, .usdz, .mtlx, .gltf, .glb, .json or .csv.")
    scene.name = documents[0].relative_to(folder).as_posix()[:200]
    scene.paths, scene.allowed = [str(path) for path in documents], [str(folder)]
    _start(scene, SCAN, f"Read {scene.name}")
    return scene


def _check_sending(scene: OldScene) -> None:
    if scene.paths:
        raise BadInput("All files of this scene were sent. Send another scene.")


def read_here(project: Project, name: str, paths: Sequence[Path], allowed: Sequence[Path]) -> OldScene:
    """Queue the reading of scenes, whose files are read below the folders that are allowed."""
    made = OldScene.objects.create(
        project=project,
        revision=project.current.number,
        name=name[:200],
        paths=[str(path) for path in paths],
        allowed=[str(folder) for folder in allowed],
    )
    _start(made, SCAN, f"Read {made.name}")
    return made


@transaction.atomic
def _start(scene: OldScene, kind: str, title: str, **more: object) -> None:
    if scene.job and scene.job.state in (QUEUED, RUNNING):
        raise BadInput("Something is done with this scene already. Wait for it, or cancel it.")
    # Before it is started, since where there is no worker the job is done at once.
    scene.save()
    scene.job = start(scene.project, kind, title, {"scene": scene.pk, **more})
    scene.save(update_fields=["job"])


def judge_lights_by(scene: OldScene, render: Render | None) -> OldScene:
    """Say which render shows the scene as it was lit, or none, and read the scene again with it."""
    scene.render = render
    _start(scene, SCAN, f"Read {scene.name}")
    return scene


def preview(scene: OldScene, plan: Sequence[Asked]) -> OldScene:
    """Queue a dry run of a plan."""
    scene.plan = _plan_terms(plan)
    _start(scene, PREVIEW, f"Preview the migration of {scene.name}")
    return scene


def migrate(scene: OldScene, plan: Sequence[Asked], output: str, *, in_place: bool = False) -> OldScene:
    """Queue a migration: into a new folder of this machine, into the media folder where none is named, or in place.
    Raises BadInput for a folder that is not allowed or there already."""
    target = _output(scene, output)
    if not in_place and target.exists():
        raise BadInput(f"{target} is there already, and nothing is overwritten. Name a new folder.", field="output")
    scene.plan = _plan_terms(plan)
    scene.undone = None
    _start(scene, MIGRATE, f"Migrate {scene.name}", output=str(target), in_place=in_place)
    return scene


def _output(scene: OldScene, typed: str) -> Path:
    if typed.strip():
        return allowed_path(typed.strip(), settings.READABLE_FOLDERS)
    number = 1
    while (place := scene.folder / f"migrated-{number}").exists():
        number += 1
    return place


def _plan_terms(plan: Iterable[Asked]) -> list[dict[str, Any]]:
    return [{"step": asked.step, **asked.settings} for asked in plan]


def _of_job(job: Job) -> OldScene:
    found = OldScene.objects.select_related("project__current", "render").filter(pk=job.arguments["scene"]).first()
    if found is None:
        raise BadInput("The scene was removed meanwhile.")
    return found


def _draft(scene: OldScene, report: Reporting) -> Draft:
    return draft_of(
        scene.project,
        [Path(path) for path in scene.paths],
        [Path(path) for path in scene.allowed],
        render=scene.render,
        progress=report,
    )


@work(SCAN)
def _scan(job: Job, report: Reporting) -> str:
    scene = _of_job(job)
    draft = _draft(scene, report)
    found = found_in(draft)
    OldScene.objects.filter(pk=scene.pk).update(found=found, revision=scene.project.current.number)
    count = len(found["habits"])
    return f"{scene.name}: {count} {'habit' if count == 1 else 'habits'} found."


@work(PREVIEW)
def _preview(job: Job, report: Reporting) -> str:
    scene = _of_job(job)
    draft = _draft(scene, _part(report, 0, 0.4))
    made = dry_run(draft, plan_of(scene.plan), _part(report, 0.4, 0.6), scene.folder)
    OldScene.objects.filter(pk=scene.pk).update(preview=made.as_terms(), revision=scene.project.current.number)
    return f"{len(made.changes)} changes; {made.same} of {len(made.proof)} inputs give the same light."


@work(MIGRATE)
def _migrate(job: Job, report: Reporting) -> str:
    scene = _of_job(job)
    draft = _draft(scene, _part(report, 0, 0.3))
    output = None if job.arguments["in_place"] else Path(job.arguments["output"])

    def keep(made: Report) -> None:
        OldScene.objects.filter(pk=scene.pk).update(report=made.as_terms(), revision=scene.project.current.number)

    made = run(draft, plan_of(scene.plan), output, _part(report, 0.3, 0.7), keep, scene.folder)
    assert made.written is not None
    return f"Written to {made.written.folder}. {made.same} of {len(made.proof)} inputs give the same light."


def _part(report: Progress, first: float, share: float) -> Progress:
    def told(done: float, doing: str) -> None:
        report(first + done * share, doing)

    return told


def found_in(draft: Draft) -> dict[str, Any]:
    """What is found in a scene, as terms of JSON: its documents, habits, and how much there is of everything."""
    scene = draft.scene
    return {
        "folder": str(scene.folder),
        "documents": [
            {"path": path, "format": document.format, "space": document.space, "sha256": document.sha256}
            for path, document in scene.documents.items()
        ],
        "pictures": len(draft.pictures),
        "colours": len(draft.colours),
        "lights": [
            {
                "name": light.node.name,
                "document": light.document,
                "intensity": light.intensity,
                "exposure": light.exposure,
                "temperature": light.temperature,
            }
            for light in scene.lights
        ],
        "working_space": next(iter(draft.spaces.values()), ""),
        "refused": [asdict(refused) for refused in scene.refused],
        "habits": [asdict(habit) for habit in habits_of(draft)],
    }


def dry_run(draft: Draft, plan: Sequence[Asked], progress: Progress, pictures: Path | None = None) -> Report:
    """What a plan would do. Pictures of the materials are kept in a folder, if one is given."""
    changes = taken(draft, plan)
    with rewriting(draft) as documents:
        proof = proved(draft, None, _part(progress, 0, 0.3))
        balls = _balls(draft, pictures, _part(progress, 0.3, 0.6))
        return report_of(draft, plan, changes, proof, documents, None, balls, _frame(draft, pictures))


def run(
    draft: Draft,
    plan: Sequence[Asked],
    output: Path | None,
    progress: Progress,
    keep: Callable[[Report], None],
    pictures: Path | None = None,
) -> Report:
    """Do a plan: into a new folder, or in place where none is named. The report is kept before the outcome appears, so
    that whatever happens then can be gone back from."""
    changes = taken(draft, plan)
    balls, frame = _balls(draft, pictures, _part(progress, 0, 0.4)), _frame(draft, pictures)
    with staged(draft, output, _part(progress, 0.4, 0.4)) as outcome:
        proof = proved(draft, outcome.place, _part(progress, 0.8, 0.2))
        report = report_of(draft, plan, changes, proof, outcome.documents, outcome.written, balls, frame)
        keep(report)
        outcome.put()
    return report


def _balls(draft: Draft, folder: Path | None, progress: Progress) -> dict[str, Any] | None:
    made = balls_beside(draft, progress=progress)
    if made is None:
        return None
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        for name, png in pictures_of(draft.config, draft.working, made).items():
            (folder / f"{name}.png").write_bytes(png)
    return {"names": list(made.names), "mean": made.mean, "worst": made.worst}


def _frame(draft: Draft, folder: Path | None) -> dict[str, Any] | None:
    """The first rescued frame, as it was and as its light is shown once more."""
    if not draft.frames:
        return None
    wanted = draft.frames[0]
    made = frame_beside(draft.config, wanted)
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        pngs = encode_png(made.before), encode_png(made.after), differences_as_grey(made.difference)
        for name, png in zip(FRAME, pngs, strict=True):
            (folder / f"{name}.png").write_bytes(png)
    return {"name": wanted.source.name, "mean": made.mean, "worst": made.worst}


def keep_run(
    project: Project, paths: Sequence[Path], allowed: Sequence[Path], plan: Sequence[Asked], report: Report
) -> OldScene:
    """Keep with the project what a command did."""
    return OldScene.objects.create(
        project=project,
        revision=project.current.number,
        name=paths[0].name[:200],
        paths=[str(path.resolve()) for path in paths],
        allowed=[str(folder) for folder in allowed],
        plan=_plan_terms(plan),
        report=report.as_terms(),
    )


def mark_undone(folder: str) -> None:
    """Say of the migration that wrote a folder that it was taken back."""
    for scene in OldScene.objects.filter(undone=None).exclude(report=None):
        if scene.report["written"]["folder"] == folder:
            OldScene.objects.filter(pk=scene.pk).update(undone=timezone.now())


def report_text(scene: OldScene) -> str:
    """The report of a scene, or of its preview, as JSON."""
    return json.dumps(scene.report or scene.preview, ensure_ascii=False, indent=2)


def go_back(scene: OldScene) -> list[str]:
    """Take a migration back; sentences tell what was done. Raises BadInput where there is none to take back."""
    if not scene.report or scene.undone:
        raise BadInput("There is no migration of this scene to go back from.")
    told = gone_back(written_of(report_text(scene).encode(), "The report"))
    OldScene.objects.filter(pk=scene.pk).update(undone=timezone.now())
    return told


def remove_scene(scene: OldScene) -> None:
    """Forget a scene with its pictures and what was sent; outcomes in folders of the machine stay."""
    folder = scene.folder
    scene.delete()
    shutil.rmtree(folder, ignore_errors=True)
