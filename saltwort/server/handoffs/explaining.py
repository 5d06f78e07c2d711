"""What was done to pictures that came back: asked of files, told as JSON."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.engine import ViewChoice, apply, space_processor
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.explain.drawn import drawn
from saltwort.core.explain.explained import (
    FLOATS,
    Depth,
    Explained,
    Question,
    Told,
    depth_of,
    explain,
    rescued,
)
from saltwort.core.explain.operation import Parameter
from saltwort.core.images import read_pixels, write_image
from saltwort.core.images.headers import Header
from saltwort.core.images.intake import survey_apart
from saltwort.core.images.reading import Pixels
from saltwort.core.images.video_reading import VIDEOS, video_frame
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.repairs import repairs
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of

LIGHT = "light"
MOST_PIXELS = 40_000_000
"""8K; with its light such a picture takes a gigabyte."""
RESCUED = "_rescued.exr"
LOSSY_DEPTH: Depth = "JPEG"
"""Of video, whose compression errs as much."""


@dataclass(frozen=True)
class Wanted:
    """What a picture is expected to be: through a view, or light in the working space."""

    choice: ViewChoice
    is_light: bool

    @classmethod
    def of(cls, project: Project, typed: str) -> "Wanted":
        """What `DISPLAY/VIEW` or `light` says, or nothing: the project's view. Raises BadInput for a view that the
        config does not have."""
        config, own = config_of(project.current), current_setup(project).view
        if typed in ("", LIGHT):
            return cls(own, typed == LIGHT)
        for display in config.getDisplays():
            if typed.startswith(f"{display}/"):
                choice = ViewChoice(display, typed.removeprefix(f"{display}/"))
                check_view(config, choice)
                return cls(choice, False)
        displays = ", ".join(config.getDisplays())
        raise BadInput(f"“{typed}” is no display and view. Write light, or DISPLAY/VIEW with one of {displays}.")


def light_file(project: Project, path: Path, space: str) -> Pixels:
    """The light of a file in a space, in the project's working space."""
    return _in_working_space(project.current, read_picture(path, 1)[0], space)


def render_named(project: Project, name: str) -> Render:
    """A render by its name. Raises BadInput with the names there are."""
    renders = project.renders.select_related("image", "project__current")
    found = renders.filter(name=name).first()
    if found is None:
        listed = ", ".join(renders.values_list("name", flat=True)) or "none yet"
        raise BadInput(f"There is no render “{name}”. Renders: {listed}.")
    return found


def light_of_render(render: Render, revision: Revision) -> Pixels:
    """The light of a render in the working space of a revision."""
    check_size(render.image.measured().header, render.name)
    pixels = read_pixels(render.image.file, render.layer or None, alpha=True)
    return _in_working_space(revision, pixels, space_of(render).space)


def _in_working_space(revision: Revision, pixels: Pixels, space: str) -> Pixels:
    processor = space_processor(config_of(revision), space, ocio.ROLE_SCENE_LINEAR)
    return apply(processor, _in_colour(pixels))


def read_picture(path: Path, frame: int) -> tuple[Pixels, Depth]:
    """The pixels of a picture, or of a frame of a video, and how they are coded."""
    if not path.is_file():
        raise BadInput(f"There is no file {path.name}.")
    if is_video(path.name):
        return video_frame(path, frame), LOSSY_DEPTH
    header = survey_apart(path, path.name).facts.header
    check_size(header, path.name)
    return read_pixels(path, alpha=True), depth_of(header, path.suffix)


def is_video(name: str) -> bool:
    """Whether a file is a video, by its name."""
    return Path(name).suffix.lower() in VIDEOS


def check_size(header: Header, name: str) -> None:
    """Raise BadInput for a picture that is larger than what is explained."""
    width, height = header.picture_size
    if width * height > MOST_PIXELS:
        raise BadInput(f"{name} is larger than {MOST_PIXELS // 1_000_000} million pixels. Save it smaller.")


def _in_colour(pixels: Pixels) -> Pixels:
    """Three or four channels, whatever there are."""
    if pixels.shape[2] >= 3:
        return np.ascontiguousarray(pixels[..., :4])
    return np.ascontiguousarray(np.repeat(pixels[..., :1], 3, axis=2))


def explain_file(
    project: Project, path: Path, light: Pixels, wanted: Wanted, stations: Sequence[Station] = (), frame: int = 1
) -> tuple[Question, Explained, dict[str, Any]]:
    """What was done to the picture in a file, or to a frame of a video, counted from 1: the question, the answer, and
    the answer as scripts read it."""
    pixels, depth = read_picture(path, frame)
    question = question_of(project.current, pixels, depth, light, wanted)
    found = explain(question)
    return question, found, {"picture": str(path), **told_of(question, found, stations)}


def question_of(revision: Revision, pixels: Pixels, depth: Depth, light: Pixels, wanted: Wanted) -> Question:
    """What is asked of a picture's pixels."""
    return Question(_in_colour(pixels), depth, light, config_of(revision), wanted.choice, wanted.is_light)


def told_of(question: Question, found: Explained, stations: Sequence[Station] = ()) -> dict[str, Any]:
    """An answer as JSON holds it; with the settings of stations' sheets that do this."""
    told: dict[str, Any] = {
        "verdict": found.verdict,
        "deviations": _listed(found.deviations),
        "sentence": found.sentence,
        "confidence": round(found.confidence, 3),
        "chain": [vars(part) for part in drawn(question, found)],
        "residual": {"de_mean": round(found.residual[0], 3), "de_p99": round(found.residual[1], 3)},
        "alternatives": [_listed(other) for other in found.alternatives],
        "undo": {"possible": found.can_be_undone, "lost": list(found.lost)},
        "placement": {
            "scale": round(1 / found.placement.scale[0], 4),
            "shift": [round(part, 2) for part in found.placement.shift],
            "flip": found.placement.flip,
            "likeness": round(found.placement.likeness, 3),
        },
    }
    if found.fitted is not None:
        told["nearest"] = {
            "matrix": np.round(found.fitted.matrix, 4).tolist(),
            "curves": np.round(found.fitted.curves, 4).tolist(),
            "off": round(found.fitted.off, 4),
        }
    told["repair"] = repairs(stations, found.deviations)
    return told


def _listed(deviations: Sequence[Told]) -> list[dict[str, Any]]:
    return [
        {"code": each.code, **{name: _short(value) for name, value in each.parameters.items()}} for each in deviations
    ]


def _short(value: Parameter) -> str | float | list[float]:
    if isinstance(value, tuple):
        return [round(number, 4) for number in value]
    return round(value, 4) if isinstance(value, float) else value


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
