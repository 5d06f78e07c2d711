"""What was done to pictures that came back: asked of files, told as JSON."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor
from saltwort.core.engine.processors import check_view
from saltwort.core.errors import BadInput
from saltwort.core.explain.answers import answer_json
from saltwort.core.explain.explained import Explained
from saltwort.core.explain.files import check_size, in_colour
from saltwort.core.explain.question import Depth, Question
from saltwort.core.images import read_pixels
from saltwort.core.images.alpha import associated
from saltwort.core.images.channels import STRAIGHT
from saltwort.core.images.reading import Pixels
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.repairs import repairs
from saltwort.server.images.models import StoredImage
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


def render_named(project: Project, name: str) -> Render:
    """A render by its name. Raises BadInput with the names there are."""
    renders = project.renders.select_related("image", "project__current")
    found = renders.filter(name=name).first()
    if found is None:
        listed = ", ".join(renders.values_list("name", flat=True)) or "none yet"
        raise BadInput(f"There is no render “{name}”. Renders: {listed}.")
    return found


def light_of_render(render: Render, revision: Revision, frame: StoredImage | None = None) -> Pixels:
    """The light of a render, or of a `frame` of it, in the working space of a revision, with associated alpha."""
    image = frame or render.image
    header = image.measured().header
    check_size(header, render.name)
    pixels = read_pixels(image.file, render.layer or None, alpha=True)
    processor = space_processor(config_of(revision), space_of(render).space, ocio.ROLE_SCENE_LINEAR)
    light = apply(processor, in_colour(pixels))
    return associated(light) if header.alpha == STRAIGHT and light.shape[2] == 4 else light


def question_of(revision: Revision, pixels: Pixels, depth: Depth, light: Pixels, wanted: Wanted) -> Question:
    """What is asked of a picture's pixels."""
    return Question(in_colour(pixels), depth, light, config_of(revision), wanted.choice, wanted.is_light)


def told_of(question: Question, found: Explained, stations: Sequence[Station] = ()) -> dict[str, Any]:
    """An answer as JSON holds it, with the settings of stations' sheets that do this."""
    return {**answer_json(question, found), "repair": repairs(stations, found.deviations)}
