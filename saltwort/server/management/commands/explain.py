"""`explain PICTURE …`: what was done to pictures that came back, for scripts."""

import sys
from argparse import ArgumentParser
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand
from saltwort.server.handoffs.alone import alone_file, alone_with_swatches
from saltwort.server.handoffs.explaining import Wanted, light_of_render, render_named
from saltwort.server.handoffs.explanations import stations_of
from saltwort.server.handoffs.operations import station_named
from saltwort.server.handoffs.repairs import repairs
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import project_named


class Command(HeadlessCommand):
    help = "Say what was done to pictures on their way from the light that they should show."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("pictures", nargs="+", type=Path, metavar="PICTURE")
        parser.add_argument("--project", required=True, metavar="SLUG")
        source = parser.add_mutually_exclusive_group()
        source.add_argument(
            "--render",
            metavar="NAME",
            help="a render of the project; without one, only what the picture says by itself",
        )
        source.add_argument("--light", type=Path, metavar="FILE", help="a file with the light, which needs --space")
        parser.add_argument("--space", metavar="SPACE", help="the space of the file with the light")
        parser.add_argument("--expect", default="", metavar="DISPLAY/VIEW|light", help="the project's view unless said")
        parser.add_argument("--frame", type=int, default=1, metavar="N", help="the frame of a video, from 1 (1)")
        parser.add_argument(
            "--swatch",
            action="append",
            default=[],
            metavar="NAME=X,Y",
            help="without a render: a swatch of the project, and where it lies in the picture; several tell more",
        )
        parser.add_argument(
            "--application", "--station", dest="station", metavar="NAME", help="the application that it came from"
        )
        parser.add_argument(
            "--rescue", type=Path, metavar="FOLDER", help="write what can be undone as scene-linear EXR"
        )

    def handle(self, *args: Any, pictures: list[Path], project: str, **options: Any) -> None:
        found = project_named(project)
        if options["light"] and not options["space"]:
            raise BadInput("Say with --space in which space the light of the file is.")
        wanted = Wanted.of(found, options["expect"])
        if not options["light"] and not options["render"]:
            pointed_at = [_pointed_at(typed) for typed in options["swatch"]]
            self._tell([_alone(found, picture, wanted, pointed_at) for picture in pictures])
            return
        if options["light"]:
            light, space = options["light"], options["space"]
        else:
            light, space = light_of_render(render_named(found, options["render"]), found.current), ""
        stations = [station_named(found, options["station"])] if options["station"] else stations_of(found)
        opened = saltwort.open_project(project)
        choice = wanted.choice
        told = []
        for picture in pictures:
            answer = saltwort.explain(
                opened,
                picture,
                light,
                space,
                display=choice.display,
                view=choice.view,
                look=choice.look,
                scene_linear=wanted.is_light,
                frame=options["frame"],
            )
            entry = {"picture": str(picture), **answer.as_json(), "repair": repairs(stations, answer.deviations)}
            if options["rescue"]:
                entry["rescued"] = _rescued(answer, options["rescue"])
            told.append(entry)
        self._tell(told)

    def _tell(self, told: list[dict[str, Any]]) -> None:
        self.print_json(told)
        if any(entry["verdict"] != "as expected" for entry in told):
            sys.exit(1)


def _rescued(answer: saltwort.Explanation, folder: Path) -> str | None:
    return str(answer.save_undone(folder)) if answer.can_be_undone else None


def _alone(
    project: Project, picture: Path, wanted: Wanted, pointed_at: Sequence[tuple[str, int, int]]
) -> dict[str, Any]:
    if pointed_at:
        return alone_with_swatches(project, picture, wanted, pointed_at)
    return alone_file(project, picture, wanted)


def _pointed_at(typed: str) -> tuple[str, int, int]:
    """A swatch and a pixel, as `--swatch` has them. Raises BadInput for what is neither."""
    name, _, place = typed.rpartition("=")
    x, _, y = place.partition(",")
    if not name or not (x.strip().isdecimal() and y.strip().isdecimal()):
        raise BadInput(f"“{typed}” is no swatch with a place. Write it as brass=120,340: pixels from the upper left.")
    return name, int(x), int(y)
