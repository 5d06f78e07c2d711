"""A night's frames in a folder that is watched, with four things wrong on purpose."""

from pathlib import Path

import numpy as np
from django.conf import settings

from saltwort.core.engine import apply, space_processor, view_processor
from saltwort.core.images import write_image
from saltwort.demo.render import HEIGHT, TAGS, WIDTH, Array
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.watching.models import WatchedFolder
from saltwort.server.watching.watch import Watch

FOLDER, SHOT = "lantern_quay_night", "quay_night"
FIRST, COUNT = 1001, 36
VIEW_BAKED, LAMP_POPS, NEVER_RENDERED, OTHER_PRIMARIES = 1012, 1020, 1027, 1031
POP = np.float32(1.8)


def add_night(project: Project, render: Render, picture: Array) -> WatchedFolder:
    """Write the frames and look at them once; the watch is paused, so that nothing runs that nobody asked for."""
    folder = Path(settings.MEDIA_ROOT) / FOLDER
    folder.mkdir(parents=True, exist_ok=True)
    _write_frames(project, folder, picture)
    watched = WatchedFolder.objects.create(
        project=project,
        place=str(folder.resolve()),
        station=project.stations.filter(name="Renderer").first(),
        render=render,
    )
    for _ in Watch(watched, quiet=-1.0).look():
        pass
    return watched


def _write_frames(project: Project, folder: Path, picture: Array) -> None:
    config = config_of(project.current)
    small = picture.reshape(HEIGHT // 3, 3, WIDTH // 3, 3, 3).mean(axis=(1, 3))
    for step, number in enumerate(range(FIRST, FIRST + COUNT)):
        if number == NEVER_RENDERED:
            continue
        noise = np.random.default_rng(number).standard_normal(small.shape)
        light = np.asarray(small * (1 + 0.02 * noise) * 2.0 ** (-step / 40), np.float32)  # it gets darker
        if number == VIEW_BAKED:
            light = apply(view_processor(config, "ACEScg", current_setup(project).view), light)
        if number == LAMP_POPS:
            light *= POP
        if number == OTHER_PRIMARIES:
            light = apply(space_processor(config, "ACEScg", "Linear Rec.709 (sRGB)"), light)
        write_image(folder / f"{SHOT}.{number}.exr", light, "half", TAGS)
