"""What was done to an image that came back, and what it was before."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from saltwort.core.engine import apply, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.explain.answers import answer_json
from saltwort.core.explain.besides import Told
from saltwort.core.explain.drawn import Part, drawn
from saltwort.core.explain.explained import Explained, rescued
from saltwort.core.explain.explained import explain as explain_question
from saltwort.core.explain.files import in_colour, read_picture, rescue_file
from saltwort.core.explain.places import Places
from saltwort.core.explain.question import Depth, Question
from saltwort.library.configs import Config
from saltwort.library.projects import Project
from saltwort.library.sources import Pixels, config_of, pixels_of, space_or_working

ARRAY_DEPTH: Depth = "float"


@dataclass(frozen=True)
class Explanation:
    """What was done to an image, as far as it shows.

    `verdict` is `as expected`, which is said of every pixel, `differs in places` (`places` says where, and what that
    looks like), `explained`, `not told apart` (`alternatives` explain it as well), `unknown`, or `another picture`;
    `sentence` says what happened. `deviations` are in the order in which they happened, each with
    code and parameters; `chain` is the whole way from the render to the file. `confidence`, 0–1, is how often such an
    answer is right. `residual` is what is left over, ΔE of the mean and the 99th percentile: ΔE ITP on HDR displays,
    else ΔE 2000.
    """

    verdict: str
    sentence: str
    confidence: float
    deviations: tuple[Told, ...]
    alternatives: tuple[tuple[Told, ...], ...]
    chain: tuple[Part, ...]
    residual: tuple[float, float]
    can_be_undone: bool
    places: Places | None
    _name: Path = field(repr=False, compare=False)
    _question: Question = field(repr=False, compare=False)
    _found: Explained = field(repr=False, compare=False)

    def as_json(self) -> dict[str, Any]:
        """The answer as the command `explain` prints it, with where the image lies on the render, and the nearest
        matrix and curves where nothing explains it."""
        return answer_json(self._question, self._found)

    def undone(self) -> Pixels:
        """The image as scene-linear values in the working space, float32 (height, width, 3). Raises BadInput where
        something of it cannot be undone."""
        return rescued(self._question, self._found)

    def save_undone(self, folder: str | Path) -> Path:
        """Write `undone` as EXR, half float, into a folder, named after the image. Raises BadInput where it cannot be
        undone, and where the file exists."""
        written = rescue_file(self._question, self._found, self._name, Path(folder))
        if written is None:
            rescued(self._question, self._found)  # says why
        assert written
        return Path(written)


def explain(
    source: Config | Project,
    image: Pixels | str | Path,
    render: Pixels | str | Path,
    space: str = "",
    *,
    display: str = "",
    view: str = "",
    look: str = "",
    scene_linear: bool = False,
    frame: int = 1,
) -> Explanation:
    """Find what was done to an image on its way from the render that it shows.

    `image` is the returned file (or frame `frame` of a video, from 1), or an array in its own code values; `render` is
    the scene-linear image, an array or a file, in `space` (default: the working space). Arrays are float32 (height,
    width, 3 or 4). The image should show the render through a view (default: the project’s, or the config’s default),
    or with `scene_linear` be in the working space. Raises BadInput for what is no image, and for unknown names.

    >>> config = load_config("studio.ocio")
    >>> found = explain(config, view(config, "dusk.exr", exposure=1), "dusk.exr")
    >>> [deviation.code for deviation in found.deviations]
    ['exposure']
    >>> found.undone().dtype
    dtype('float32')
    """
    config = config_of(source)
    working = config.defaults.working_space
    light = apply(space_processor(config.ocio, space_or_working(config, space), working), pixels_of(render))
    pixels, depth, name = _returned(image, frame)
    choice = config.view_choice(display, view, look)
    question = Question(in_colour(pixels), depth, light, config.ocio, choice, scene_linear)
    found = explain_question(question)
    return Explanation(
        verdict=found.verdict,
        sentence=found.sentence,
        confidence=found.confidence,
        deviations=found.deviations,
        alternatives=found.alternatives,
        chain=drawn(question, found),
        residual=found.residual,
        can_be_undone=found.can_be_undone,
        places=found.places,
        _name=name,
        _question=question,
        _found=found,
    )


def _returned(image: Pixels | str | Path, frame: int) -> tuple[Pixels, Depth, Path]:
    if isinstance(image, np.ndarray):
        return pixels_of(image), ARRAY_DEPTH, Path("image")
    path = Path(image)
    if frame < 1:
        raise BadInput("Frames are counted from 1.")
    return *read_picture(path, frame), path
