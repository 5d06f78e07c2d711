"""Folders of frames to which the same was done as to a picture that was explained, undone into light by a job."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.conf import settings

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.explain.files import check_size
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.undoing import rescued_name, undone_again
from saltwort.core.images import read_header, read_pixels, write_image
from saltwort.core.images.sequences import SUFFIXES
from saltwort.core.project import read_setup
from saltwort.core.textures.folders import allowed_folder
from saltwort.server.handoffs.models import Explanation
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Report, start, work
from saltwort.server.jobs.spread import Piece, file_task, outcomes
from saltwort.server.projects.config_files import config_at, config_file

FOLDER = "rescued"
MOST_NAMED = 5


def rescue_folder(made: Explanation, typed: str) -> Job:
    """Queue the undoing of what an explanation says in every picture of a folder, into a folder below it. Raises
    BadInput for what cannot be undone, and for a folder that is not allowed or holds no pictures."""
    if not made.told["undo"]["possible"]:
        raise BadInput(f"This cannot be undone into light. {' '.join(made.told['undo']['lost'])}".strip())
    folder = allowed_folder(typed, settings.READABLE_FOLDERS)
    count = len(_pictures(folder))
    if not count:
        raise BadInput(f"{folder.name} holds no pictures. Name the folder with the frames.", field="folder")
    title = f"Rescue {count:,} {'picture' if count == 1 else 'pictures'} of {folder.name}"
    return start(made.project, "rescue", title, {"explanation": made.pk, "folder": str(folder)})


def _pictures(folder: Path) -> list[Path]:
    return sorted(
        file for file in folder.iterdir() if file.suffix.lower() in SUFFIXES and not file.name.startswith(".")
    )


@work("rescue", resumable=True)
def _rescue(job: Job, report: Report) -> str:
    """Undo what was done to the pictures of a folder, over all cores or machines. What is there already is left."""
    made = Explanation.objects.select_related("project").filter(pk=job.arguments["explanation"]).first()
    if made is None:
        raise BadInput("The explanation was forgotten, so nothing says what is to be undone.")
    folder = Path(job.arguments["folder"])
    target = folder / FOLDER
    target.mkdir(exist_ok=True)
    revision = made.project.revisions.get(number=made.revision)
    choice = read_setup(revision.setup).view
    pictures = _pictures(folder)
    waiting = [file for file in pictures if not (target / rescued_name(file)).exists()]
    shared = {
        "config": str(config_file(revision)),
        "choice": [choice.display, choice.view, choice.look],
        "expects_light": made.expects_light,
        "deviations": made.told["deviations"],
        "sentence": made.told["sentence"],
    }
    done, refused = len(pictures) - len(waiting), []

    def pieces() -> Iterator[Piece]:
        for key, file in enumerate(waiting):
            yield Piece(key, {**shared, "source": str(file), "target": str(target / rescued_name(file))})

    def look() -> None:
        report(done / max(1, len(pictures)), f"{done:,} of {len(pictures):,}")

    for outcome in outcomes(rescue_picture, pieces(), look=look):
        done += 1
        if outcome.refused:
            refused.append(f"{waiting[outcome.key].name}: {outcome.refused}")
    said = f"{len(pictures) - len(refused):,} pictures are light again, in {target}."
    if not refused:
        return said
    return f"{said} {len(refused):,} could not be: {' '.join(refused[:MOST_NAMED])}"


@file_task
def rescue_picture(
    config: str,
    choice: list[str],
    expects_light: bool,
    deviations: list[dict[str, Any]],
    sentence: str,
    source: str,
    target: str,
) -> dict[str, Any]:
    """Undo what was done to one picture, by the config that stands at a path, and write it as scene-linear EXR."""
    path = Path(source)
    check_size(read_header(path), path.name)
    scene = Scene(config_at(config), ViewChoice(*choice), expects_light)
    light = undone_again(scene, deviations, read_pixels(path))
    note = f"Undone into light from {path.name}: {sentence}"
    write_image(Path(target), light, "half", {**handoff_tags(scene.config, scene.working_space), "comments": note})
    return {}
