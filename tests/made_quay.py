"""The old scene of the demo, made once for all tests of a process."""

import shutil
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

from saltwort.demo.old_scene import SCENE_NAME, write_old_scene


def old_quay(folder: Path) -> Path:
    """The scene with its textures in a new folder; its path."""
    shutil.copytree(Path(_written().name) / "quay", folder)
    return folder / SCENE_NAME


@cache
def _written() -> TemporaryDirectory[str]:
    made = TemporaryDirectory()
    write_old_scene(Path(made.name) / "quay")
    return made
