"""Returned images as files: read as they are coded, and written once they are undone."""

from pathlib import Path

import numpy as np

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.errors import BadInput
from saltwort.core.explain.explained import Explained, rescued
from saltwort.core.explain.question import FLOATS, LOSSY_DEPTH, Depth, Question, depth_of
from saltwort.core.images import read_pixels, write_image
from saltwort.core.images.alpha import straight
from saltwort.core.images.channels import ASSOCIATED
from saltwort.core.images.headers import Header
from saltwort.core.images.intake import survey_apart
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video_reading import VIDEOS, video_frame

MOST_PIXELS = 40_000_000
"""8K; with its light such a picture takes a gigabyte."""
RESCUED = "_rescued.exr"


def read_picture(path: Path, frame: int = 1) -> tuple[Pixels, Depth]:
    """The pixels of a picture, or of a frame of a video, and how they are coded."""
    if not path.is_file():
        raise BadInput(f"There is no file {path.name}.")
    if is_video(path.name):
        return video_frame(path, frame), LOSSY_DEPTH
    header = survey_apart(path, path.name).facts.header
    check_size(header, path.name)
    return straight_pixels(path, header), depth_of(header, path.suffix)


def straight_pixels(path: Path, header: Header) -> Pixels:
    """The pixels of a picture with straight alpha, where it has any, however the file has it."""
    pixels = read_pixels(path, alpha=True)
    return straight(pixels) if header.alpha == ASSOCIATED and pixels.shape[2] == 4 else pixels


def is_video(name: str) -> bool:
    """Whether a file is a video, by its name."""
    return Path(name).suffix.lower() in VIDEOS


def check_size(header: Header, name: str) -> None:
    """Raise BadInput for a picture that is larger than what is explained."""
    width, height = header.picture_size
    if width * height > MOST_PIXELS:
        raise BadInput(f"{name} is larger than {MOST_PIXELS // 1_000_000} million pixels. Save it smaller.")


def in_colour(pixels: Pixels) -> Pixels:
    """Three or four channels, whatever there are."""
    if pixels.shape[2] >= 3:
        return np.ascontiguousarray(pixels[..., :4])
    return np.ascontiguousarray(np.repeat(pixels[..., :1], 3, axis=2))


def rescue_file(question: Question, found: Explained, path: Path, folder: Path) -> str | None:
    """Write what a picture was before, as scene-linear EXR with a note of what was undone, never under the old name;
    None where it cannot be undone. Raises BadInput where a file of that name is there."""
    if not found.can_be_undone:
        return None
    target = folder / f"{path.stem}{RESCUED}"
    if target.exists():
        raise BadInput(f"There is a file {target.name} already. Choose another folder.")
    folder.mkdir(parents=True, exist_ok=True)
    working = question.scene.working_space
    depth = question.depth if question.depth in FLOATS else f"{question.depth}, which holds no finer steps"
    note = f"Undone into light from {path.name}: {found.sentence} The picture was in {depth}."
    tags = {**handoff_tags(question.config, working), "comments": note}
    write_image(target, rescued(question, found), "half", tags)
    return str(target)
