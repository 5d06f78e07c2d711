"""A scene of a project as core needs it: read with the project's config, textures and words."""

from collections.abc import Sequence
from pathlib import Path

import PyOpenColorIO as ocio

from saltwort.core.migration.plan import Draft, Progress, drafted
from saltwort.core.migration.scene import Scene, read_scene
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.textures.operations import assigned_textures


def draft_of(
    project: Project,
    paths: Sequence[Path],
    allowed: Sequence[Path],
    *,
    old: ocio.Config | None = None,
    render: Render | None = None,
    progress: Progress | None = None,
) -> Draft:
    """Scenes as they are, seen with the eyes of a project; `render` is a picture of the scene as it was lit, if there
    is one. Raises BadInput for a scene that cannot be read."""
    if progress:
        progress(0, "Reading the scene")
    scene = read_scene(paths, allowed)
    config = config_of(project.current)
    words = current_setup(project).kind_words
    working = str(config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName())
    draft = drafted(scene, config, working, words=words, old=old, assigned=_assigned(project, scene), progress=progress)
    if render is not None:
        stats = render.image.measured().stats
        draft.choices["render-middle"], draft.choices["render-bright"] = _level(stats.median), _level(stats.high)
    return draft


def _assigned(project: Project, scene: Scene) -> dict[str, str]:
    """The space of each texture of the project whose name a scene uses too."""
    names = {picture.file.replace("\\", "/").rpartition("/")[2].lower() for picture in scene.pictures}
    if not names or not project.textures.exists():
        return {}
    return {
        row.texture.path: row.assignment.space
        for row in assigned_textures(project)
        if row.texture.path.rpartition("/")[2].lower() in names
    }


def _level(channels: Sequence[float | None]) -> float | None:
    """One brightness of the colour channels, as the file has it."""
    known = [value for value in channels[:3] if value is not None]
    return sum(known) / len(known) if known else None
