"""`render_rig --project SLUG --output FILE.exr`: the rig through the bench renderer, as a multi-layer EXR."""

import re
from pathlib import Path
from typing import Any

from django.core.management.base import CommandError, CommandParser

from saltwort.core.errors import BadInput
from saltwort.core.scene.decisions import LIGHTS
from saltwort.core.scene.rig.mistakes import MISTAKES
from saltwort.core.scene.rig.mixing import TONE_MAPPINGS
from saltwort.core.scene.rig.stage import LAYERS, SLOTS, body_names
from saltwort.server.commands import HeadlessCommand
from saltwort.server.projects.operations import project_named
from saltwort.server.scene import rig


class Command(HeadlessCommand):
    help = "Render the rig of a project as EXR: beauty, a layer for each light, albedo, emission, depth and ids."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--list", action="store_true", help="print the names of lights, mistakes and places")
        parser.add_argument("--project", metavar="SLUG")
        parser.add_argument("--working-space", default="", metavar="SPACE", help="the project's own unless said")
        parser.add_argument("--size", default="640x360", metavar="WxH")
        parser.add_argument("--samples", type=int, default=16, metavar="N", help="for each pixel")
        parser.add_argument("--output", type=Path, metavar="FILE.exr")
        parser.add_argument("--light", action="append", default=[], metavar="NAME=STOPS", help="one light's exposure")
        parser.add_argument("--solo", default="", metavar="NAME", help="one light alone")
        parser.add_argument("--mistake", default="", metavar="NAME", help="do this wrong on purpose")
        parser.add_argument("--tone-mapping", default="", metavar="NAME", help="bake this into the picture")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["list"]:
            self.print_json(_names())
            return
        if not options["project"] or not options["output"]:
            raise CommandError("Say which --project to render, and the --output to write.")
        output: Path = options["output"]
        if output.suffix.lower() != ".exr":
            raise BadInput(f"{output.name}: the rig is written as .exr.")
        width, height = _size(options["size"])
        size = (width, height, options["samples"])
        rig.check_size(*size)
        project = project_named(options["project"])
        if options["working_space"]:
            project = rig.in_working_space(project, options["working_space"])
        asked = rig.Asked(
            mistake=options["mistake"],
            mapping=options["tone_mapping"],
            stops=dict(map(_light, options["light"])),
            solo=options["solo"],
        )
        made = rig.asked_rig(rig.prepared(project), asked)
        light = rig.traced(made, size, lambda share: self.say(f"{share:4.0%}") if options["verbosity"] > 1 else None)
        said = rig.write_picture(made, light, size, asked, output)
        finding = MISTAKES[asked.mistake].finding if asked.mistake else ""
        self.print_json(
            {"path": str(output), "layers": ["beauty", *LAYERS, "albedo", "emission"], **said, "finding": finding}
        )


def _names() -> dict[str, Any]:
    return {
        "lights": list(LIGHTS),
        "places": list(SLOTS),
        "bodies": list(body_names()),
        "mistakes": {mistake.name: mistake.finding for mistake in MISTAKES.values()},
        "tone_mappings": list(TONE_MAPPINGS),
    }


def _size(text: str) -> tuple[int, int]:
    found = re.fullmatch(r"(\d{1,5})x(\d{1,5})", text)
    if not found:
        raise BadInput(f"“{text}” is no size; write it as 640x360.")
    return int(found[1]), int(found[2])


def _light(text: str) -> tuple[str, float]:
    name, _, stops = text.partition("=")
    try:
        return name, float(stops)
    except ValueError:
        raise BadInput(f"“{text}” is no light with its stops; write it as key=1.5.") from None
