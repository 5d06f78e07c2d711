"""`deliver [INPUT…]`: make a deliverable, of pictures or folders of frames, and say what was read back from it."""

import sys
from argparse import ArgumentParser
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.deliverables import (
    FRAMES,
    NOTHING,
    OPTIONAL,
    PICTURES,
    Deliverable,
    Source,
    deliverables,
    options_of,
    read_options,
)
from saltwort.core.deliverables.recipe import numbered
from saltwort.core.errors import BadInput
from saltwort.core.images.sequences import Frame, FrameRange, frames_in, frames_of_names
from saltwort.core.names import slug
from saltwort.core.threads import on_all_cores
from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.outputs.sources import chosen_in, deliverable_of
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of


class Command(HeadlessCommand):
    help = "Make a deliverable: a still, scene-linear EXR, LUT, ICC profile and more. Prints JSON."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("inputs", nargs="*", type=Path, metavar="INPUT", help="pictures, or folders of frames")
        parser.add_argument("--project", metavar="SLUG")
        parser.add_argument("--kind", metavar="KIND", help="see --list")
        parser.add_argument("--set", action="append", default=[], metavar="KEY=VALUE", dest="typed")
        parser.add_argument("--source", default="", metavar="SPACE", help="of the pictures; the working space at first")
        parser.add_argument("--frames", default="", metavar="1-100x2", help="of sequences; all unless said")
        parser.add_argument("--output", type=Path, metavar="PATH", help="a file, or a folder for several")
        parser.add_argument("--resume", action="store_true", help="leave out files that are there already")
        parser.add_argument("--list", action="store_true", help="print kinds and their settings")

    def handle(self, *args: Any, inputs: list[Path], typed: list[str], **options: Any) -> None:
        if options["list"]:
            self.print_json([_listed(made) for made in deliverables().values()])
            return
        for needed in ("project", "kind", "output"):
            if not options[needed]:
                raise BadInput(f"Say --{needed}, or --list to see what can be made.")
        project, made = project_for(options["project"]), deliverable_of(options["kind"])
        config = config_of(project.current)
        asked = read_options(made.settings, _pairs(typed))
        settings = _ending_as(made, asked, project, options["output"])
        made.check(config, settings)
        space = options["source"] or chosen_in(project).working_space
        jobs = _jobs(made, settings, project, inputs, FrameRange.read(options["frames"]), options["output"])
        if options["resume"]:
            jobs = [(frames, target) for frames, target in jobs if not target.exists()]
        for frames, target in jobs:
            if any(frame.file.exists() and target.exists() and target.samefile(frame.file) for frame in frames):
                raise BadInput(f"{target} would replace the picture itself. Name another file.")
        told = self.progress(options)
        files: dict[Path, dict[str, Any]] = {}

        def write(job: Job) -> None:
            frames, target = job
            sources = [Source(frame.file, space, number=frame.number) for frame in frames]
            try:
                written = made.write(config, sources, settings, target, told if len(jobs) == 1 else _quietly)
            except BadInput as error:
                if len(jobs) == 1:
                    raise
                files[target] = {"path": str(target), "error": str(error)}  # of many frames, the others are made
            else:
                files[target] = {"path": str(target), "facts": asdict(written)}

        if len(jobs) == 1:
            write(jobs[0])
        else:
            on_all_cores(write, jobs, lambda share: told(share, f"{round(share * len(jobs)):,} of {len(jobs):,} files"))
        self.print_json({"kind": made.kind, "files": [files[target] for _, target in jobs]})
        if any("error" in file for file in files.values()):
            sys.exit(1)


def _quietly(share: float, doing: str) -> None:
    """One of many files says nothing of how it comes on."""


def _listed(made: Deliverable[Any]) -> dict[str, Any]:
    return {
        "kind": made.kind,
        "label": made.label,
        "use": made.use,
        "takes": made.takes,
        "settings": [
            {
                "key": each.typed,
                "label": each.label,
                "kind": each.kind,
                "default": each.default,
                "choices": [value for value, _ in each.choices],
                "lowest": each.lowest,
                "highest": each.highest,
                "unit": each.unit,
                "use": each.use,
            }
            for each in options_of(made.settings)
        ],
    }


def _ending_as(made: Deliverable[Any], asked: Mapping[str, Any], project: Project, output: Path) -> Any:
    """The settings, with the format that the name of the output stands for where none is asked for. Raises BadInput for
    a name that ends as another format does."""
    chosen = chosen_in(project)
    settings = made.settings_from(asked, chosen)
    wanted = output.suffix.lower()
    if not wanted or output.is_dir():
        return settings
    tries = [settings]
    if "format" not in asked:
        formats = next((each.choices for each in options_of(made.settings) if each.key == "format"), ())
        tries += [made.settings_from({**asked, "format": value}, chosen) for value, _ in formats]
    fitting = [each for each in tries if wanted in made.endings(each)]
    if not fitting:
        raise BadInput(f"{output.name} does not end as this output does: {made.endings(settings)[0]}.")
    return fitting[0]


def _pairs(typed: Sequence[str]) -> Mapping[str, str]:
    found = {}
    for each in typed:
        key, sign, value = each.partition("=")
        if not sign:
            raise BadInput(f"“{each}” is no setting. Write it as KEY=VALUE.")
        found[key.strip()] = value
    return found


Job = tuple[list[Frame], Path]


def _jobs(
    made: Deliverable[Any], settings: Any, project: Project, inputs: Sequence[Path], asked: FrameRange, output: Path
) -> list[Job]:
    """What is made of which frames: one file of the config or of a whole sequence, or a file of each picture."""
    number = project.current.number
    frames = _frames(inputs, asked)
    if made.takes in (NOTHING, OPTIONAL):
        return [(frames[:1], _inside(output, made.named("", number, settings)))]
    if not frames:
        raise BadInput(f"{made.label} is made of pictures. Name one, or a folder of frames.")
    if made.takes in (PICTURES, FRAMES):
        return [(frames, _inside(output, made.named(frames[0].stem, number, settings)))]
    if len(frames) == 1 and not output.is_dir() and output.suffix:
        return [(frames, output)]
    if output.suffix and not output.is_dir():
        raise BadInput(f"{len(frames)} pictures make as many files. Name a folder as --output.")
    named = [made.named(slug(frame.stem) or frame.stem, number, settings) for frame in frames]
    return [
        ([frame], output / (numbered(name, frame.digits) if frame.digits else name))
        for frame, name in zip(frames, named, strict=True)
    ]


def _frames(inputs: Sequence[Path], asked: FrameRange) -> list[Frame]:
    found: list[Frame] = []
    for place in inputs:
        found += frames_in(place) if place.is_dir() else frames_of_names([place])
    return [frame for frame in found if frame.number is None or asked.holds(frame.number)]


def _inside(output: Path, name: str) -> Path:
    return output / name if output.is_dir() or not output.suffix else output
