"""Deliverables made of images or of the config alone, and finished files verified."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

from saltwort.core.deliverables import (
    FRAMES,
    NOTHING,
    OPTIONAL,
    PICTURES,
    Deliverable,
    Source,
    deliverable_of,
    options_of,
    read_options,
)
from saltwort.core.deliverables.recipe import numbered, recipe_named
from saltwort.core.deliverables.registry import Defaults, Progress
from saltwort.core.deliverables.verify import Verified, against, verify_apart
from saltwort.core.errors import BadInput
from saltwort.core.images.sequences import Frame, FrameRange, frames_in, frames_of_names
from saltwort.core.names import slug
from saltwort.core.threads import on_all_cores
from saltwort.library.configs import Config
from saltwort.library.projects import Project
from saltwort.library.sources import config_of, space_or_working

FIRST_REVISION = 1
"""Stands in the names of files that are made of a config without a project."""


@dataclass(frozen=True)
class Delivered:
    """A file that was made, with what was read back from it (`facts`, by kind), or the reason why it was not."""

    path: Path
    facts: Mapping[str, Any] = field(default_factory=dict)
    error: str = ""


def deliver(
    source: Config | Project,
    kind: str,
    images: Sequence[str | Path] = (),
    target: str | Path = ".",
    *,
    space: str = "",
    frames: str = "",
    settings: Mapping[str, Any] | None = None,
    resume: bool = False,
    progress: Progress = lambda share, doing: None,
) -> list[Delivered]:
    """Make a deliverable of any kind: a still, a sequence, a film, a LUT, a profile and more. Every file is read back.

    `images` are files or folders of frames, in `space` (default: the working space); `frames` picks of a sequence
    (`1-100x2`). `target` is a file, or a folder for several. `settings` are those of the kind, by key; the command
    `saltwort deliver --list` prints kinds and settings. With `resume`, files that exist are left out. Of many files one
    that fails has its `error`, and the others are made; a single one raises BadInput, as do unknown kinds and settings.

    >>> (made,) = deliver(load_config("studio.ocio"), "still", ["dusk.exr"], "dusk.png", settings={"exposure": 1.0})
    >>> made.path.name, made.facts["width"]
    ('dusk.png', 640)
    """
    config, made = config_of(source), deliverable_of(kind)
    output, defaults = Path(target), config.defaults
    chosen = _ending_as(made, settings or {}, defaults, output)
    made.check(config.ocio, chosen)
    revision = source.revision if isinstance(source, Project) else FIRST_REVISION
    jobs = _jobs(made, chosen, revision, [Path(image) for image in images], FrameRange.read(frames), output)
    if resume:
        jobs = [(inputs, file) for inputs, file in jobs if not file.exists()]
    for inputs, file in jobs:
        if any(frame.file.exists() and file.exists() and file.samefile(frame.file) for frame in inputs):
            raise BadInput(f"{file} would replace the image itself. Name another file.")
    of_space = space_or_working(config, space)

    def write(job: Job, told: Progress) -> Delivered:
        inputs, file = job
        sources = [Source(frame.file, of_space, number=frame.number) for frame in inputs]
        return Delivered(file, asdict(made.write(config.ocio, sources, chosen, file, told)))

    if len(jobs) == 1:
        return [write(jobs[0], progress)]
    files: dict[Path, Delivered] = {}

    def write_one_of_many(job: Job) -> None:
        try:
            files[job[1]] = write(job, lambda share, doing: None)
        except BadInput as error:
            files[job[1]] = Delivered(job[1], error=str(error))

    on_all_cores(
        write_one_of_many,
        jobs,
        lambda share: progress(share, f"{round(share * len(jobs)):,} of {len(jobs):,} files"),
    )
    return [files[file] for _, file in jobs]


def verify(
    path: str | Path,
    project: Project | None = None,
    recipe: str = "",
    images: Sequence[str | Path] = (),
    *,
    space: str = "",
    frames: str = "",
) -> Verified:
    """Check a finished image, video, LUT or profile in a process with limits: what it `says` of itself, what its
    `pixels` say, and the `doubts` where that does not fit together, none where all fits. With a project and the name
    of one of its recipes, also whether it is what the recipe makes; with `images`, in `space` and picked by `frames` as
    in `deliver`, also whether its pixels are what the recipe makes of them.

    Raises BadInput for a file of no such sort, and for an unknown recipe.

    >>> [doubt.code for doubt in verify("wall.png").doubts]
    ['untagged']
    """
    file = Path(path)
    found = verify_apart(file, file.name)
    if not recipe:
        return found
    if project is None:
        raise BadInput("A recipe belongs to a project. Open the project, and give it as well.")
    config, made, settings = _recipe_settings(project, recipe)
    of_space = space_or_working(project.config, space)
    inputs = _frames([Path(image) for image in images], FrameRange.read(frames))
    sources = [Source(frame.file, of_space, number=frame.number) for frame in inputs]
    return against(found, file, config, made, settings, sources)


def _recipe_settings(project: Project, name: str) -> tuple[Any, Deliverable[Any], Any]:
    recipe = recipe_named(project.recipes, name)
    made = deliverable_of(recipe.kind)
    values = read_options(made.settings, dict(recipe.settings))
    return project.config.ocio, made, made.settings_from(values, project.config.defaults)


def _ending_as(made: Deliverable[Any], asked: Mapping[str, Any], defaults: Defaults, output: Path) -> Any:
    """The settings, with the format that the name of the output stands for where none is asked for. Raises BadInput for
    a name that ends as another format does."""
    settings = made.settings_from(asked, defaults)
    wanted = output.suffix.lower()
    if not wanted or output.is_dir():
        return settings
    tries = [settings]
    if "format" not in asked:
        formats = next((each.choices for each in options_of(made.settings) if each.key == "format"), ())
        tries += [made.settings_from({**asked, "format": value}, defaults) for value, _ in formats]
    fitting = [each for each in tries if wanted in made.endings(each)]
    if not fitting:
        raise BadInput(f"{output.name} does not end as this output does: {made.endings(settings)[0]}.")
    return fitting[0]


Job = tuple[list[Frame], Path]


def _jobs(
    made: Deliverable[Any], settings: Any, revision: int, images: Sequence[Path], asked: FrameRange, output: Path
) -> list[Job]:
    """What is made of which frames: one file of the config or of a whole sequence, or a file of each picture."""
    frames = _frames(images, asked)
    if made.takes in (NOTHING, OPTIONAL):
        return [(frames[:1], _inside(output, made.named("", revision, settings)))]
    if not frames:
        raise BadInput(f"{made.label} is made of pictures. Name one, or a folder of frames.")
    if made.takes in (PICTURES, FRAMES):
        return [(frames, _inside(output, made.named(frames[0].stem, revision, settings)))]
    if len(frames) == 1 and not output.is_dir() and output.suffix:
        return [(frames, output)]
    if output.suffix and not output.is_dir():
        raise BadInput(f"{len(frames)} pictures make as many files. Name a folder as the target.")
    named = [made.named(slug(frame.stem) or frame.stem, revision, settings) for frame in frames]
    return [
        ([frame], output / (numbered(name, frame.digits) if frame.digits else name))
        for frame, name in zip(frames, named, strict=True)
    ]


def _frames(images: Sequence[Path], asked: FrameRange) -> list[Frame]:
    found: list[Frame] = []
    for place in images:
        found += frames_in(place) if place.is_dir() else frames_of_names([place])
    return [frame for frame in found if frame.number is None or asked.holds(frame.number)]


def _inside(output: Path, name: str) -> Path:
    return output / name if output.is_dir() or not output.suffix else output
