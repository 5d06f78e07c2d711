"""What was done to pictures that came back: asked of files, told as JSON."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.explain.drawn import drawn
from saltwort.core.explain.explained import Depth, Explained, Question, Told, explain
from saltwort.core.explain.files import check_size, in_colour, read_picture
from saltwort.core.explain.operation import Parameter
from saltwort.core.images import read_pixels
from saltwort.core.images.reading import Pixels
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.repairs import repairs
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of

LIGHT = "light"


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
    return apply(processor, in_colour(pixels))


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
    return Question(in_colour(pixels), depth, light, config_of(revision), wanted.choice, wanted.is_light)


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
