"""Frames that were rendered from a scene: which they are, and what is light again of those with a view in them."""

from collections.abc import Iterator
from dataclasses import dataclass
from os import walk
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.explain.explained import undone
from saltwort.core.explain.operation import Scene as ColourPath
from saltwort.core.images import read_pixels, write_image
from saltwort.core.images.sequences import SUFFIXES, Frame, frames_of_names, sequences_of
from saltwort.core.migration.scene import Scene, picture_files
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.textures.kinds import KindWords, map_kind_of
from saltwort.core.views.tone import display_xyz

MOST_LOOKED_AT = 20_000
FRAME_SAMPLES = 1_000
PICTURE_WIDTH = 480
BYTES_EACH = 6
"""Of a pixel that is written: three halves, before they are compressed."""


@dataclass(frozen=True)
class Rescuing:
    """A frame to be undone into light: where it stands, where it would be written beside it, and the view that is in
    it."""

    source: Path
    target: Path
    choice: ViewChoice


def rendered_sequences(scene: Scene, words: KindWords) -> dict[str, list[Frame]]:
    """Sequences of pictures below the scene's folder that no document names and whose names are of no map, by folder
    and pattern."""
    used, found = set(picture_files(scene)), {}
    for place, pictures in _folders(scene.folder):
        frames = frames_of_names(file for file in pictures if file not in used)
        for pattern, group in sequences_of(frames).items():
            if map_kind_of(group[0].file.name, words) is None:
                found[(place / pattern).relative_to(scene.folder).as_posix()] = group
    return found


def _folders(folder: Path) -> Iterator[tuple[Path, list[Path]]]:
    looked_at = 0
    for place, folders, names in walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        looked_at += len(names)
        if looked_at > MOST_LOOKED_AT:
            return
        pictures = [Path(place) / name for name in sorted(names) if Path(name).suffix.lower() in SUFFIXES]
        if pictures:
            yield Path(place), [picture for picture in pictures if not picture.name.startswith(".")]


def write_rescued(config: ocio.Config, wanted: Rescuing, target: Path) -> None:
    """Write a frame as scene-linear half-float EXR in the working space, its view undone."""
    path = ColourPath(config, wanted.choice)
    light = undone(path, (), read_pixels(wanted.source))
    said = f"{wanted.choice.view} on {wanted.choice.display}"
    note = f"Undone into light from {wanted.source.name}, which was written through {said}."
    write_image(target, light, "half", {**handoff_tags(config, path.working_space), "comments": note})


@dataclass(frozen=True)
class FrameBeside:
    """A frame as it was and its light through the view once more, both as R′G′B′ of the display on 0–1, (height, width,
    3), and the ΔE 2000 of each pixel."""

    before: NDArray[np.float32]
    after: NDArray[np.float32]
    difference: NDArray[np.float64]

    @property
    def mean(self) -> float:
        return float(self.difference.mean())

    @property
    def worst(self) -> float:
        """Of the 99 % that differ least, so that it is no single pixel."""
        return float(np.percentile(self.difference, 99))


def frame_beside(config: ocio.Config, wanted: Rescuing) -> FrameBeside:
    """A frame at up to PICTURE_WIDTH pixels a row, as it was and as its light is shown once more."""
    pixels = read_pixels(wanted.source)[..., :3]
    every = max(1, -(-pixels.shape[1] // PICTURE_WIDTH))
    before = np.ascontiguousarray(pixels[::every, ::every])
    light = undone(ColourPath(config, wanted.choice), (), before).astype(np.float16).astype(np.float32)
    after = np.clip(apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, wanted.choice), light), 0, 1)
    shown = [display_xyz(config, wanted.choice, codes.reshape(-1, 3).astype(np.float64)) for codes in (before, after)]
    return FrameBeside(before, after, delta_e_2000(*shown).reshape(before.shape[:2]))


def seen_before_and_after(config: ocio.Config, wanted: Rescuing, written: Path) -> tuple[NDArray[np.float64], ...]:
    """Up to FRAME_SAMPLES pixels as the display shows them, CIE XYZ (n, 3): of the frame as it was, and of the light
    that was written through the view once more."""
    before, light = read_pixels(wanted.source)[..., :3], read_pixels(written)[..., :3]
    count = before.shape[0] * before.shape[1]
    chosen = np.linspace(0, count - 1, min(FRAME_SAMPLES, count)).astype(int)
    codes = before.reshape(-1, 3)[chosen]
    processor = view_processor(config, ocio.ROLE_SCENE_LINEAR, wanted.choice)
    again = apply(processor, np.ascontiguousarray(light.reshape(-1, 3)[chosen])[np.newaxis])[0]
    return tuple(
        display_xyz(config, wanted.choice, np.clip(numbers, 0, 1).astype(np.float64)) for numbers in (codes, again)
    )
