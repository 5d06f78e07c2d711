"""What an output is made of: its kind, and the pictures or frames of a render."""

from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np

from saltwort.core.deliverables import FRAMES, OF_PICTURES, Defaults, Deliverable, Source
from saltwort.core.errors import BadInput
from saltwort.core.images.sequences import FrameRange, frame_name, runs_of
from saltwort.core.structured import structured
from saltwort.server.compare.operations import project_grade
from saltwort.server.outputs.models import Output
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import current_setup
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import space_of
from saltwort.server.textures.operations import assigned_textures

EVERY = "all"
RENDER_REMOVED = "The render that this output is made of was removed. Make the output of another."
TOGETHER = 5
"""Frames by whose values layers of data are told, for all frames of a sequence alike."""
OF_SOURCE = ("source_space", "source_layer", "source_frames")
"""What stands in stored settings of the render, beside those of the deliverable."""


def chosen_in(project: Project) -> Defaults:
    """What the project has chosen, which holds where settings say nothing else."""
    setup = current_setup(project)
    return Defaults(setup.view, setup.working_space, project_grade(project))


def frames_asked(made: Deliverable[Any], render: Render | None, frames: str) -> list[int]:
    """The numbers of the frames that a deliverable is made of; none where it is made of the picture looked at. Raises
    BadInput for frames of what is no sequence, or of which there are none."""
    if made.takes not in OF_PICTURES or render is None:
        return []
    if render.frame is None:
        if made.takes == FRAMES:
            raise BadInput(f"{made.label} is made of a sequence. Choose one, or import a folder of frames.", "render")
        if frames:
            raise BadInput(f"{render.name} is a single picture. Choose a sequence, or leave the frames out.", "frames")
        return []
    if not frames and made.takes != FRAMES:
        return [render.frame]
    known = set(render.frames.values_list("number", flat=True))
    try:
        numbers = FrameRange.read("" if frames == EVERY else frames).wanted(known)
    except BadInput as error:
        raise BadInput(str(error), "frames") from None
    if not known & set(numbers):
        raise BadInput(f"{render.name} has no such frames. It has {runs_of(known)}.", "frames")
    return numbers


def of_source(made: Deliverable[Any], render: Render, frames: str) -> dict[str, Any]:
    """What is kept of the render beside settings: of a sequence the frame that is looked at now by its number."""
    if not frames and render.frame is not None and made.takes != FRAMES:
        frames = str(render.frame)
    return {"source_space": space_of(render).space, "source_layer": render.layer, "source_frames": frames}


def settings_kept(made: Deliverable[Any], stored: Mapping[str, Any]) -> Any:
    """The settings of a deliverable, from those that an output has stored. Raises BadInput where they are damaged."""
    own = {name: value for name, value in stored.items() if name not in OF_SOURCE}
    return structured(made.settings, own, "The settings of this output")


def sources_of(output: Output, made: Deliverable[Any], settings: Any, render: Render) -> list[Source]:
    """What an output is made of: the picture looked at, or frames. One that is missing stands with the name that it
    would have, for the kind to say what becomes of it."""
    if made.of_textures(settings):
        return textures_of(output.project)
    return sources_of_render(made, render, output.settings)


def sources_now(made: Deliverable[Any], render: Render, frames: str) -> list[Source]:
    """What a file of a kind would be made of now, as `sources_of` gives it."""
    return sources_of_render(made, render, of_source(made, render, frames))


def sources_of_render(made: Deliverable[Any], render: Render, of: Mapping[str, Any]) -> list[Source]:
    """The picture looked at, or frames, of a render, by what `of_source` keeps of it."""
    space, layer = of["source_space"], of.get("source_layer", "")
    numbers = frames_asked(made, render, of.get("source_frames", ""))
    if not numbers:
        return [Source(render.image.file, space, layer, called=render.name)]
    known = {frame.number: frame.image for frame in render.frames.select_related("image")}
    sources = []
    for number in numbers:
        name, image = frame_name(render.name, number), known.get(number)
        file = Path(render.place) / name
        with suppress(BadInput):  # one that is gone since is as one that was never there
            file = image.file if image else file
        sources.append(Source(file, space, layer, number, name))
    return sources


def frames_beside(render: Render) -> list[Path]:
    """TOGETHER frames of a sequence, from the first to the last; none of a single picture."""
    images = [frame.image for frame in render.frames.exclude(image=None).select_related("image") if frame.image]
    places = np.unique(np.linspace(0, len(images) - 1, TOGETHER).round().astype(int)) if images else []
    found = []
    for place in places:
        with suppress(BadInput):  # a file that is gone has its own finding
            found.append(images[place].file)
    return found


def textures_of(project: Project) -> list[Source]:
    """The textures of a project that can be read, each in its space, under their paths. Raises BadInput where there is
    none."""
    sources = []
    for row in assigned_textures(project):
        with suppress(BadInput):  # a file that is gone has its own finding
            sources.append(Source(row.texture.image.file, row.assignment.space, called=row.texture.path))
    if not sources:
        raise BadInput("The project has no textures that can be read. Add some in Textures.")
    return sources
