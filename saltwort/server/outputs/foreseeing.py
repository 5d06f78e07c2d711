"""What outputs will cost and lose, told before they are made."""

import shutil
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings

from saltwort.core.deliverables import FRAMES, NOTHING, PICTURE, deliverable_of
from saltwort.core.deliverables.foreseen import Subject
from saltwort.core.errors import BadInput, DiskFull
from saltwort.core.files import LEAST_FREE
from saltwort.core.images.channels import colour_channels
from saltwort.core.images.sequences import runs_of
from saltwort.core.numbers import megabytes
from saltwort.server.images.operations import preview_of
from saltwort.server.images.pictures import stored
from saltwort.server.outputs.models import Output
from saltwort.server.outputs.sources import chosen_in, frames_asked, frames_beside
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import IN, Render
from saltwort.server.scene.operations import facts_of, space_of

SAMPLED = 256
"""Pixels on the longest side of the part of a picture that speaks for it, where another layer is looked at."""


@dataclass(frozen=True)
class Expected:
    """An output before it is made: how many files, their bytes together at most, what is not kept, and the seconds that
    it takes as the last one of its kind did, for each pixel as long, None before the first."""

    files: int
    bytes: int
    losses: tuple[str, ...]
    seconds: float | None


def expected(
    project: Project, kind: str, asked: Mapping[str, Any], render: Render | None = None, frames: str = ""
) -> Expected:
    """Raises BadInput for what cannot be made."""
    made = deliverable_of(kind)
    config = config_of(project.current)
    chosen = made.settings_from(asked, chosen_in(project))
    made.check(config, chosen)
    subject = _subject(render) if render and made.takes != NOTHING else None
    if made.takes in (PICTURE, FRAMES) and subject is None:
        raise BadInput(f"{made.label} is made of a render. Choose one.", "render")
    numbers = frames_asked(made, render, frames)
    foreseen = made.foresee(config, chosen, subject)
    count = max(1, len(numbers))
    losses = [*foreseen.losses]
    if render and (without := _without(render, numbers)):
        losses.append(f"Frames that are missing or cannot be read: {runs_of(without)}.")
    files = count if made.takes == PICTURE else 1
    size = foreseen.bytes * (count if made.takes in (PICTURE, FRAMES) else 1)
    return Expected(files, size, tuple(losses), _seconds(project, kind, subject, count))


def check_expected(project: Project, kind: str, asked: Mapping[str, Any], render: Render | None, frames: str) -> None:
    """Raise DiskFull, with figures, where an output may not find the room it needs."""
    wanted = expected(project, kind, asked, render, frames).bytes
    free = shutil.disk_usage(_existing(Path(settings.MEDIA_ROOT))).free - LEAST_FREE
    if wanted > free:
        raise DiskFull(
            f"This takes up to {megabytes(wanted)}, and the disk has {megabytes(max(0, free))} left. Make room, or "
            "choose fewer frames, a smaller size or fewer bits."
        )


def _existing(folder: Path) -> Path:
    while not folder.exists():
        folder = folder.parent
    return folder


def _subject(render: Render) -> Subject:
    """The picture that is looked at, by what is kept of it for quick looks."""
    facts = facts_of(render)
    if render.layer:
        colours = stored(render.image, SAMPLED, render.layer).reshape(-1, 3)
    else:
        colours = preview_of(render.image).sample[:, colour_channels(facts.header.channel_names)]
    return Subject(
        facts,
        space_of(render).space,
        np.ascontiguousarray(colours, np.float32)[None],
        lambda: render.image.file,
        lambda: frames_beside(render),
    )


def _without(render: Render, numbers: list[int]) -> list[int]:
    """Which of the frames that are wanted are missing or could not be read."""
    if len(numbers) < 2:
        return []
    states = dict(render.frames.values_list("number", "state"))
    return [number for number in numbers if states.get(number) != IN]


def _seconds(project: Project, kind: str, subject: Subject | None, count: int) -> float | None:
    """How long this will take, by the last one of its kind, for each pixel as long."""
    last = Output.objects.filter(project=project, kind=kind, seconds__isnull=False).first()
    if last is None or last.seconds is None:
        return None
    if subject is None or not last.pixels:
        return last.seconds
    width, height = subject.facts.header.picture_size
    return last.seconds * width * height * count / last.pixels
